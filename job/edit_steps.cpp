// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of recipes: steps, sources and sets.
#include <fmt/format.h>

#include <map>

#include "job/edit_common.h"

namespace anvil::edit {
namespace {

std::vector<Step>::iterator place_in(Part& part, const StepPlace& place) {
  const auto behind = std::find_if(part.recipe.begin(), part.recipe.end(), [&](const Step& s) { return s.id == place.behind; });
  return behind == part.recipe.end() ? behind : behind + 1;
}

std::vector<PartId> tools_in(const std::vector<Step>& recipe) {
  std::vector<PartId> tools;
  for (const Step& step : recipe)
    for_each_row(step.tools, [&](const ToolUse& row) {
      if (!row.is_tray()) tools.push_back(row.tool);
    });
  return tools;
}

std::string free_set_name(const Job& job, const std::string& wanted) {
  const auto taken = [&](const std::string& name) { return std::any_of(job.sets.begin(), job.sets.end(), [&](const PartSet& s) { return s.name == name; }); };
  if (!taken(wanted)) return wanted;
  for (int n = 2;; ++n)
    if (const std::string name = fmt::format("{} {}", wanted, n); !taken(name)) return name;
}

}  // namespace

Result<Job> add_step(const Job& job, PartId part, Step step, StepId* id, const StepPlace& place) {
  if (auto issue = locked_issue(job, {part})) return *issue;
  Job next = job;
  step.id = next.next_step++;
  number_rows(next, step.tools);
  if (id != nullptr) *id = step.id;
  return change_part(next, part, [&](Part& p) { p.recipe.insert(place_in(p, place), std::move(step)); });
}

Result<Job> change_step(const Job& job, StepId id, const std::function<void(Step&)>& change) {
  const Job::Found found = job.find_step(id);
  if (!found) return no_such_step();
  if (auto issue = locked_issue(job, {found.part->id})) return *issue;
  Step step = *found.step;
  change(step);
  step.id = id;
  if (auto issue = check_values(step.kind->fields, step.fields)) {
    issue->subject = step.shown_name();
    return *issue;
  }
  return change_part(job, found.part->id, [&](Part& p) { *step_of(p, id) = std::move(step); });
}

Result<Job> remove_step(const Job& job, StepId id) {
  const Job::Found found = job.find_step(id);
  if (!found) return no_such_step();
  const PartId host = found.part->id;
  if (auto issue = locked_issue(job, {host})) return *issue;
  const std::vector<PartId> tools = tools_in({*found.step});
  if (auto issue = locked_issue(job, tools)) return *issue;
  Job next = change_part(job, host, [&](Part& p) { std::erase_if(p.recipe, [&](const Step& s) { return s.id == id; }); });
  for (PartId tool : tools) next = loosened_where_unused(job, next, tool, host);
  return next;
}

Result<Job> move_step(const Job& job, StepId id, std::size_t to) {
  const Job::Found found = job.find_step(id);
  if (!found) return no_such_step();
  if (auto issue = locked_issue(job, {found.part->id})) return *issue;
  return change_part(job, found.part->id, [&](Part& p) {
    const auto at = std::find_if(p.recipe.begin(), p.recipe.end(), [&](const Step& s) { return s.id == id; });
    Step step = std::move(*at);
    p.recipe.erase(at);
    p.recipe.insert(p.recipe.begin() + static_cast<std::ptrdiff_t>(std::min(to, p.recipe.size())), std::move(step));
  });
}

Result<Job> copy_steps(const Job& job, const std::vector<StepId>& steps, PartId to, const StepPlace& place, std::vector<StepId>* ids) {
  Result<Job> next = job;
  StepPlace at = place;
  for (StepId id : steps) {
    const Job::Found found = job.find_step(id);
    if (!found) return no_such_step();
    std::optional<Issue> issue;
    for_each_row(found.step->tools, [&](const ToolUse& row) {
      if (!issue && !row.is_tray() && row.is_live()) issue = loop_issue(job, to, row.tool);
    });
    if (issue) return *issue;
    StepId made = 0;
    next = add_step(*next, to, *found.step, &made, at);
    if (!next) return next;
    if (at.behind != 0) at.behind = made;
    if (ids != nullptr) ids->push_back(made);
  }
  if (auto issue = any_loop(*next)) return *issue;
  return next;
}

Result<Job> add_part_from(const Job& job, PartId part, std::shared_ptr<const Mesh> kept, PartId* id) {
  const Part& from = job.at(part);
  Part made;
  made.name = from.name + " result";
  made.source = PartSource{part, std::move(kept)};
  made.tint = from.tint;
  made.placement = Placement::of(job.world_of(part), from.placement.scale);
  return add_part(job, std::move(made), id);
}

Result<Job> keep_source(const Job& job, PartId part, std::shared_ptr<const Mesh> kept) {
  const auto* source = std::get_if<PartSource>(&job.at(part).source);
  if (source == nullptr) return Issue{"is not made from another part", job.at(part).name, {}, "choose one that is"};
  if (kept == nullptr) {
    if (job.find(source->part) == nullptr) return Issue{"cannot follow a part that is deleted", job.at(part).name, {}, "undo the deletion, or go on with the snapshot"};
    if (auto issue = loop_issue(job, part, source->part)) return *issue;
  }
  return change_unlocked(job, part, [&](Part& p) { std::get<PartSource>(p.source).kept = kept; });
}

Result<Job> forge(const Job& job, PartId part, std::shared_ptr<const Mesh> result) {
  if (auto issue = locked_issue(job, {part})) return *issue;
  const Part& was = job.at(part);
  if (result->empty()) return Issue{"is empty and cannot be forged", was.name, {}, "look at its recipe"};
  Job next = change_part(job, part, [&](Part& p) {
    p.source = ForgedSource{std::move(result), std::make_shared<const Forging>(Forging{was.source, was.recipe})};
    p.recipe.clear();
  });
  // Tools that nothing uses any more would stand in the result as parts.
  for (PartId tool : tools_in(was.recipe))
    if (!next.is_tool(tool)) next = change_part(next, tool, [](Part& p) { p.visible = false; });
  return next;
}

Result<Job> unforge(const Job& job, PartId part, std::size_t* left_out) {
  if (auto issue = locked_issue(job, {part})) return *issue;
  const auto* forged = std::get_if<ForgedSource>(&job.at(part).source);
  if (forged == nullptr) return Issue{"was not forged", job.at(part).name, {}, "choose one that was"};
  const Forging before = *forged->before;
  if (const auto* source = std::get_if<PartSource>(&before.source); source != nullptr && source->kept == nullptr) {
    if (job.find(source->part) == nullptr) return Issue{"was made from a part that is deleted", job.at(part).name, {}, "undo the deletion, or go on with what was forged"};
    if (auto issue = loop_issue(job, part, source->part)) return *issue;
  }
  std::size_t gone = 0;
  Job next = job;
  std::vector<Step> recipe = before.recipe;
  for (Step& step : recipe) {
    take_rows_out(step.tools, [&](const ToolUse& row) {
      const bool is_gone = !row.is_tray() && (job.find(row.tool) == nullptr || (row.is_live() && loop_issue(job, part, row.tool)));
      gone += is_gone;
      return is_gone;
    });
    // A copy of the part may have brought the same steps back already.
    step.id = next.next_step++;
    number_rows(next, step.tools);
  }
  next = change_part(next, part, [&](Part& p) {
    p.source = before.source;
    p.recipe.insert(p.recipe.begin(), recipe.begin(), recipe.end());
  });
  for (PartId tool : tools_in(next.at(part).recipe))
    if (!job.is_tool(tool)) next = change_part(next, tool, [](Part& p) { p.visible = true; });
  if (left_out != nullptr) *left_out = gone;
  if (auto issue = any_loop(next)) return *issue;
  return next;
}

Job add_set(const Job& job, const std::string& name, const std::vector<PartId>& parts, SetId* id) {
  Job next = job;
  PartSet set{next.next_set++, free_set_name(job, name), parts};
  if (id != nullptr) *id = set.id;
  next.sets.push_back(std::move(set));
  return next;
}

Result<Job> change_set(const Job& job, SetId id, const std::function<void(PartSet&)>& change) {
  Job next = job;
  for (PartSet& set : next.sets)
    if (set.id == id) {
      change(set);
      set.id = id;
      std::vector<PartId> once;
      for (PartId part : set.parts)
        if (job.find(part) != nullptr && !contains(once, part)) once.push_back(part);
      set.parts = std::move(once);
    }
  if (auto issue = any_loop(next)) return *issue;
  return next;
}

Job remove_set(const Job& job, SetId id) {
  Job next = job;
  for (const PartPtr& part : job.parts) {
    Part changed = *part;
    for (Step& step : changed.recipe)
      for_each_row(step.tools, [&](ToolUse& row) {
        if (!row.is_tray() || row.set != id) return;
        row.inside = job.rows_of(row);
        row.set = 0;
        number_rows(next, row.inside);
      });
    if (!(changed == *part)) replace(next, std::move(changed));
  }
  std::erase_if(next.sets, [&](const PartSet& set) { return set.id == id; });
  return next;
}

}  // namespace anvil::edit
