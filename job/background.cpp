// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/background.h"

#include <sys/resource.h>
#include <tbb/task_scheduler_observer.h>

namespace anvil {
namespace {

constexpr int behind_the_window = 5, behind_a_drag = 10;  // niceness: with 5 more, a thread gets about a third

void lower(int niceness) {
  // On Linux this is of the calling thread. Where it is refused, nothing is lost but smoothness.
  (void)setpriority(PRIO_PROCESS, 0, niceness);
}

class PoolObserver : public tbb::task_scheduler_observer {
 public:
  PoolObserver() { observe(true); }
  void on_scheduler_entry(bool is_worker) override {
    if (is_worker) lower(behind_a_drag);
  }
};

}  // namespace

void step_back(Behind behind) {
  static PoolObserver observer;
  lower(behind == Behind::window ? behind_the_window : behind_a_drag);
}

}  // namespace anvil
