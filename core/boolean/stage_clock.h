// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <chrono>

#include "core/control.h"
#include "core/report.h"

namespace anvil::boolean {

/// Times the stages and reports progress.
class StageClock {
 public:
  using Clock = std::chrono::steady_clock;
  StageClock(OperationReport& report, const Control& control) : report_(report), control_(control) {}
  template <class Work>
  auto operator()(const char* name, double until, Work work) {
    check_stop(control_);
    const auto begin = Clock::now();
    auto result = work();
    const double seconds = std::chrono::duration<double>(Clock::now() - begin).count();
    if (control_.progress != nullptr) *control_.progress = std::max(control_.progress->load(), until);
    for (auto& stage : report_.stages)
      if (stage.name == name) {
        stage.seconds += seconds;
        return result;
      }
    report_.stages.push_back({name, seconds});
    return result;
  }

 private:
  OperationReport& report_;
  const Control& control_;
};

}  // namespace anvil::boolean
