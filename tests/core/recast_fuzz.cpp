// SPDX-License-Identifier: GPL-3.0-or-later
// The long runs of re-skinned heaps, bodies and damaged ones (torn), of reduced, smoothed, sharpened and hand-edited ones, and of damaged ones through all of it.
//   build/release/tests/recast_fuzz heaps|torn|edges|reduce|smooth|sharpen|hand|damaged [CASES] [FIRST_SEED]
//   build/release/tests/recast_fuzz files FILE...
// files: each at 1/20, 1/100 and 1/400 of its size, sharp or not, judged as the heaps are, clouds at 1/20 and 1/100 by soundness alone (balls about few points have millions of faces at 1/400); what cannot be read, or is refused as too coarse for balls about points, is told.
#include <cstring>

#include "core/io/mesh_file.h"
#include "tests/support/fuzz.h"
#include "tests/support/random_recasts.h"
#include "tests/support/random_reshapes.h"

namespace {

int recast_files(std::span<char*> files) {
  using namespace anvil;
  int failed = 0;
  for (const char* file : files) {
    const auto read = read_mesh(file, true);
    if (!read) {
      fmt::print("{}: {}\n", file, read.issue().message());
      continue;
    }
    const std::vector<recast::Part> parts{{std::make_shared<const Mesh>(read->mesh), "part"}};
    for (const double share : {20.0, 100.0, 400.0})
      for (const bool sharp : {true, false}) {
        RecastSettings settings;
        settings.detail = bounds(read->mesh).diagonal() / share;
        settings.sharp = sharp;
        if (read->mesh.cloud && share > 100) continue;
        if (read->mesh.cloud)
          if (const auto made = recast_parts(parts, settings); !made) {
            fmt::print("{}: {}\n", file, made.issue().message());
            continue;
          }
        const std::string wrong = test::what_is_wrong_with_recast_of(parts, settings);
        failed += !wrong.empty();
        if (!wrong.empty()) fmt::print("{}: {}\n", file, wrong);
        std::fflush(stdout);
      }
  }
  fmt::print("{} files, {} failures\n", files.size(), failed);
  return failed == 0 ? 0 : 1;
}

}  // namespace

int main(int argc, char** argv) {
  using namespace anvil::test;
  if (argc > 1 && std::strcmp(argv[1], "files") == 0) return recast_files({argv + 2, static_cast<std::size_t>(argc - 2)});
  if (argc > 1 && std::strcmp(argv[1], "heaps") == 0) return fuzz(argc - 1, argv + 1, [](unsigned seed) { return what_is_wrong_with_recast(seed); });
  if (argc > 1 && std::strcmp(argv[1], "torn") == 0) return fuzz(argc - 1, argv + 1, [](unsigned seed) { return what_is_wrong_with_recast_of_damaged(seed); });
  if (argc > 1 && std::strcmp(argv[1], "edges") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_sharp_recast);
  if (argc > 1 && std::strcmp(argv[1], "reduce") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_reduce);
  if (argc > 1 && std::strcmp(argv[1], "smooth") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_smooth);
  if (argc > 1 && std::strcmp(argv[1], "sharpen") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_sharpen);
  if (argc > 1 && std::strcmp(argv[1], "hand") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_hand_edges);
  if (argc > 1 && std::strcmp(argv[1], "damaged") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_damaged);
  fmt::print("recast_fuzz heaps|torn|edges|reduce|smooth|sharpen|hand|damaged [CASES] [FIRST_SEED], or files FILE...\n");
  return 2;
}
