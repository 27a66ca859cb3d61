// SPDX-License-Identifier: GPL-3.0-or-later
// What the stages throw where contact or rounding has left things that contradict each other: a segment that leaves its
// triangle, windings that disagree. combine() then tries another way. Never thrown for a programming error.
#pragma once

#include <exception>

namespace anvil::boolean {

class Contradiction : public std::exception {
 public:
  /// @param what  a text that lives on, as literals do
  explicit Contradiction(const char* what) : what_(what) {}
  const char* what() const noexcept override { return what_; }

 private:
  const char* what_;
};

/// It might have come to an end, but hardly in a time that anyone waits.
class GivenUp : public Contradiction {
 public:
  using Contradiction::Contradiction;
};

/// One pass of contact has brought ever more faces near each other: more passes will not do better.
class ContactDiverges : public Contradiction {
 public:
  using Contradiction::Contradiction;
};

/// There is more to be worked out than memory and patience hold, whatever way is taken.
class TooLarge : public Contradiction {
 public:
  using Contradiction::Contradiction;
};

}  // namespace anvil::boolean
