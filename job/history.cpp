// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/history.h"

#include <algorithm>

namespace anvil {

void History::commit(std::string label, Job job) {
  preview_.reset();
  entries_.resize(at_ + 1);
  entries_.push_back({std::move(label), std::make_shared<const Job>(std::move(job))});
  ++at_;
}

void History::undo() {
  preview_.reset();
  if (can_undo()) --at_;
}

void History::redo() {
  preview_.reset();
  if (can_redo()) ++at_;
}

void History::go_to(std::size_t place) {
  preview_.reset();
  at_ = std::min(place, entries_.size() - 1);
}

void History::reset(Job job) {
  preview_.reset();
  entries_.clear();
  entries_.push_back({"", std::make_shared<const Job>(std::move(job))});
  at_ = 0;
  mark_saved(entries_[at_].job);
}

}  // namespace anvil
