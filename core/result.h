// SPDX-License-Identifier: GPL-3.0-or-later
// How core functions say that something cannot be done: a value, or an Issue that a person can act on.
#pragma once

#include <string>
#include <utility>
#include <variant>
#include <vector>

#include "core/types.h"

namespace anvil {

/// A problem the user can act on: what happened, to which file or part, where, and what to do about it.
struct Issue {
  std::string what;
  std::string subject;       ///< file or part name; may be empty
  std::vector<Vec3> places;  ///< positions in the subject's own coordinates; may be empty
  std::string remedy;        ///< one imperative sentence; may be empty

  /// One line: "subject: what; remedy".
  std::string message() const {
    std::string line = subject.empty() ? what : subject + ": " + what;
    return remedy.empty() ? line : line + "; " + remedy;
  }
};

/// A value of type T, or the Issue that prevented it.
template <class T>
class Result {
 public:
  Result(T value) : state_(std::move(value)) {}
  Result(Issue issue) : state_(std::move(issue)) {}

  bool ok() const { return std::holds_alternative<T>(state_); }
  explicit operator bool() const { return ok(); }
  T& value() { return std::get<T>(state_); }
  const T& value() const { return std::get<T>(state_); }
  T* operator->() { return &value(); }
  const T* operator->() const { return &value(); }
  T& operator*() { return value(); }
  const T& operator*() const { return value(); }
  Issue& issue() { return std::get<Issue>(state_); }
  const Issue& issue() const { return std::get<Issue>(state_); }

 private:
  std::variant<T, Issue> state_;
};

}  // namespace anvil
