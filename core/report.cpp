// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report.h"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>
#include <utility>

namespace anvil {

void OperationReport::add(OperationReport later) {
  std::move(later.done.begin(), later.done.end(), std::back_inserter(done));
  std::move(later.stages.begin(), later.stages.end(), std::back_inserter(stages));
  std::move(later.fallbacks.begin(), later.fallbacks.end(), std::back_inserter(fallbacks));
  seconds += later.seconds;
  moved = std::max(moved, later.moved);
  if (!later.empty_reason.empty()) empty_reason = std::move(later.empty_reason);
}

void OperationReport::begin_with(OperationReport earlier) {
  earlier.add(std::move(*this));
  *this = std::move(earlier);
}

std::string in_words(const OperationReport::Done& done) {
  return fmt::format(fmt::runtime(done.count == 1 ? done.note->one : done.note->many), done.count, done.part);
}

}  // namespace anvil
