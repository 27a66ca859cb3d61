// SPDX-License-Identifier: GPL-3.0-or-later
// The long run of what is written to files: solids that 32-bit coordinates and readers of polygons find hard.
//   build/release/tests/file_fuzz [CASES] [FIRST_SEED]
// A failing case is written to file-fuzz-SEED.off.
#include "core/io/mesh_file.h"
#include "tests/support/fuzz.h"
#include "tests/support/random_files.h"

int main(int argc, char** argv) {
  using namespace anvil;
  return test::fuzz(argc, argv, [](unsigned seed) {
    const Mesh mesh = std::array{test::touching_boxes, test::shifted_fillets, test::thin_skins, test::random_result}[seed % 4](seed);
    if (mesh.empty()) return std::string();
    const std::string wrong = test::what_is_wrong_with_files(mesh);
    if (!wrong.empty()) (void)write_mesh(mesh, fmt::format("file-fuzz-{}.off", seed));
    return wrong;
  });
}
