// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/heap.h"

#include <algorithm>
#include <deque>
#include <mutex>
#include <optional>
#include <set>

#include "core/boolean/assemble.h"
#include "core/boolean/repair.h"
#include "core/mesh/bvh.h"
#include "core/mesh/edges.h"
#include "core/mesh/sub_mesh.h"
#include "core/mesh/union_find.h"

namespace anvil {
namespace {

/// What several runs had to tell, as if one had.
void add_report(OperationReport& sum, OperationReport&& run) {
  for (OperationReport::Done& done : run.done) {
    const auto same = std::find_if(sum.done.begin(), sum.done.end(), [&](const auto& d) { return d.note == done.note && d.part == done.part; });
    if (same == sum.done.end()) {
      sum.done.push_back(std::move(done));
    } else if (done.note == &boolean::contact_edges) {
      *same = std::move(done);  // later runs take away what touched
    } else if (done.note == &boolean::polygons_untouched) {
      same->count = std::min(same->count, done.count);
    } else {
      same->count += done.count;
      const std::size_t room = OperationReport::max_places - std::min(same->places.size(), OperationReport::max_places);
      same->places.insert(same->places.end(), done.places.begin(), done.places.begin() + static_cast<std::ptrdiff_t>(std::min(room, done.places.size())));
    }
  }
  for (const OperationReport::Stage& stage : run.stages) {
    const auto same = std::find_if(sum.stages.begin(), sum.stages.end(), [&](const auto& s) { return s.name == stage.name; });
    if (same == sum.stages.end())
      sum.stages.push_back(stage);
    else
      same->seconds += stage.seconds;
  }
  sum.seconds += run.seconds;
  sum.moved = std::max(sum.moved, run.moved);
  sum.fallbacks.insert(sum.fallbacks.end(), run.fallbacks.begin(), run.fallbacks.end());
  sum.empty_reason = run.empty_reason;
}

bool has_two_vertices_at_one_place(const Mesh& mesh) {
  std::set<std::array<double, 3>> seen;
  return std::any_of(mesh.positions.begin(), mesh.positions.end(), [&](const Vec3& p) { return !seen.insert({p.x(), p.y(), p.z()}).second; });
}

/// Edges between faces that different ones have made, the part being one.
std::vector<std::array<Index, 2>> edges_between(const Mesh& mesh, const std::vector<Index>& maker) {
  std::vector<std::array<Index, 2>> between;
  const EdgeTable edges = build_edges(mesh);
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    const auto maker_of = [&](Index corner) { return maker[edges.corner_face[corner]]; };
    if (std::any_of(uses.begin(), uses.end(), [&](Index corner) { return maker_of(corner) != maker_of(uses[0]); })) between.push_back(edges.vertices[e]);
  }
  return between;
}

/// The solids of a heap; each is all that hangs together over common vertices.
struct Heap {
  std::vector<Index> solid_of;           ///< per face
  std::vector<std::vector<Index>> near;  ///< per solid, which others have boxes nearer than the reach

  /// Do more of them meet than at the corners of a box, where three meet at each end of an edge and each has four neighbours?
  bool is_crowded() const {
    constexpr std::size_t few = 24, neighbours = 5;
    std::size_t sum = 0;
    for (const std::vector<Index>& others : near) sum += others.size();
    return near.size() > few && sum > neighbours * near.size();
  }
};

Heap heap_of(const Mesh& mesh, double reach, const Control& control) {
  Heap heap;
  UnionFind joined(mesh.positions.size());
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) joined.unite(v, mesh.face(f)[0]);
  std::vector<Index> number(mesh.positions.size(), no_index);
  std::vector<Box3> boxes;
  for (Index f = 0; f < mesh.face_count(); ++f) {
    Index& solid = number[joined.find(mesh.face(f)[0])];
    if (solid == no_index) solid = static_cast<Index>(boxes.size()), boxes.emplace_back();
    heap.solid_of.push_back(solid);
    for (Index v : mesh.face(f)) boxes[solid].add(mesh.positions[v]);
  }
  // A box as the triangle that has it.
  std::vector<Vec3> corners;
  std::vector<Triangle> things;
  for (Index k = 0; k < boxes.size(); ++k) {
    corners.push_back(boxes[k].lo);
    corners.push_back(boxes[k].hi);
    things.push_back({2 * k, 2 * k + 1, 2 * k + 1});
  }
  heap.near.resize(boxes.size());
  if (!boxes.empty()) {
    std::mutex mutex;
    Bvh(corners, things, reach / 2)
        .for_each_pair(
            [&](Index i, Index j) {
              const std::lock_guard lock(mutex);
              heap.near[i].push_back(j);
              heap.near[j].push_back(i);
            },
            control.stop);
  }
  for (std::vector<Index>& others : heap.near) std::sort(others.begin(), others.end());
  return heap;
}

/// A group in two halves, by its solids.
std::array<Mesh, 2> halves_of(const Mesh& group, const Control& control) {
  const Heap heap = heap_of(group, 0, control);
  std::vector<Index> half;
  for (Index solid : heap.solid_of) half.push_back(2 * solid < heap.near.size() ? 0 : 1);
  std::array<Mesh, 2> halves;
  std::vector<SubMesh> subs = take_apart(group, half, 2);
  for (std::size_t k = 0; k < subs.size(); ++k) halves[k] = std::move(subs[k].mesh);
  return halves;
}

/// Groups of solids of which no two are near each other, together the heap (greedy colouring).
std::vector<Mesh> groups_of(const Mesh& mesh, const Heap& heap) {
  std::vector<Index> colour(heap.near.size(), no_index);
  Index colours = 0;
  for (Index k = 0; k < colour.size(); ++k) {
    std::vector<char> taken(colours + 1, 0);
    for (Index other : heap.near[k])
      if (colour[other] != no_index) taken[colour[other]] = 1;
    colour[k] = static_cast<Index>(std::find(taken.begin(), taken.end(), 0) - taken.begin());
    colours = std::max(colours, colour[k] + 1);
  }
  std::vector<Index> group;
  for (Index solid : heap.solid_of) group.push_back(colour[solid]);
  std::vector<Mesh> groups;
  for (SubMesh& sub : take_apart(mesh, group, colours)) groups.push_back(std::move(sub.mesh));
  return groups;
}

bool is_settled(const OperationReport& report) {
  return std::none_of(report.done.begin(), report.done.end(), [](const auto& done) { return done.note == &boolean::rounding_not_settled; });
}

/// @return nothing where rounding could not be settled on the way, or where it has to be done all at once
std::optional<Result<BooleanResult>> combine_group_by_group(const Workpiece& part, const std::vector<MadeTool>& tools, const std::vector<Heap>& heaps, const Control& control,
                                                            double contact) {
  struct Run {
    Mesh mesh;
    Index tool;
  };
  std::deque<Run> runs;
  for (Index t = 0; t < tools.size(); ++t)
    for (Mesh& group : groups_of(tools[t].mesh, heaps[t])) runs.push_back({std::move(group), t});
  Workpiece now = part;
  BooleanResult whole = unchanged_part(*part.mesh);
  std::vector<Index> maker(part.mesh->face_count(), 0);  // per face: 0 the part, else one of the tools
  const Control quiet{control.stop, nullptr};
  bool misses = true, all_done = false;
  for (std::size_t done = 0; !runs.empty() && !all_done; ++done) {
    Run run = std::move(runs.front());
    runs.pop_front();
    const MadeTool& tool = tools[run.tool];
    Result<BooleanResult> result = combine_with_made(now, {{run.mesh, tool.operation, tool.name}}, quiet, contact);
    if (!result) return result;
    if (!is_settled(result->report)) {
      // Where many solids cannot be settled, fewer may.
      auto [first, second] = halves_of(run.mesh, control);
      if (second.empty()) return std::nullopt;
      runs.push_front({std::move(second), run.tool});
      runs.push_front({std::move(first), run.tool});
      continue;
    }
    misses = std::erase_if(result->report.done, [](const auto& note) { return note.note == &cut_misses; }) > 0 && misses;
    std::vector<Index> makers;
    for (Index& f : result->sources.face) {
      makers.push_back(f == no_index ? run.tool + 1 : maker[f]);
      if (f != no_index) f = whole.sources.face[f];
    }
    maker = std::move(makers);
    add_report(whole.report, std::move(result->report));
    result->report = std::move(whole.report);
    whole = std::move(*result);
    if (control.progress != nullptr) *control.progress = static_cast<double>(done + 1) / static_cast<double>(done + 1 + runs.size());
    all_done = whole.mesh.empty();
    if (!all_done && !runs.empty()) now = {std::make_shared<const Mesh>(std::move(whole.mesh)), part.name, whole.free_of_crossings, nullptr};
  }
  if (whole.mesh.empty() && tools.size() > 1) return std::nullopt;  // something may still be added to nothing
  if (misses) whole.report.tell(cut_misses, 1, part.name);
  whole.fresh_edges = edges_between(whole.mesh, maker);
  whole.mesh.materials = {};
  whole.mesh.regions = {};
  const std::array<const Mesh*, 1> from{part.mesh.get()};
  carry_slots(from, whole.sources, whole.mesh);
  if (!has_two_vertices_at_one_place(whole.mesh)) std::erase_if(whole.report.done, [](const auto& done) { return done.note == &boolean::contact_edges; });
  return whole;
}

}  // namespace

Result<BooleanResult> combine_heaps(const Workpiece& part, std::vector<MadeTool> tools, const Control& control, double contact) {
  constexpr double reach = 10;  // times the contact tolerance
  std::vector<Heap> heaps;
  bool crowded = false;
  for (const MadeTool& tool : tools) {
    heaps.push_back(heap_of(tool.mesh, reach * contact, control));
    crowded = crowded || heaps.back().is_crowded();
  }
  if (crowded)
    if (auto result = combine_group_by_group(part, tools, heaps, control, contact)) return std::move(*result);
  Result<BooleanResult> at_once = combine_with_made(part, tools, control, contact);
  if (crowded || !at_once || is_settled(at_once->report)) return at_once;
  if (auto result = combine_group_by_group(part, tools, heaps, control, contact); result && *result) return std::move(*result);
  return at_once;
}

}  // namespace anvil
