// SPDX-License-Identifier: GPL-3.0-or-later
// The long run of damage inflicted and mended again. Prints the share that came out right, kind by kind.
//   build/release/tests/mend_fuzz [SEEDS] [FIRST_SEED] [KIND]
// KIND: a number as printed; without one all kinds and mixtures.
#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <atomic>
#include <cstdlib>
#include <mutex>

#include "tests/support/damage.h"

int main(int argc, char** argv) {
  using namespace anvil::test;
  const unsigned seeds = argc > 1 ? static_cast<unsigned>(std::atoi(argv[1])) : 30, first = argc > 2 ? static_cast<unsigned>(std::atoi(argv[2])) : 1;
  const std::size_t kinds = damage_kinds().size(), bodies = bodies_to_damage().size();
  const std::size_t only = argc > 3 ? static_cast<std::size_t>(std::atoi(argv[3])) : kinds + 1;
  std::size_t all_failed = 0;
  for (std::size_t kind = 0; kind <= kinds; ++kind) {
    if (only <= kinds && kind != only) continue;
    std::atomic<std::size_t> failed = 0;
    std::mutex print;
    const std::size_t cases = bodies * seeds;
    tbb::parallel_for(std::size_t{0}, cases, [&](std::size_t k) {
      const std::size_t body = k % bodies;
      const auto seed = first + static_cast<unsigned>(k / bodies);
      const std::string wrong = what_is_wrong_with_mending(body, kind, seed);
      if (wrong.empty()) return;
      ++failed;
      const std::lock_guard lock(print);
      fmt::print("  {} ({}), seed {}: {}\n", bodies_to_damage()[body].name, body, seed, wrong);
      std::fflush(stdout);
    });
    fmt::print("{:2} {}: {} of {} right\n", kind, kind < kinds ? damage_kinds()[kind].name : "mixtures of 3 to 6", cases - failed, cases);
    std::fflush(stdout);
    all_failed += failed;
  }
  fmt::print("{} failed\n", all_failed);
  return all_failed == 0 ? 0 : 1;
}
