// SPDX-License-Identifier: GPL-3.0-or-later
// How to watch and end a computation.
#pragma once

#include <atomic>
#include <cstdint>
#include <stop_token>

namespace anvil {

/// How much a computation may do, as it counts itself.
struct WorkLimit {
  std::uint64_t most;
  std::atomic<std::uint64_t> done = 0;
};

struct Control {
  std::stop_token stop;
  std::atomic<double>* progress = nullptr;  ///< 0 to 1, written by the computation
  WorkLimit* work = nullptr;                ///< null: as much as it takes
};

/// Thrown inside computations when their stop token was triggered; caught by whoever started them.
struct Stopped {};

/// Throws Stopped when asked to stop.
inline void check_stop(const Control& control) {
  if (control.stop.stop_requested()) throw Stopped{};
}

}  // namespace anvil
