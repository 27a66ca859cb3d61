// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/edit.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/mesh/sub_mesh.h"
#include "core/modify/find_again.h"

namespace anvil::edit {
namespace {

bool contains(const std::vector<PartId>& ids, PartId id) { return std::find(ids.begin(), ids.end(), id) != ids.end(); }

void replace(Job& job, Part part) {
  for (PartPtr& p : job.parts)
    if (p->id == part.id) {
      p = std::make_shared<const Part>(std::move(part));
      return;
    }
}

/// Lets a riding part stand on its own where it is now.
void stand_alone(const Job& before, Part& part) {
  if (!part.rides_on) return;
  const Affine world = before.world_of(part.id);
  part.rides_on.reset();
  part.placement = Placement::of(world, part.placement.scale);
}

/// Takes tools out of a recipe, and steps that are nothing without them.
void take_tools_out(std::vector<Step>& recipe, const std::vector<PartId>& ids) {
  std::erase_if(recipe, [&](Step& step) {
    const auto taken = std::erase_if(step.tools, [&](const ToolUse& use) { return contains(ids, use.tool); });
    return taken > 0 && step.tools.empty() && step.kind->tools == ToolRule::needed;
  });
}

Step* step_of(Part& part, StepId id) {
  for (Step& step : part.recipe)
    if (step.id == id) return &step;
  return nullptr;
}

Issue no_such_step() { return {"there is no such step any more", "", {}, "choose one that stands in the recipe"}; }

/// Why a part cannot become a tool of another.
std::optional<Issue> not_a_tool(const Job& job, const Part& host, PartId tool) {
  const Part& part = job.at(tool);
  if (job.depends_on(tool, host.id))
    return Issue{fmt::format("cannot be a tool of {}: it is made from it", host.name), part.name, {}, "choose another tool"};
  if (const auto use = job.use_of(tool))
    return Issue{fmt::format("is a tool of {} already", job.at(use->part).name), part.name, {},
                 "release it there first, or duplicate it"};
  return locked_issue(job, {tool});
}

Job ride_along_unasked(const Job& job, PartId tool, bool along) {
  const auto use = job.use_of(tool);
  const Part& part = job.at(tool);
  const std::optional<PartId> wanted = along && use ? std::optional(use->part) : std::nullopt;
  if (part.rides_on == wanted) return job;
  const Affine world = job.world_of(tool);
  const Job next = change_part(job, tool, [&](Part& p) { p.rides_on = wanted; });
  // Where the frame stands untouched at the origin, the numbers stay bit for bit what was typed.
  const auto plain = [&](const std::optional<PartId>& frame) { return !frame || next.world_of(*frame).isApprox(Affine::Identity(), 0); };
  if (plain(wanted) && plain(part.rides_on)) return next;
  return change_part(next, tool, [&](Part& p) { p.placement = placement_for_world(next, tool, world); });
}

}  // namespace

Placement placement_for_world(const Job& job, PartId id, const Affine& world) {
  const Part& part = job.at(id);
  return Placement::of(part.rides_on ? job.world_of(*part.rides_on).inverse() * world : world, part.placement.scale);
}

std::optional<Issue> check_placement(const Placement& placement) {
  if (!placement.position.allFinite() || placement.position.cwiseAbs().maxCoeff() > max_coordinate)
    return Issue{"it would stand too far from the origin", "", {}, fmt::format("stay within {:.0f} mm", max_coordinate)};
  const auto size = placement.scale.cwiseAbs();
  if (!placement.scale.allFinite() || size.minCoeff() < 1e-6 || size.maxCoeff() > 1e6)
    return Issue{"it would be scaled too far", "", {}, "stay between a millionth and a million times its size"};
  if (!placement.angles.allFinite()) return Issue{"its angles are no numbers", "", {}, "give degrees"};
  return std::nullopt;
}

std::optional<Issue> locked_issue(const Job& job, const std::vector<PartId>& ids) {
  for (PartId id : ids)
    if (const Part* part = job.find(id); part != nullptr && part->locked) return Issue{"is locked", part->name, {}, "unlock it first"};
  return std::nullopt;
}

Job add_part(const Job& job, Part part, PartId* id) {
  Job next = job;
  part.id = next.next_id++;
  part.name = job.free_name(part.name);
  for (Step& step : part.recipe) step.id = next.next_step++;
  if (id != nullptr) *id = part.id;
  next.parts.push_back(std::make_shared<const Part>(std::move(part)));
  return next;
}

Job change_part(const Job& job, PartId id, const std::function<void(Part&)>& change) {
  Part part = job.at(id);
  change(part);
  part.id = id;
  Job next = job;
  replace(next, std::move(part));
  return next;
}

Result<Job> change_unlocked(const Job& job, PartId id, const std::function<void(Part&)>& change) {
  if (auto issue = locked_issue(job, {id})) return *issue;
  return change_part(job, id, change);
}

Result<Job> remove_parts(const Job& job, const std::vector<PartId>& ids) {
  std::vector<PartId> touched = ids;
  for (PartId id : ids)
    if (const auto use = job.use_of(id)) touched.push_back(use->part);
  if (auto issue = locked_issue(job, touched)) return *issue;
  Job next = job;
  next.parts.clear();
  for (const PartPtr& p : job.parts) {
    if (contains(ids, p->id)) continue;
    Part part = *p;
    if (part.rides_on && contains(ids, *part.rides_on)) stand_alone(job, part);
    take_tools_out(part.recipe, ids);
    next.parts.push_back(part == *p ? p : std::make_shared<const Part>(std::move(part)));
  }
  return next;
}

Result<Job> duplicate_parts(const Job& job, const std::vector<PartId>& ids, std::vector<PartId>* copies) {
  // A copied part brings its tools along; a tool chosen beside its part is copied once, with it.
  std::vector<PartId> all;
  std::function<void(PartId)> take = [&](PartId id) {
    if (contains(all, id)) return;
    all.push_back(id);
    for (const Step& step : job.at(id).recipe)
      for (const ToolUse& use : step.tools) take(use.tool);
  };
  for (PartId id : ids) take(id);
  for (PartId id : all)
    if (const auto use = job.use_of(id); use && !contains(all, use->part))
      if (auto issue = locked_issue(job, {use->part})) return *issue;
  Job next = job;
  std::map<PartId, PartId> twin;
  for (PartId id : all) {
    Part copy = job.at(id);
    copy.locked = false;
    next = add_part(next, std::move(copy), &twin[id]);
  }
  for (PartId id : all)
    next = change_part(next, twin[id], [&](Part& part) {
      if (part.rides_on && twin.contains(*part.rides_on)) part.rides_on = twin[*part.rides_on];
      for (Step& step : part.recipe)
        for (ToolUse& use : step.tools) use.tool = twin.at(use.tool);
    });
  // A copied tool whose part was not copied stays a tool of that part.
  for (PartId id : all) {
    const auto use = job.use_of(id);
    if (!use || contains(all, use->part)) continue;
    next = change_part(next, use->part, [&](Part& part) {
      auto& tools = step_of(part, use->step)->tools;
      const auto original = std::find_if(tools.begin(), tools.end(), [&](const ToolUse& u) { return u.tool == id; });
      ToolUse copy = *original;
      copy.tool = twin[id];
      tools.insert(original + 1, copy);
    });
  }
  if (copies != nullptr)
    for (PartId id : ids) copies->push_back(twin[id]);
  return next;
}

Result<Job> combine(const Job& job, PartId part, const std::vector<PartId>& tools, Operation operation) {
  const Part& host = job.at(part);
  if (tools.empty())
    return Issue{"there is no tool to combine with", host.name, {}, "choose the part first, then one or more tools"};
  if (!host.recipe.empty() && host.recipe.back().kind == &steps::combine)
    return add_tools(job, host.recipe.back().id, tools, operation);
  StepId step = 0;
  const Result<Job> with_step = add_step(job, part, new_step(steps::combine), &step);
  return with_step ? add_tools(*with_step, step, tools, operation) : with_step;
}

Result<Job> add_tools(const Job& job, StepId step, const std::vector<PartId>& tools, Operation operation) {
  const Job::Found found = job.find_step(step);
  if (!found) return no_such_step();
  const PartId part = found.part->id;
  if (auto issue = locked_issue(job, {part})) return *issue;
  for (PartId tool : tools)
    if (auto issue = not_a_tool(job, *found.part, tool)) return *issue;
  Job next = change_part(job, part, [&](Part& p) {
    for (PartId tool : tools) step_of(p, step)->tools.push_back({tool, operation, true});
  });
  for (PartId tool : tools) next = ride_along_unasked(next, tool, true);
  return next;
}

Result<Job> add_step(const Job& job, PartId part, Step step, StepId* id) {
  if (auto issue = locked_issue(job, {part})) return *issue;
  Job next = job;
  step.id = next.next_step++;
  if (id != nullptr) *id = step.id;
  return change_part(next, part, [&](Part& p) { p.recipe.push_back(std::move(step)); });
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
  if (auto issue = locked_issue(job, {found.part->id})) return *issue;
  Job next = job;
  for (const ToolUse& use : found.step->tools) {
    if (auto issue = locked_issue(job, {use.tool})) return *issue;
    next = ride_along_unasked(next, use.tool, false);
  }
  return change_part(next, found.part->id, [&](Part& p) { std::erase_if(p.recipe, [&](const Step& s) { return s.id == id; }); });
}

Result<Job> change_use(const Job& job, PartId tool, const std::function<void(ToolUse&)>& change) {
  const auto use = job.use_of(tool);
  if (!use) return Issue{"is no tool", job.at(tool).name, {}, "choose a tool of a part"};
  if (auto issue = locked_issue(job, {use->part, tool})) return *issue;
  return change_part(job, use->part, [&](Part& p) { change(step_of(p, use->step)->tools[use->tool_place]); });
}

Job break_out(const Job& job, PartId part, const std::vector<Mesh>& pieces, std::vector<PartId>* ids) {
  const Part& from = job.at(part);
  Job next = job;
  for (const Mesh& mesh : pieces) {
    Part piece;
    piece.name = from.name + " piece";
    piece.source = ImportedSource{std::make_shared<const Mesh>(mesh), from.name};
    piece.tint = from.tint;
    piece.placement = Placement::of(job.world_of(part), from.placement.scale);
    PartId id = 0;
    next = add_part(next, std::move(piece), &id);
    if (ids != nullptr) ids->push_back(id);
  }
  return change_part(next, part, [](Part& p) { p.visible = false; });
}

Result<Job> detach_faces(const Job& job, PartId part, const Evaluated& result, const Elements& faces, PartId* id) {
  const Part& from = job.at(part);
  const Mesh& mesh = *result.mesh;
  if (faces.empty() || faces.size() == mesh.face_count())
    return Issue{faces.empty() ? "no face is chosen" : "all faces are chosen", from.name, {}, "choose some of the faces"};
  std::vector<Index> group(mesh.face_count(), no_index);
  for (Index f : faces.list) group[f] = 0;
  Mesh alone = std::move(take_apart(mesh, group, 1)[0].mesh);
  alone.origins.clear();  // as a part of its own it is its own source
  Step step = new_step(steps::delete_faces);
  step.name = "Detach";
  step.fields[*field_place(step.kind->fields, "chosen")] = describe(mesh, Topology(mesh), faces);
  const Result<Job> without = add_step(job, part, std::move(step));
  if (!without) return without;
  Part piece;
  piece.name = from.name + (faces.size() == 1 ? " face" : " faces");
  piece.source = ImportedSource{std::make_shared<const Mesh>(std::move(alone)), from.name};
  piece.tint = from.tint;
  piece.placement = Placement::of(job.world_of(part), from.placement.scale);
  return add_part(*without, std::move(piece), id);
}

Result<Job> join(const Job& job, PartId part, const std::vector<PartId>& others) {
  StepId id = 0;
  const Result<Job> with_step = add_step(job, part, new_step(steps::join), &id);
  return with_step ? add_tools(*with_step, id, others, Operation::unite) : with_step;
}

Result<Job> release_tool(const Job& job, PartId tool) {
  const auto use = job.use_of(tool);
  if (!use) return job;
  if (auto issue = locked_issue(job, {use->part, tool})) return *issue;
  const Job next = ride_along_unasked(job, tool, false);
  return change_part(next, use->part, [&](Part& part) { take_tools_out(part.recipe, {tool}); });
}

Result<Job> swap_roles(const Job& job, PartId part) {
  const Part& host = job.at(part);
  const Step* step = host.recipe.size() == 1 && host.recipe[0].kind == &steps::combine ? &host.recipe[0] : nullptr;
  if (step == nullptr || step->tools.size() != 1)
    return Issue{"can be swapped only while it has exactly one tool and no other step", host.name, {}, "release the other tools first"};
  const ToolUse use = step->tools[0];
  if (!job.at(use.tool).recipe.empty())
    return Issue{"has a recipe of its own and cannot take the part's place", job.at(use.tool).name, {}, "swap is for a plain tool"};
  if (const auto outer = job.use_of(part))
    return Issue{fmt::format("is itself a tool of {}", job.at(outer->part).name), host.name, {}, "release it there first"};
  const Step kept = *step;
  Result<Job> released = release_tool(job, use.tool);
  if (!released) return released;
  Result<Job> swapped = combine(*released, use.tool, {part}, use.operation);
  if (!swapped) return swapped;
  return change_part(*swapped, use.tool, [&](Part& p) {
    p.recipe[0].on = kept.on;
    p.recipe[0].name = kept.name;
    p.recipe[0].fields = kept.fields;
    p.recipe[0].tools[0].on = use.on;
  });
}

Result<Job> move_tool(const Job& job, StepId step, std::size_t from, std::size_t to) {
  return change_step(job, step, [&](Step& s) {
    if (from >= s.tools.size()) return;
    const ToolUse use = s.tools[from];
    s.tools.erase(s.tools.begin() + static_cast<std::ptrdiff_t>(from));
    s.tools.insert(s.tools.begin() + static_cast<std::ptrdiff_t>(std::min(to, s.tools.size())), use);
  });
}

Job reorder_part(const Job& job, PartId part, std::size_t to) {
  Job next = job;
  const auto it = std::find_if(next.parts.begin(), next.parts.end(), [&](const PartPtr& p) { return p->id == part; });
  if (it == next.parts.end()) return next;
  const PartPtr moved = *it;
  next.parts.erase(it);
  next.parts.insert(next.parts.begin() + static_cast<std::ptrdiff_t>(std::min(to, next.parts.size())), moved);
  return next;
}

Result<Job> set_ride_along(const Job& job, PartId tool, bool along) {
  if (auto issue = locked_issue(job, {tool})) return *issue;
  return ride_along_unasked(job, tool, along);
}

}  // namespace anvil::edit
