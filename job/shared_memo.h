// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <mutex>

namespace anvil {

/// What was once worked out of a value, kept beside it: copies share it, and threads may ask at one time.
template <class T>
class SharedMemo {
 public:
  SharedMemo() = default;
  SharedMemo(const SharedMemo& other) : held_(other.held()) {}
  SharedMemo& operator=(const SharedMemo& other) {
    auto held = other.held();
    const std::lock_guard lock(mutex_);
    held_ = std::move(held);
    return *this;
  }
  /// What is kept if it still holds, else it is made anew. It stays until it no longer holds and is asked for again.
  template <class Holds, class Make>
  const T& get(const Holds& holds, const Make& make) const {
    const std::lock_guard lock(mutex_);
    if (held_ == nullptr || !holds(*held_)) held_ = std::make_shared<const T>(make());
    return *held_;
  }

 private:
  std::shared_ptr<const T> held() const {
    const std::lock_guard lock(mutex_);
    return held_;
  }
  mutable std::mutex mutex_;
  mutable std::shared_ptr<const T> held_;
};

}  // namespace anvil
