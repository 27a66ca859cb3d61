// SPDX-License-Identifier: GPL-3.0-or-later
// The long run of chamfers and rounds, ramps, pushes, stencils and thrown lines on forty bodies.
//   build/release/tests/cut_fuzz finish|ramp|push|stencil|thrown [CASES] [FIRST_SEED]
// Results are judged by CGAL, and by how the volume changes.
#include <cstring>

#include "tests/support/fuzz.h"
#include "tests/support/random_cuts.h"
#include "tests/support/random_finishes.h"

int main(int argc, char** argv) {
  using namespace anvil::test;
  struct Run {
    const char* name;
    std::string (*wrong)(unsigned);
  };
  for (const Run& run : {Run{"finish", what_is_wrong_with_finish}, Run{"ramp", what_is_wrong_with_ramp}, Run{"push", what_is_wrong_with_push}, Run{"stencil", what_is_wrong_with_stencil}, Run{"thrown", what_is_wrong_with_thrown}})
    if (argc > 1 && std::strcmp(argv[1], run.name) == 0) {
      const int code = fuzz(argc - 1, argv + 1, run.wrong);
      if (const FinishesSeen& seen = finishes_seen(); seen.cases > 0)
        fmt::print("{} cases with {} edges: {} narrower ({} cases), {} left ({} cases); the slowest took {:.2f} s\n", seen.cases, seen.edges, seen.narrower, seen.cases_narrower, seen.left, seen.cases_left, seen.slowest);
      return code;
    }
  fmt::print("cut_fuzz finish|ramp|push|stencil|thrown [CASES] [FIRST_SEED]\n");
  return 2;
}
