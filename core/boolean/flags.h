// SPDX-License-Identifier: GPL-3.0-or-later
// A yes or no for each of many elements that mostly all have the same answer.
#pragma once

#include <vector>

#include "core/types.h"

namespace anvil::boolean {

/// As long as all elements have one answer there is no array, and asking costs nothing.
class Flags {
 public:
  static Flags none() { return Flags(false); }
  static Flags all() { return Flags(true); }
  /// One answer for each element.
  static Flags of(std::vector<char> each) {
    Flags flags(false);
    flags.each_ = std::move(each);
    return flags;
  }
  Flags() = default;

  bool operator[](std::size_t i) const { return each_.empty() ? answer_ : each_[i] != 0; }
  /// All have the same answer, and no array has been asked for.
  bool uniform() const { return each_.empty(); }
  /// From here on an answer for each; must be called before set() and again after elements were added elsewhere.
  void spread(std::size_t count) {
    if (each_.empty()) each_.assign(count, answer_);
  }
  void set(std::size_t i, bool answer = true) { each_[i] = answer; }
  /// One more element; while all have one answer, the new one has it as well.
  void append(bool answer) {
    if (!each_.empty()) each_.push_back(answer);
  }

 private:
  explicit Flags(bool answer) : answer_(answer) {}
  std::vector<char> each_;
  bool answer_ = false;
};

}  // namespace anvil::boolean
