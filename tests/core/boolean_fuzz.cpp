// SPDX-License-Identifier: GPL-3.0-or-later
// The long run: random solids on a coarse grid, so that nearly every case is degenerate, and near-contacts.
//   build/release/tests/boolean_fuzz [CASES] [FIRST_SEED]
// Every case is combined by all operations; results are judged by CGAL and by inclusion and exclusion.
// A failing case is written to boolean-fuzz-SEED-a.off and -b.off; those that were mended are in tests/data.
#include <fmt/format.h>
#include <tbb/global_control.h>

#include <cstdlib>
#include <iostream>

#include "core/io/mesh_file.h"
#include "tests/support/random_solids.h"

int main(int argc, char** argv) {
  using namespace anvil;
  using namespace anvil::test;
  // One thread: the cases are tiny. Run one process per core, on other seeds.
  const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
  const long cases = argc > 1 ? std::atol(argv[1]) : 100'000;
  const long first = argc > 2 ? std::atol(argv[2]) : 1;
  long failed = 0;
  for (long seed = first; seed < first + cases; ++seed) {
    const auto [a, b] = random_pair(static_cast<unsigned>(seed));
    const std::string wrong = what_is_wrong(a, b);
    if (!wrong.empty()) {
      ++failed;
      fmt::print("seed {}: {}\n", seed, wrong);
      (void)write_mesh(a, fmt::format("boolean-fuzz-{}-a.off", seed));
      (void)write_mesh(b, fmt::format("boolean-fuzz-{}-b.off", seed));
    }
    if ((seed - first + 1) % 1'000 == 0) fmt::print("{} cases, {} failed\n", seed - first + 1, failed);
    std::fflush(stdout);
  }
  fmt::print("{} cases, {} failed\n", cases, failed);
  return failed == 0 ? 0 : 1;
}
