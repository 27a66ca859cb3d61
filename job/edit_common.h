// SPDX-License-Identifier: GPL-3.0-or-later
// What the files of edit.h share; nobody else includes it.
#pragma once

#include <algorithm>

#include "job/edit.h"

namespace anvil::edit {

inline bool contains(const std::vector<PartId>& ids, PartId id) { return std::find(ids.begin(), ids.end(), id) != ids.end(); }

inline void replace(Job& job, Part part) {
  for (PartPtr& p : job.parts)
    if (p->id == part.id) {
      p = std::make_shared<const Part>(std::move(part));
      return;
    }
}

inline Step* step_of(Part& part, StepId id) {
  for (Step& step : part.recipe)
    if (step.id == id) return &step;
  return nullptr;
}

/// The rows among which a row stands, and its place there; null when there is none.
struct RowAt {
  std::vector<ToolUse>* rows = nullptr;
  std::size_t at = 0;
  ToolUse& row() const { return (*rows)[at]; }
};
inline RowAt row_at(std::vector<ToolUse>& rows, UseId id) {
  for (std::size_t k = 0; k < rows.size(); ++k) {
    if (rows[k].id == id) return {&rows, k};
    if (const RowAt inner = row_at(rows[k].inside, id); inner.rows != nullptr) return inner;
  }
  return {};
}
/// Does visit(row) for every row, also of trays.
void for_each_row(const std::vector<ToolUse>& rows, const auto& visit) {
  for (const ToolUse& row : rows) {
    visit(row);
    for_each_row(row.inside, visit);
  }
}
void for_each_row(std::vector<ToolUse>& rows, const auto& visit) {
  for (ToolUse& row : rows) {
    visit(row);
    for_each_row(row.inside, visit);
  }
}
/// Gives rows ids of their own.
inline void number_rows(Job& job, std::vector<ToolUse>& rows) {
  for_each_row(rows, [&](ToolUse& row) { row.id = job.next_use++; });
}
/// Takes out the rows for which `gone` holds, and trays that are empty by it. @return whether any went
bool take_rows_out(std::vector<ToolUse>& rows, const auto& gone) {
  const auto before = rows.size();
  bool any = false;
  std::erase_if(rows, [&](ToolUse& row) {
    if (gone(row)) return true;
    const bool inner = take_rows_out(row.inside, gone);
    any = any || inner;
    return inner && row.inside.empty();
  });
  return any || rows.size() != before;
}

inline Issue no_such_step() { return {"there is no such step any more", "", {}, "choose one that stands in the recipe"}; }
inline Issue no_such_row() { return {"there is no such tool any more", "", {}, "choose one that stands in the recipe"}; }

/// Lets a riding part stand on its own where it is now.
void stand_alone(const Job& before, Part& part);
/// Fastens without asking; `to` may be nothing.
Job fastened(const Job& job, PartId part, std::optional<PartId> to);
/// Would a part ride on itself if it rode on another?
bool rides_on(const Job& job, PartId part, PartId on);
/// Why a part cannot be made from another: a loop, with all parts on it named.
std::optional<Issue> loop_issue(const Job& job, PartId part, PartId needed);
/// The first loop there is in a job.
std::optional<Issue> any_loop(const Job& job);
/// Loosens a part from one that does not use it any more.
Job loosened_where_unused(const Job& before, const Job& job, PartId tool, PartId from);

}  // namespace anvil::edit
