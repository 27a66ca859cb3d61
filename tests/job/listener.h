// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <mutex>
#include <optional>
#include <vector>

#include "job/evaluator.h"

namespace anvil::test {

/// An evaluator, and what it publishes.
struct Listener {
  std::mutex mutex;
  std::vector<Published> seen;
  Evaluator evaluator{[this](const Published& p) {
    const std::lock_guard lock(mutex);
    seen.push_back(p);
  }};

  std::vector<Published> of(PartId part) {
    const std::lock_guard lock(mutex);
    std::vector<Published> list;
    for (const Published& p : seen)
      if (p.part == part) list.push_back(p);
    return list;
  }
  std::uint64_t ask(const Job& job, PartId first, bool live = false, UpTo up_to = {}) {
    return evaluator.request(std::make_shared<const Job>(job), first, live, up_to);
  }
  /// What was published of a part for a request; with its report, where that is asked for.
  std::optional<Published> answer(PartId part, std::uint64_t request, bool checked = false) {
    const std::lock_guard lock(mutex);
    for (const Published& p : seen)
      if (p.part == part && p.request == request && (p.report || !checked)) return p;
    return std::nullopt;
  }
};

}  // namespace anvil::test
