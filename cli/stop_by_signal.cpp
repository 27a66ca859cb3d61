// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/stop_by_signal.h"

#include <chrono>
#include <csignal>
#include <ctime>

#include "core/io/replacement.h"

namespace anvil::cli {
namespace {

sigset_t ending_signals() {
  sigset_t set;
  sigemptyset(&set);
  for (const int signal : {SIGINT, SIGTERM, SIGHUP}) {
    struct sigaction now;
    if (sigaction(signal, nullptr, &now) == 0 && now.sa_handler == SIG_IGN) continue;  // as nohup wants it
    sigaddset(&set, signal);
  }
  return set;
}

void let_end(int signal) {
  std::signal(signal, SIG_DFL);
  sigset_t set;
  sigemptyset(&set);
  sigaddset(&set, signal);
  pthread_sigmask(SIG_UNBLOCK, &set, nullptr);
}

}  // namespace

StopBySignal::StopBySignal() {
  const sigset_t set = ending_signals();
  pthread_sigmask(SIG_BLOCK, &set, nullptr);  // in all threads that come after
  waiting_ = std::thread([this, set] {
    while (!over_) {
      const timespec a_while{0, 20'000'000};
      const int signal = sigtimedwait(&set, nullptr, &a_while);
      if (signal <= 0) continue;
      signal_ = signal;
      source_.request_stop();
      let_end(signal);  // here, where a second one then arrives
      // What is not heard in time, as while a file is read, is not waited for.
      for (int k = 0; k < 6 && !over_; ++k) std::this_thread::sleep_for(std::chrono::milliseconds(10));
      if (over_) return;
      abandon_replacements();
      std::raise(signal);
    }
  });
}

StopBySignal::~StopBySignal() {
  over_ = true;
  waiting_.join();
}

int StopBySignal::end_by_signal() {
  const int signal = signal_;
  let_end(signal);
  std::raise(signal);
  return 128 + signal;
}

}  // namespace anvil::cli
