// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/cast.h"

#include <algorithm>
#include <charconv>
#include <map>

namespace anvil {
namespace {

constexpr char token_begin = '\x01', token_end = '\x02';

/// Replaces the token for each place by what `text_for` gives.
template <class Function>
std::string replaced(const std::string& text, Function text_for) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    std::size_t place = 0;
    const std::size_t end = text.find(token_end, at);
    if (text[at] == token_begin && end != std::string::npos &&
        std::from_chars(text.data() + at + 1, text.data() + end, place).ec == std::errc()) {
      out += text_for(place);
      at = end + 1;
    } else {
      out += text[at++];
    }
  }
  return out;
}

}  // namespace

std::vector<const Step*> active_steps(const Job& job, const Part& part) {
  std::vector<const Step*> steps;
  for (const Step& step : part.recipe)
    if (step.on && (!goes_with_tools(step.kind->tools) || (step.kind->tools == ToolRule::instead && step.tools.empty()) || !active_rows(job, step.tools).empty())) steps.push_back(&step);
  return steps;
}

std::vector<ToolUse> active_rows(const Job& job, const std::vector<ToolUse>& rows) {
  std::vector<ToolUse> active;
  for (const ToolUse& row : rows) {
    if (!row.on) continue;
    ToolUse used = row;
    if (row.is_tray())
      used.inside = active_rows(job, job.rows_of(row));
    if (row.is_tray() ? !used.inside.empty() : job.find(row.tool) != nullptr) active.push_back(std::move(used));
  }
  return active;
}

struct Cast::Member {
  struct Entry {
    std::shared_ptr<const Member> member;  ///< null: a step, or what is kept of a part
    PartId kept = 0;
    StepId step = 0;
    std::uint64_t parts, steps;  ///< before it
  };
  PartId part;
  std::vector<Entry> entries;
  std::uint64_t parts = 1, steps = 0;

  void add(std::shared_ptr<const Member> other) {
    const std::uint64_t before = parts, steps_before = steps;
    parts = std::min<std::uint64_t>(no_index, parts + other->parts);
    steps = std::min<std::uint64_t>(no_index, steps + other->steps);
    entries.push_back({std::move(other), 0, 0, before, steps_before});
  }
  void add_kept(PartId id) { entries.push_back({nullptr, id, 0, parts, steps}), parts = std::min<std::uint64_t>(no_index, parts + 1); }
  void add_step(StepId id) { entries.push_back({nullptr, 0, id, parts, steps}), steps = std::min<std::uint64_t>(no_index, steps + 1); }
  /// The last entry that begins at a place or before it.
  const Entry& at(std::uint64_t Entry::*begin, std::uint64_t place) const {
    return *(std::upper_bound(entries.begin(), entries.end(), place, [&](std::uint64_t value, const Entry& entry) { return value < entry.*begin; }) - 1);
  }
};

/// Makes the cast of each part once.
class CastMaker {
 public:
  explicit CastMaker(const Job& job) : job_(job) {}

  std::shared_ptr<const Cast::Member> of(PartId id) {
    if (const auto known = made_.find(id); known != made_.end()) return known->second;
    auto made = std::make_shared<Cast::Member>();
    made->part = id;
    const Part& part = job_.at(id);
    if (const auto* source = std::get_if<PartSource>(&part.source); source != nullptr && source->kept == nullptr && job_.find(source->part) != nullptr) made->add(of(source->part));
    for (const Step* step : active_steps(job_, part)) {
      add(active_rows(job_, step->tools), *made);
      made->add_step(step->id);
    }
    return made_[id] = std::move(made);
  }
  static Cast cast(std::shared_ptr<const Cast::Member> member) {
    Cast cast;
    cast.member_ = std::move(member);
    return cast;
  }

 private:
  void add(const std::vector<ToolUse>& rows, Cast::Member& to) {
    for (const ToolUse& row : rows)
      if (row.is_tray())
        add(row.inside, to);
      else if (row.is_live())
        to.add(of(row.tool));
      else
        to.add_kept(row.tool);
  }

  const Job& job_;
  std::map<PartId, std::shared_ptr<const Cast::Member>> made_;
};

Cast cast_of(const Job& job, PartId id) { return CastMaker::cast(CastMaker(job).of(id)); }

Cast::Cast(PartId part) {
  auto alone = std::make_shared<Member>();
  alone->part = part;
  member_ = std::move(alone);
}

Index Cast::part_count() const { return member_ ? static_cast<Index>(member_->parts) : 0; }
Index Cast::step_count() const { return member_ ? static_cast<Index>(member_->steps) : 0; }

PartId Cast::part(std::size_t place) const {
  if (place >= part_count()) return 0;
  const Member* member = member_.get();
  for (std::uint64_t at = place; at > 0;) {
    const Member::Entry& entry = member->at(&Member::Entry::parts, at);
    if (entry.member == nullptr) return entry.kept;
    at -= entry.parts;
    member = entry.member.get();
  }
  return member->part;
}

StepId Cast::step(std::size_t place) const {
  if (place >= step_count()) return 0;
  const Member* member = member_.get();
  for (std::uint64_t at = place;;) {
    const Member::Entry& entry = member->at(&Member::Entry::steps, at);
    if (entry.member == nullptr) return entry.step;
    at -= entry.steps;
    member = entry.member.get();
  }
}

std::string cast_token(std::size_t place) { return token_begin + std::to_string(place) + token_end; }

std::string shifted_tokens(const std::string& text, std::size_t offset) {
  return replaced(text, [&](std::size_t place) { return cast_token(place + offset); });
}

std::string with_names(const Job& job, const Cast& cast, const std::string& text) {
  return replaced(text, [&](std::size_t place) {
    const Part* named = job.find(cast.part(place));
    return named != nullptr ? named->name : std::string("a deleted part");
  });
}

Issue with_names(const Job& job, const Cast& cast, Issue issue) {
  for (std::string* text : {&issue.what, &issue.subject, &issue.remedy}) *text = with_names(job, cast, *text);
  return issue;
}

PartId part_of_token(const Cast& cast, const std::string& text) {
  PartId found = 0;
  replaced(text, [&](std::size_t place) {
    found = cast.part(place);
    return std::string();
  });
  return found;
}

}  // namespace anvil
