// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of a step's rows: tools and trays.
#include <fmt/format.h>

#include <map>

#include "job/edit_common.h"

namespace anvil::edit {
namespace {

/// Why a part cannot become a tool of a step.
std::optional<Issue> not_a_tool(const Job& job, const Part& host, const Step& step, PartId tool, bool is_live) {
  const Part& part = job.at(tool);
  if (is_live)
    if (auto issue = loop_issue(job, host.id, tool)) return issue;
  bool is_there = false;
  for_each_row(step.tools, [&](const ToolUse& row) { is_there = is_there || row.tool == tool; });
  if (is_there) return Issue{fmt::format("is a tool of this step of {} already", host.name), part.name, {}, "duplicate it to use it twice"};
  return locked_issue(job, {tool});
}

/// Why a row cannot stand in a tray: there tools make one body.
std::optional<Issue> not_in_a_tray(const Job& job, const ToolUse& row) {
  if (row.operation == Operation::unite || row.operation == Operation::difference || row.operation == Operation::intersection) return std::nullopt;
  return Issue{fmt::format("cannot {} inside a tray", key_of(row.operation)), row.is_tray() ? row.name : job.at(row.tool).name, {}, "use union, difference or intersection there"};
}

Result<Job> add_rows(const Job& job, StepId step, std::vector<ToolUse> rows, UseId tray) {
  const Job::Found found = job.find_step(step);
  if (!found) return no_such_step();
  const PartId host = found.part->id;
  if (auto issue = locked_issue(job, {host})) return *issue;
  if (found.step->kind->tools == ToolRule::none) return Issue{"takes no tools", found.step->shown_name(), {}, "add them to a step that combines"};
  for (const ToolUse& row : rows)
    if (!row.is_tray())
      if (auto issue = not_a_tool(job, *found.part, *found.step, row.tool, row.is_live())) return *issue;
  if (const ToolUse* into = tray == 0 ? nullptr : job.find_use(tray).use; into != nullptr && into->set != 0)
    return Issue{"holds a set", into->name, {}, "put the part into the set instead"};
  Job next = job;
  number_rows(next, rows);
  next = change_part(next, host, [&](Part& p) {
    Step& changed = *step_of(p, step);
    const RowAt into = row_at(changed.tools, tray);
    auto& list = tray != 0 && into.rows != nullptr ? into.row().inside : changed.tools;
    list.insert(list.end(), rows.begin(), rows.end());
  });
  for (const ToolUse& row : rows)
    if (!row.is_tray() && !next.at(row.tool).rides_on && !rides_on(next, host, row.tool)) next = fastened(next, row.tool, host);
  return next;
}

}  // namespace

Result<Job> combine(const Job& job, PartId part, const std::vector<PartId>& tools, Operation operation, const StepPlace& place) {
  const Part& host = job.at(part);
  if (tools.empty())
    return Issue{"there is no tool to combine with", host.name, {}, "choose the part first, then one or more tools"};
  const Job::Found behind = job.find_step(place.behind);
  const Step* last = behind && behind.part->id == part ? behind.step : host.recipe.empty() ? nullptr : &host.recipe.back();
  if (last != nullptr && last->kind == &steps::combine) return add_tools(job, last->id, tools, operation);
  StepId step = 0;
  const Result<Job> with_step = add_step(job, part, new_step(steps::combine), &step, place);
  return with_step ? add_tools(*with_step, step, tools, operation) : with_step;
}

Result<Job> add_tools(const Job& job, StepId step, const std::vector<PartId>& tools, Operation operation, UseId tray) {
  std::vector<ToolUse> rows;
  for (PartId tool : tools) rows.push_back({0, tool, operation, true});
  return add_rows(job, step, std::move(rows), tray);
}

Result<Job> add_kept_tool(const Job& job, StepId step, PartId tool, std::shared_ptr<const Mesh> kept, Operation operation, UseId tray) {
  ToolUse row{0, tool, operation, true};
  row.kept = std::move(kept);
  return add_rows(job, step, {row}, tray);
}

Result<Job> add_set_tray(const Job& job, StepId step, SetId set, Operation operation, UseId* id) {
  const PartSet* held = job.find_set(set);
  const Job::Found found = job.find_step(step);
  if (held == nullptr || !found) return no_such_step();
  if (found.step->kind != &steps::combine) return Issue{"takes no trays", found.step->shown_name(), {}, "add it to a step that combines"};
  for (PartId part : held->parts)
    if (auto issue = loop_issue(job, found.part->id, part)) return *issue;
  ToolUse tray;
  tray.operation = operation;
  tray.name = held->name;
  tray.set = set;
  if (id != nullptr) *id = job.next_use;
  return add_rows(job, step, {tray}, 0);
}

Result<Job> change_use(const Job& job, UseId use, const std::function<void(ToolUse&)>& change) {
  const Job::FoundUse found = job.find_use(use);
  if (!found) return no_such_row();
  if (auto issue = locked_issue(job, {found.part->id, found.use->tool})) return *issue;
  ToolUse changed = *found.use;
  change(changed);
  changed.id = use;
  changed.tool = found.use->tool;
  const bool in_tray = std::none_of(found.step->tools.begin(), found.step->tools.end(), [&](const ToolUse& row) { return row.id == use; });
  if (in_tray && changed.operation != found.use->operation)
    if (auto issue = not_in_a_tray(job, changed)) return *issue;
  return change_part(job, found.part->id, [&](Part& p) { row_at(step_of(p, found.step->id)->tools, use).row() = std::move(changed); });
}

Result<Job> release_use(const Job& job, UseId use) {
  const Job::FoundUse found = job.find_use(use);
  if (!found) return no_such_row();
  std::vector<PartId> tools;
  for_each_row({*found.use}, [&](const ToolUse& row) {
    if (!row.is_tray()) tools.push_back(row.tool);
  });
  const PartId host = found.part->id;
  if (auto issue = locked_issue(job, {host})) return *issue;
  if (auto issue = locked_issue(job, tools)) return *issue;
  Job next = change_part(job, host, [&](Part& p) {
    std::erase_if(p.recipe, [&](Step& step) {
      const bool taken = take_rows_out(step.tools, [&](const ToolUse& row) { return row.id == use; });
      return taken && step.tools.empty() && goes_with_tools(step.kind->tools);
    });
  });
  for (PartId tool : tools) next = loosened_where_unused(job, next, tool, host);
  return next;
}

Result<Job> release_tool(const Job& job, PartId tool) {
  Result<Job> next = job;
  // A part that serves by its set is no row that could be released.
  for (const Job::Use& use : job.uses_of(tool))
    if (next && job.find_use(use.id).use->tool == tool) next = release_use(*next, use.id);
  return next;
}

Result<Job> keep_tool(const Job& job, UseId use, std::shared_ptr<const Mesh> kept) {
  const Job::FoundUse found = job.find_use(use);
  if (!found || found.use->is_tray()) return no_such_row();
  if (kept == nullptr)
    if (auto issue = loop_issue(job, found.part->id, found.use->tool)) return *issue;
  return change_use(job, use, [&](ToolUse& row) { row.kept = kept; });
}

Result<Job> move_uses(const Job& job, const std::vector<UseId>& uses, const RowPlace& to) {
  const Job::Found target = job.find_step(to.step);
  if (!target) return no_such_step();
  const PartId host = target.part->id;
  if (auto issue = locked_issue(job, {host})) return *issue;
  const ToolUse* tray = to.tray == 0 ? nullptr : job.find_use(to.tray).use;
  if (to.tray != 0 && (tray == nullptr || !tray->is_tray())) return no_such_row();
  if (tray != nullptr && tray->set != 0) return Issue{"holds a set", tray->name, {}, "put the part into the set instead"};
  for (UseId use : uses) {
    const Job::FoundUse found = job.find_use(use);
    if (!found || found.part->id != host) return no_such_row();
    bool into_itself = false, is_there = false;
    for_each_row({*found.use}, [&](const ToolUse& row) { into_itself = into_itself || (to.tray != 0 && row.id == to.tray); });
    if (into_itself) return Issue{"cannot be put into itself", found.use->name, {}, "choose another tray"};
    if (target.step->kind != &steps::combine && (found.use->is_tray() || to.tray != 0)) return Issue{"takes no trays", target.step->shown_name(), {}, "choose a step that combines"};
    if (target.step->kind->tools == ToolRule::none) return Issue{"takes no tools", target.step->shown_name(), {}, "choose a step that combines"};
    if (found.step->id == to.step) continue;
    for_each_row(target.step->tools, [&](const ToolUse& row) { is_there = is_there || (!row.is_tray() && row.tool == found.use->tool); });
    if (is_there) return Issue{"is a tool of that step already", job.at(found.use->tool).name, {}, "duplicate it to use it twice"};
  }
  // By what the tray does where a row stands now; nothing where it stands straight in its step.
  const auto tray_of = [&](UseId use) -> const ToolUse* {
    for (const Step& step : job.at(host).recipe) {
      const ToolUse* found = nullptr;
      for_each_row(step.tools, [&](const ToolUse& row) {
        for (const ToolUse& inner : row.inside)
          if (inner.id == use) found = &row;
      });
      if (found != nullptr) return found;
    }
    return nullptr;
  };
  std::optional<Issue> misfit;
  Job next = change_part(job, host, [&](Part& p) {
    // Counted before anything is taken out: the row that they are put before is remembered by its id.
    const auto rows_there = [&]() -> std::vector<ToolUse>& {
      Step& step = *step_of(p, to.step);
      return to.tray == 0 ? step.tools : row_at(step.tools, to.tray).row().inside;
    };
    UseId before = 0;
    for (std::size_t k = to.at; k < rows_there().size() && before == 0; ++k)
      if (std::find(uses.begin(), uses.end(), rows_there()[k].id) == uses.end()) before = rows_there()[k].id;
    std::vector<ToolUse> moved;
    for (UseId use : uses)
      for (Step& step : p.recipe)
        if (const RowAt at = row_at(step.tools, use); at.rows != nullptr) {
          moved.push_back(std::move(at.row()));
          // It goes on doing to the part what it did: what only united in a tray did what the tray does.
          if (const ToolUse* from = tray_of(use); from != tray) {
            if (from != nullptr && moved.back().operation == Operation::unite) moved.back().operation = from->operation;
            if (tray != nullptr && moved.back().operation == tray->operation) moved.back().operation = Operation::unite;
            if (tray != nullptr && !misfit) misfit = not_in_a_tray(job, moved.back());
          }
          at.rows->erase(at.rows->begin() + static_cast<std::ptrdiff_t>(at.at));
          break;
        }
    auto& rows = rows_there();
    const auto place = before == 0 ? rows.end() : std::find_if(rows.begin(), rows.end(), [&](const ToolUse& row) { return row.id == before; });
    rows.insert(place, std::make_move_iterator(moved.begin()), std::make_move_iterator(moved.end()));
    // A step that took tools and has none left does nothing; it goes with the last of them.
    std::erase_if(p.recipe, [&](const Step& step) {
      return step.id != to.step && step.tools.empty() && goes_with_tools(step.kind->tools) && (step.kind->tools == ToolRule::needed || !job.find_step(step.id).step->tools.empty());
    });
  });
  if (misfit) return *misfit;
  return next;
}

Result<Job> add_tray(const Job& job, const std::vector<UseId>& uses, const std::string& name, UseId* id) {
  if (uses.empty()) return Issue{"there is nothing to put into a tray", "", {}, "choose tools of one step"};
  const Job::FoundUse first = job.find_use(uses.front());
  if (!first) return no_such_row();
  if (first.step->kind != &steps::combine) return Issue{"takes no trays", first.step->shown_name(), {}, "trays are for steps that combine"};
  for (UseId use : uses) {
    const Job::FoundUse found = job.find_use(use);
    if (!found || found.step->id != first.step->id) return Issue{"are not all in one step", "the chosen tools", {}, "choose tools of one step"};
  }
  if (auto issue = locked_issue(job, {first.part->id})) return *issue;
  Job next = job;
  ToolUse tray;
  tray.id = next.next_use++;
  tray.name = name;
  tray.operation = first.use->operation;
  if (id != nullptr) *id = tray.id;
  next = change_part(next, first.part->id, [&](Part& p) {
    const RowAt at = row_at(step_of(p, first.step->id)->tools, uses.front());
    at.rows->insert(at.rows->begin() + static_cast<std::ptrdiff_t>(at.at), tray);
  });
  return move_uses(next, uses, {first.step->id, tray.id, 0});
}

Result<Job> dissolve_tray(const Job& job, UseId tray) {
  const Job::FoundUse found = job.find_use(tray);
  if (!found || !found.use->is_tray()) return no_such_row();
  if (auto issue = locked_issue(job, {found.part->id})) return *issue;
  Job next = job;
  std::vector<ToolUse> rows = job.rows_of(*found.use);
  if (found.use->set != 0) number_rows(next, rows);
  for (ToolUse& row : rows)
    if (row.operation == Operation::unite) row.operation = found.use->operation;
  return change_part(next, found.part->id, [&](Part& p) {
    const RowAt at = row_at(step_of(p, found.step->id)->tools, tray);
    const auto place = at.rows->erase(at.rows->begin() + static_cast<std::ptrdiff_t>(at.at));
    at.rows->insert(place, rows.begin(), rows.end());
  });
}

Result<Job> swap_roles(const Job& job, UseId use) {
  const Job::FoundUse found = job.find_use(use);
  if (!found || found.use->is_tray()) return no_such_row();
  const PartId host = found.part->id, tool = found.use->tool;
  const StepId step = found.step->id;
  if (auto issue = locked_issue(job, {host, tool})) return *issue;
  if (!found.use->is_live()) return Issue{"is kept as it was and cannot take the part's place", job.at(tool).name, {}, "let it follow its recipe first"};
  Job next = job;
  // Whatever else uses the tool goes on with a copy.
  const auto is_elsewhere = [&](const Part& part) {
    const auto* source = std::get_if<PartSource>(&part.source);
    if (source != nullptr && source->part == tool && source->kept == nullptr) return true;
    bool any = false;
    for (const Step& s : part.recipe) for_each_row(s.tools, [&](const ToolUse& row) { any = any || (row.tool == tool && row.id != use); });
    return any;
  };
  const bool in_a_set = std::any_of(job.sets.begin(), job.sets.end(), [&](const PartSet& set) { return contains(set.parts, tool); });
  if (in_a_set || std::any_of(job.parts.begin(), job.parts.end(), [&](const PartPtr& p) { return is_elsewhere(*p); })) {
    Part copy = job.at(tool);
    for (Step& s : copy.recipe) number_rows(next, s.tools);
    PartId twin = 0;
    next = add_part(next, std::move(copy), &twin);
    for (const PartPtr& part : job.parts)
      if (is_elsewhere(*part))
        next = change_part(next, part->id, [&](Part& p) {
          if (auto* source = std::get_if<PartSource>(&p.source); source != nullptr && source->part == tool) source->part = twin;
          for (Step& s : p.recipe)
            for_each_row(s.tools, [&](ToolUse& row) {
              if (row.tool == tool && row.id != use) row.tool = twin;
            });
        });
    for (PartSet& set : next.sets) std::replace(set.parts.begin(), set.parts.end(), tool, twin);
  }
  for (PartSet& set : next.sets) std::replace(set.parts.begin(), set.parts.end(), host, tool);
  // What used the result of the part uses it still, under the tool's name.
  for (const PartPtr& part : job.parts) {
    if (part->id == host || part->id == tool) continue;
    next = change_part(next, part->id, [&](Part& p) {
      if (auto* source = std::get_if<PartSource>(&p.source); source != nullptr && source->part == host && source->kept == nullptr) source->part = tool;
      for (Step& s : p.recipe)
        for_each_row(s.tools, [&](ToolUse& row) {
          if (row.tool == host && row.is_live()) row.tool = tool;
        });
    });
  }
  const bool rode = job.at(tool).rides_on == host;
  std::map<PartId, Affine> stood;
  for (const PartPtr& part : next.parts) stood[part->id] = next.world_of(part->id);
  std::vector<Step> after;
  next = change_part(next, host, [&](Part& p) {
    const auto from = std::find_if(p.recipe.begin(), p.recipe.end(), [&](const Step& s) { return s.id == step; });
    after.assign(from, p.recipe.end());
    p.recipe.erase(from, p.recipe.end());
  });
  row_at(after.front().tools, use).row().tool = host;
  next = change_part(next, tool, [&](Part& p) { p.recipe.insert(p.recipe.end(), after.begin(), after.end()); });
  // Who rode on the part as a tool of these steps rides on the one that has them now.
  std::vector<PartId> moved;
  for (const Step& s : after)
    for_each_row(s.tools, [&](const ToolUse& row) {
      if (!row.is_tray() && row.tool != host && next.at(row.tool).rides_on == host) moved.push_back(row.tool);
    });
  const auto outer = job.at(host).rides_on;
  next = change_part(next, tool, [&](Part& p) { p.rides_on = outer == tool ? std::nullopt : outer; });
  if (rode) next = change_part(next, host, [&](Part& p) { p.rides_on = tool; });
  for (PartId id : moved) next = change_part(next, id, [&](Part& p) { p.rides_on = tool; });
  for (PartId id : {tool, host}) next = change_part(next, id, [&](Part& p) { p.placement = placement_for_world(next, id, stood[id]); });
  for (PartId id : moved) next = change_part(next, id, [&](Part& p) { p.placement = placement_for_world(next, id, stood[id]); });
  if (auto issue = any_loop(next)) return *issue;
  for (const PartPtr& part : job.parts)
    if (part->locked && !(next.at(part->id) == *part)) return *locked_issue(job, {part->id});
  return next;
}

}  // namespace anvil::edit
