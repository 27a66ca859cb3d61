// SPDX-License-Identifier: GPL-3.0-or-later
// The loop of the long random runs: case after case, each known by its seed.
#pragma once

#include <fmt/format.h>
#include <tbb/global_control.h>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <functional>
#include <string>

namespace anvil::test {

/// Arguments: [CASES] [FIRST_SEED]. @param wrong  "" when the case of that seed holds
/// @return the exit code: 1 when a case failed
inline int fuzz(int argc, char** argv, const std::function<std::string(unsigned seed)>& wrong) {
  // One thread: the cases are tiny. Run one process per core, on other seeds.
  const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
  const long cases = argc > 1 ? std::atol(argv[1]) : 100'000;
  const long first = argc > 2 ? std::atol(argv[2]) : 1;
  long failed = 0;
  using Clock = std::chrono::steady_clock;
  Clock::time_point told = Clock::now();
  for (long seed = first; seed < first + cases; ++seed) {
    if (const std::string what = wrong(static_cast<unsigned>(seed)); !what.empty()) {
      ++failed;
      fmt::print("seed {}: {}\n", seed, what);
    }
    if (const auto now = Clock::now(); (seed - first + 1) % 1'000 == 0 || now - told > std::chrono::minutes(1)) {
      fmt::print("{} cases, {} failed\n", seed - first + 1, failed);
      told = now;
    }
    std::fflush(stdout);
  }
  fmt::print("{} cases, {} failed\n", cases, failed);
  return failed == 0 ? 0 : 1;
}

}  // namespace anvil::test
