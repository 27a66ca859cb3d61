// SPDX-License-Identifier: GPL-3.0-or-later
// Undo without limit: every version of the job since it was opened.
#pragma once

#include "job/job.h"

namespace anvil {

class History {
 public:
  explicit History(Job job = {}) { reset(std::move(job)); }

  /// The version that is shown: the preview while there is one, else the current entry.
  const JobPtr& current() const { return preview_ ? preview_ : entries_[at_].job; }
  /// The version that undo knows, without any preview.
  const JobPtr& committed() const { return entries_[at_].job; }

  /// A passing version, as while something is being dragged; replaced by the next one.
  void preview(Job job) { preview_ = std::make_shared<const Job>(std::move(job)); }
  void drop_preview() { preview_.reset(); }

  /// Makes a version permanent; what had been undone is gone.
  void commit(std::string label, Job job);

  bool can_undo() const { return at_ > 0; }
  bool can_redo() const { return at_ + 1 < entries_.size(); }
  /// Name of the change that undo would take back, or redo bring again.
  std::string undo_label() const { return can_undo() ? entries_[at_].label : ""; }
  std::string redo_label() const { return can_redo() ? entries_[at_ + 1].label : ""; }
  void undo();
  void redo();
  /// How many versions there are, the first of them without a change; which one is shown; the change that made each.
  std::size_t size() const { return entries_.size(); }
  std::size_t place() const { return at_; }
  const std::string& label(std::size_t place) const { return entries_[place].label; }
  /// Undoes or redoes up to a version.
  void go_to(std::size_t place);

  /// Starts over with a job that counts as saved.
  void reset(Job job);
  /// The version that a file holds now.
  void mark_saved(JobPtr version) { saved_ = std::move(version); }
  bool saved() const { return saved_ == entries_[at_].job; }

 private:
  struct Entry {
    std::string label;
    JobPtr job;
  };
  std::vector<Entry> entries_;
  std::size_t at_ = 0;
  JobPtr preview_, saved_;
};

}  // namespace anvil
