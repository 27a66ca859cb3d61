// SPDX-License-Identifier: GPL-3.0-or-later
// How to watch and end a computation.
#pragma once

#include <atomic>
#include <stop_token>

namespace anvil {

struct Control {
  std::stop_token stop;
  std::atomic<double>* progress = nullptr;  ///< 0 to 1, written by the computation
};

/// Thrown inside computations when their stop token was triggered; caught by whoever started them.
struct Stopped {};

/// Throws Stopped when asked to stop.
inline void check_stop(const Control& control) {
  if (control.stop.stop_requested()) throw Stopped{};
}

}  // namespace anvil
