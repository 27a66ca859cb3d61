// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/background.h"

#include <sys/resource.h>
#include <tbb/task_scheduler_observer.h>

namespace anvil {
namespace {

constexpr int niceness = 10;

void lower() {
  // On Linux this is of the calling thread. Where it is refused, nothing is lost but smoothness.
  (void)setpriority(PRIO_PROCESS, 0, niceness);
}

class PoolObserver : public tbb::task_scheduler_observer {
 public:
  PoolObserver() { observe(true); }
  void on_scheduler_entry(bool is_worker) override {
    if (is_worker) lower();
  }
};

}  // namespace

void step_back_for_the_window() {
  static PoolObserver observer;
  lower();
}

}  // namespace anvil
