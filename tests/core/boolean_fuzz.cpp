// SPDX-License-Identifier: GPL-3.0-or-later
// The long run: random solids on a coarse grid, so that nearly every case is degenerate, and near-contacts.
//   build/release/tests/boolean_fuzz [fine] [CASES] [FIRST_SEED]
// fine: finely tessellated parts that cross themselves here and there.
// Every case is combined by all operations; results are judged by CGAL, as they are and as written to STL and OFF, and by
// inclusion and exclusion.
// A failing case is written to boolean-fuzz-SEED-a.off and -b.off; those that were mended are in tests/data.
#include <cstring>

#include "core/io/mesh_file.h"
#include "tests/support/fuzz.h"
#include "tests/support/random_solids.h"

int main(int argc, char** argv) {
  using namespace anvil;
  const bool fine = argc > 1 && std::strcmp(argv[1], "fine") == 0;
  return test::fuzz(argc - fine, argv + fine, [fine](unsigned seed) {
    const auto [a, b] = fine ? test::fine_pair(seed) : test::random_pair(seed);
    const std::string wrong = test::what_is_wrong(a, b, true);
    if (!wrong.empty()) {
      (void)write_mesh(a, fmt::format("boolean-fuzz-{}-a.off", seed));
      (void)write_mesh(b, fmt::format("boolean-fuzz-{}-b.off", seed));
    }
    return wrong;
  });
}
