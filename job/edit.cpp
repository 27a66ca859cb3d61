// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/edit.h"

#include <fmt/format.h>

#include <algorithm>

namespace anvil::edit {
namespace {

bool contains(const std::vector<PartId>& ids, PartId id) {
  return std::find(ids.begin(), ids.end(), id) != ids.end();
}

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
  Job loose = before;
  replace(loose, part);
  part.placement = placement_for_world(loose, part.id, world);
}

}  // namespace

Placement placement_for_world(const Job& job, PartId id, const Affine& world) {
  const Part& part = job.at(id);
  const Affine local = part.rides_on ? job.world_of(*part.rides_on).inverse() * world : world;
  Placement placement;
  placement.position = local.translation();
  // Scale keeps its signs: a mirrored part stays mirrored along the axis it was mirrored on.
  for (int k = 0; k < 3; ++k)
    placement.scale[k] = std::copysign(local.linear().col(k).norm(), part.placement.scale[k]);
  Eigen::Matrix3d rotation;
  for (int k = 0; k < 3; ++k) rotation.col(k) = local.linear().col(k) / placement.scale[k];
  if (rotation.determinant() < 0) {
    placement.scale.x() = -placement.scale.x();
    rotation.col(0) = -rotation.col(0);
  }
  placement.angles = angles_of(rotation);
  return placement;
}

Job add_part(const Job& job, Part part, PartId* id) {
  Job next = job;
  part.id = next.next_id++;
  part.name = job.free_name(part.name);
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

Job remove_parts(const Job& job, const std::vector<PartId>& ids) {
  Job next = job;
  next.parts.clear();
  for (const PartPtr& p : job.parts) {
    if (contains(ids, p->id)) continue;
    Part part = *p;
    if (part.rides_on && contains(ids, *part.rides_on)) stand_alone(job, part);
    for (Step& step : part.recipe)
      if (auto* combine = std::get_if<CombineStep>(&step))
        std::erase_if(combine->tools, [&](const ToolUse& use) { return contains(ids, use.tool); });
    std::erase_if(part.recipe, [](const Step& step) {
      const auto* combine = std::get_if<CombineStep>(&step);
      return combine != nullptr && combine->tools.empty();
    });
    next.parts.push_back(part == *p ? p : std::make_shared<const Part>(std::move(part)));
  }
  return next;
}

Job duplicate_parts(const Job& job, const std::vector<PartId>& ids, std::vector<PartId>* copies) {
  // A copied part brings its tools along; a tool chosen beside its part is copied once, with it.
  std::vector<PartId> all;
  std::function<void(PartId)> take = [&](PartId id) {
    if (contains(all, id)) return;
    all.push_back(id);
    for (const Step& step : job.at(id).recipe)
      if (const auto* combine = std::get_if<CombineStep>(&step))
        for (const ToolUse& use : combine->tools) take(use.tool);
  };
  for (PartId id : ids) take(id);
  Job next = job;
  std::map<PartId, PartId> twin;
  for (PartId id : all) {
    Part copy = job.at(id);
    PartId fresh = 0;
    next = add_part(next, copy, &fresh);
    twin[id] = fresh;
  }
  for (PartId id : all)
    next = change_part(next, twin[id], [&](Part& part) {
      if (part.rides_on && twin.contains(*part.rides_on)) part.rides_on = twin[*part.rides_on];
      for (Step& step : part.recipe)
        if (auto* combine = std::get_if<CombineStep>(&step))
          for (ToolUse& use : combine->tools) use.tool = twin.at(use.tool);
    });
  // A copied tool whose part was not copied stays a tool of that part.
  for (PartId id : all) {
    const auto use = job.use_of(id);
    if (!use || contains(all, use->part)) continue;
    next = change_part(next, use->part, [&](Part& part) {
      auto& tools = std::get<CombineStep>(part.recipe[use->step]).tools;
      ToolUse copy = *use->use;
      copy.tool = twin[id];
      const auto original =
          std::find_if(tools.begin(), tools.end(), [&](const ToolUse& u) { return u.tool == id; });
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
    return Issue{
        "there is no tool to combine with", host.name, {}, "choose the part first, then one or more tools"};
  if (host.locked) return Issue{"is locked", host.name, {}, "unlock it first"};
  for (PartId tool : tools) {
    const Part& t = job.at(tool);
    if (job.depends_on(tool, part))
      return Issue{fmt::format("cannot be a tool of {}: it is made from it", host.name),
                   t.name,
                   {},
                   "choose another tool"};
    if (t.locked) return Issue{"is locked", t.name, {}, "unlock it first"};
    if (const auto use = job.use_of(tool))
      return Issue{fmt::format("is a tool of {} already", job.at(use->part).name),
                   t.name,
                   {},
                   "release it there first, or duplicate it"};
  }
  Job next = change_part(job, part, [&](Part& p) {
    if (p.recipe.empty()) p.recipe.emplace_back(CombineStep{});
    for (PartId tool : tools) std::get<CombineStep>(p.recipe.back()).tools.push_back({tool, operation, true});
  });
  for (PartId tool : tools) next = set_ride_along(next, tool, true);
  return next;
}

Job break_out(const Job& job, PartId part, const std::vector<Mesh>& pieces, std::vector<PartId>* ids) {
  const Part& from = job.at(part);
  Job next = job;
  for (const Mesh& mesh : pieces) {
    Part piece;
    piece.name = from.name + " piece";
    piece.source = ImportedSource{std::make_shared<const Mesh>(mesh), from.name};
    piece.tint = from.tint;
    PartId id = 0;
    next = add_part(next, std::move(piece), &id);
    const Placement placement = placement_for_world(next, id, job.world_of(part));
    next = change_part(next, id, [&](Part& p) { p.placement = placement; });
    if (ids != nullptr) ids->push_back(id);
  }
  return change_part(next, part, [](Part& p) { p.visible = false; });
}

Job release_tool(const Job& job, PartId tool) {
  const auto use = job.use_of(tool);
  if (!use) return job;
  Job next = set_ride_along(job, tool, false);
  return change_part(next, use->part, [&](Part& part) {
    auto& tools = std::get<CombineStep>(part.recipe[use->step]).tools;
    tools.erase(tools.begin() + static_cast<std::ptrdiff_t>(use->place));
    if (tools.empty()) part.recipe.erase(part.recipe.begin() + static_cast<std::ptrdiff_t>(use->step));
  });
}

Result<Job> swap_roles(const Job& job, PartId part) {
  const Part& host = job.at(part);
  const auto* step = host.recipe.size() == 1 ? std::get_if<CombineStep>(&host.recipe[0]) : nullptr;
  if (step == nullptr || step->tools.size() != 1)
    return Issue{
        "can be swapped only while it has exactly one tool", host.name, {}, "release the other tools first"};
  const ToolUse use = step->tools[0];
  const bool on = step->on;
  if (!job.at(use.tool).recipe.empty())
    return Issue{"has a recipe of its own and cannot take the part's place",
                 job.at(use.tool).name,
                 {},
                 "swap is for a plain tool"};
  if (const auto outer = job.use_of(part))
    return Issue{fmt::format("is itself a tool of {}", job.at(outer->part).name),
                 host.name,
                 {},
                 "release it there first"};
  Job next = release_tool(job, use.tool);
  Result<Job> swapped = combine(next, use.tool, {part}, use.operation);
  if (!swapped) return swapped;
  return change_part(*swapped, use.tool, [&](Part& p) {
    auto& fresh = std::get<CombineStep>(p.recipe[0]);
    fresh.on = on;
    fresh.tools[0].on = use.on;
  });
}

Job move_tool(const Job& job, PartId part, std::size_t step, std::size_t from, std::size_t to) {
  return change_part(job, part, [&](Part& p) {
    auto& tools = std::get<CombineStep>(p.recipe.at(step)).tools;
    if (from >= tools.size()) return;
    const ToolUse use = tools[from];
    tools.erase(tools.begin() + static_cast<std::ptrdiff_t>(from));
    tools.insert(tools.begin() + static_cast<std::ptrdiff_t>(std::min(to, tools.size())), use);
  });
}

Job reorder_part(const Job& job, PartId part, std::size_t to) {
  Job next = job;
  const auto it =
      std::find_if(next.parts.begin(), next.parts.end(), [&](const PartPtr& p) { return p->id == part; });
  if (it == next.parts.end()) return next;
  const PartPtr moved = *it;
  next.parts.erase(it);
  next.parts.insert(next.parts.begin() + static_cast<std::ptrdiff_t>(std::min(to, next.parts.size())), moved);
  return next;
}

Job set_ride_along(const Job& job, PartId tool, bool along) {
  const auto use = job.use_of(tool);
  const Part& part = job.at(tool);
  const std::optional<PartId> wanted = along && use ? std::optional(use->part) : std::nullopt;
  if (part.rides_on == wanted) return job;
  const Affine world = job.world_of(tool);
  const Job next = change_part(job, tool, [&](Part& p) { p.rides_on = wanted; });
  return change_part(next, tool, [&](Part& p) {
    // Where the frame stands untouched at the origin, the numbers stay bit for bit what was typed.
    const bool plain = !wanted || next.world_of(*wanted).isApprox(Affine::Identity(), 0);
    if (!(plain && !part.rides_on)) p.placement = placement_for_world(next, tool, world);
  });
}

}  // namespace anvil::edit
