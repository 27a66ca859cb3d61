// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/edit.h"

#include <fmt/format.h>

#include <map>

#include "core/mesh/sub_mesh.h"
#include "core/modify/find_again.h"
#include "job/edit_common.h"

namespace anvil::edit {

void stand_alone(const Job& before, Part& part) {
  if (!part.rides_on) return;
  const Affine world = before.world_of(part.id);
  part.rides_on.reset();
  part.placement = Placement::of(world, part.placement.scale);
}

bool rides_on(const Job& job, PartId part, PartId on) {
  for (std::optional<PartId> at = part; at; at = job.find(*at) != nullptr ? job.at(*at).rides_on : std::nullopt)
    if (*at == on) return true;
  return false;
}

Job fastened(const Job& job, PartId id, std::optional<PartId> to) {
  const Part& part = job.at(id);
  if (part.rides_on == to) return job;
  const Affine world = job.world_of(id);
  const Job next = change_part(job, id, [&](Part& p) { p.rides_on = to; });
  // Where the frame stands untouched at the origin, the numbers stay bit for bit what was typed.
  const auto plain = [&](const std::optional<PartId>& frame) { return !frame || next.world_of(*frame).isApprox(Affine::Identity(), 0); };
  if (plain(to) && plain(part.rides_on)) return next;
  return change_part(next, id, [&](Part& p) { p.placement = placement_for_world(next, id, world); });
}

Job loosened_where_unused(const Job& before, const Job& job, PartId tool, PartId from) {
  if (job.find(tool) == nullptr || job.at(tool).rides_on != from || !before.use_of(tool, from) || job.use_of(tool, from)) return job;
  return fastened(job, tool, std::nullopt);
}

std::optional<Issue> loop_issue(const Job& job, PartId part, PartId needed) {
  std::vector<PartId> chain = job.chain_between(needed, part);
  if (chain.empty()) return std::nullopt;
  std::string words = job.at(part).name;
  for (PartId id : chain) words += " → " + job.at(id).name;
  return Issue{fmt::format("cannot be made from {}: it would need itself ({})", job.at(needed).name, words), job.at(part).name, {},
               fmt::format("use a snapshot of {} as it is now", job.at(needed).name)};
}

std::optional<Issue> any_loop(const Job& job) {
  for (const PartPtr& part : job.parts)
    for (PartId needed : job.needs_of(part->id))
      if (auto issue = loop_issue(job, part->id, needed)) return issue;
  return std::nullopt;
}

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
  for (Step& step : part.recipe) {
    step.id = next.next_step++;
    number_rows(next, step.tools);
  }
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
    for (const Job::Use& use : job.uses_of(id)) touched.push_back(use.part);
  if (auto issue = locked_issue(job, touched)) return *issue;
  for (const PartPtr& part : job.parts) {
    const auto* source = std::get_if<PartSource>(&part->source);
    if (source != nullptr && source->kept == nullptr && contains(ids, source->part) && !contains(ids, part->id))
      return Issue{fmt::format("is what {} is made from", part->name), job.at(source->part).name, {}, fmt::format("keep a snapshot of it in {}, or delete both", part->name)};
  }
  Job next = job;
  next.parts.clear();
  for (const PartPtr& p : job.parts) {
    if (contains(ids, p->id)) continue;
    Part part = *p;
    if (part.rides_on && contains(ids, *part.rides_on)) stand_alone(job, part);
    std::erase_if(part.recipe, [&](Step& step) {
      const bool taken = take_rows_out(step.tools, [&](const ToolUse& row) { return !row.is_tray() && contains(ids, row.tool); });
      return taken && step.tools.empty() && goes_with_tools(step.kind->tools);
    });
    next.parts.push_back(part == *p ? p : std::make_shared<const Part>(std::move(part)));
  }
  for (PartSet& set : next.sets) std::erase_if(set.parts, [&](PartId id) { return contains(ids, id); });
  return next;
}

Result<Job> duplicate_parts(const Job& job, const std::vector<PartId>& ids, std::vector<PartId>* copies) {
  // A copied part brings the tools along that ride on it; a tool chosen beside its part is copied once, with it.
  std::vector<PartId> all;
  std::function<void(PartId)> take = [&](PartId id) {
    if (contains(all, id)) return;
    all.push_back(id);
    for (const Job::Use& use : job.uses_by(id))
      if (job.at(use.tool).rides_on == id) take(use.tool);
  };
  for (PartId id : ids) take(id);
  // Rows for which a copy of their tool is put beside: those of parts that are not copied themselves.
  std::vector<Job::Use> beside;
  for (PartId id : all)
    for (const Job::Use& use : job.uses_of(id))
      if (!contains(all, use.part) && job.find_use(use.id).use->tool == id) beside.push_back(use);
  for (const Job::Use& use : beside)
    if (auto issue = locked_issue(job, {use.part})) return *issue;
  Job next = job;
  std::map<PartId, PartId> twin;
  for (PartId id : all) {
    Part copy = job.at(id);
    copy.locked = false;
    next = add_part(next, std::move(copy), &twin[id]);
  }
  // A tray that holds a set of which some ride on the part: the copy has a tray of its own, with its own copies of those.
  const auto rides_in = [&](SetId set, PartId part) {
    const PartSet* held = job.find_set(set);
    return held != nullptr && std::any_of(held->parts.begin(), held->parts.end(), [&](PartId id) { return job.find(id) != nullptr && job.at(id).rides_on == part; });
  };
  UseId next_use = next.next_use;
  const auto own_rows = [&](ToolUse& tray, PartId part) {
    if (!rides_in(tray.set, part)) return;
    tray.inside = job.rows_of(tray);
    tray.set = 0;
    for (ToolUse& row : tray.inside) row.id = next_use++;
  };
  for (PartId id : all)
    next = change_part(next, twin[id], [&](Part& part) {
      if (part.rides_on && twin.contains(*part.rides_on)) part.rides_on = twin[*part.rides_on];
      if (auto* source = std::get_if<PartSource>(&part.source); source != nullptr && twin.contains(source->part)) source->part = twin[source->part];
      for (Step& step : part.recipe)
        for_each_row(step.tools, [&](ToolUse& row) {
          if (row.set != 0) own_rows(row, id);
          if (!row.is_tray() && twin.contains(row.tool)) row.tool = twin[row.tool];
        });
    });
  next.next_use = next_use;
  // A copied tool whose part was not copied stays a tool of that part, beside the original.
  for (const Job::Use& use : beside)
    next = change_part(next, use.part, [&](Part& part) {
      const RowAt at = row_at(step_of(part, use.step)->tools, use.id);
      ToolUse copy = at.row();
      copy.tool = twin[use.tool];
      copy.id = next.next_use;
      at.rows->insert(at.rows->begin() + static_cast<std::ptrdiff_t>(at.at + 1), copy);
    }), ++next.next_use;
  // A part in a set has its copy there too, so that a tray of the set cuts by both; but for one that was copied with the part whose
  // tray that is, which has its copy in a tray of its own.
  const auto uses_set = [&](PartId part, SetId set) {
    bool found = false;
    for (const Step& step : job.at(part).recipe) for_each_row(step.tools, [&](const ToolUse& row) { found = found || row.set == set; });
    return found;
  };
  for (PartSet& set : next.sets) {
    std::vector<PartId> with_copies;
    for (PartId id : set.parts) {
      with_copies.push_back(id);
      if (!twin.contains(id)) continue;
      const auto carrier = job.at(id).rides_on;
      if (!(carrier && twin.contains(*carrier) && uses_set(*carrier, set.id))) with_copies.push_back(twin[id]);
    }
    set.parts = std::move(with_copies);
  }
  if (copies != nullptr)
    for (PartId id : ids) copies->push_back(twin[id]);
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
    piece.placement = Placement::of(job.world_of(part), from.placement.scale);
    PartId id = 0;
    next = add_part(next, std::move(piece), &id);
    if (ids != nullptr) ids->push_back(id);
  }
  return change_part(next, part, [](Part& p) { p.visible = false; });
}

Result<Job> detach_faces(const Job& job, PartId part, const Evaluated& result, const Elements& faces, PartId* id, const StepPlace& place) {
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
  const Result<Job> without = add_step(job, part, std::move(step), nullptr, place);
  if (!without) return without;
  Part piece;
  piece.name = from.name + (faces.size() == 1 ? " face" : " faces");
  piece.source = ImportedSource{std::make_shared<const Mesh>(std::move(alone)), from.name};
  piece.tint = from.tint;
  piece.placement = Placement::of(job.world_of(part), from.placement.scale);
  return add_part(*without, std::move(piece), id);
}

Result<Job> join(const Job& job, PartId part, const std::vector<PartId>& others, const StepPlace& place) {
  StepId id = 0;
  const Result<Job> with_step = add_step(job, part, new_step(steps::join), &id, place);
  return with_step ? add_tools(*with_step, id, others, Operation::unite) : with_step;
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

Result<Job> fasten(const Job& job, PartId part, std::optional<PartId> to) {
  if (auto issue = locked_issue(job, {part})) return *issue;
  if (to && rides_on(job, *to, part)) return Issue{"would ride on itself", job.at(part).name, {}, fmt::format("loosen {} first", job.at(*to).name)};
  return fastened(job, part, to);
}

}  // namespace anvil::edit
