// SPDX-License-Identifier: GPL-3.0-or-later
// Ctrl+C and the like as a stop token, so that what is under way is taken back before the program ends.
#pragma once

#include <atomic>
#include <stop_token>
#include <thread>

namespace anvil::cli {

/// From its making on SIGINT, SIGTERM and SIGHUP ask for a stop. Where that is not heard within 60 milliseconds the program ends all the same, and
/// the files that it was writing go. A second signal ends it at once.
/// To be made before any other thread.
class StopBySignal {
 public:
  StopBySignal();
  ~StopBySignal();
  StopBySignal(const StopBySignal&) = delete;
  StopBySignal& operator=(const StopBySignal&) = delete;
  std::stop_token token() const { return source_.get_token(); }
  /// Ends the program as the signal would have. @return an exit code, where that did not end it
  int end_by_signal();

 private:
  std::stop_source source_;
  std::atomic<int> signal_ = 0;
  std::atomic<bool> over_ = false;
  std::thread waiting_;
};

}  // namespace anvil::cli
