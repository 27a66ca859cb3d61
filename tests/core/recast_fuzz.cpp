// SPDX-License-Identifier: GPL-3.0-or-later
// The long runs of re-skinned heaps and bodies, of reduced, smoothed, sharpened and hand-edited ones, and of damaged ones.
//   build/release/tests/recast_fuzz heaps|edges|reduce|smooth|sharpen|hand|damaged [CASES] [FIRST_SEED]
#include <cstring>

#include "tests/support/fuzz.h"
#include "tests/support/random_recasts.h"
#include "tests/support/random_reshapes.h"

int main(int argc, char** argv) {
  using namespace anvil::test;
  if (argc > 1 && std::strcmp(argv[1], "heaps") == 0) return fuzz(argc - 1, argv + 1, [](unsigned seed) { return what_is_wrong_with_recast(seed); });
  if (argc > 1 && std::strcmp(argv[1], "edges") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_sharp_recast);
  if (argc > 1 && std::strcmp(argv[1], "reduce") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_reduce);
  if (argc > 1 && std::strcmp(argv[1], "smooth") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_smooth);
  if (argc > 1 && std::strcmp(argv[1], "sharpen") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_sharpen);
  if (argc > 1 && std::strcmp(argv[1], "hand") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_hand_edges);
  if (argc > 1 && std::strcmp(argv[1], "damaged") == 0) return fuzz(argc - 1, argv + 1, what_is_wrong_with_damaged);
  fmt::print("recast_fuzz heaps|edges|reduce|smooth|sharpen|hand|damaged [CASES] [FIRST_SEED]\n");
  return 2;
}
