// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/volumes.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <chrono>
#include <limits>
#include <numbers>
#include <optional>

#include "core/mesh/attributes.h"
#include "core/mesh/bvh.h"
#include "core/mesh/edges.h"
#include "core/mesh/nearest.h"
#include "core/recast/field_lines.h"
#include "core/recast/move_vertices.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

using namespace recast;

constexpr Note skinned_first{"skinned_first", "{1} was not sound: it was re-skinned first", "{1} was not sound: it was re-skinned first"};

constexpr Note nothing_to_blend{"nothing_to_blend", "the parts meet in no edge: there was nothing to round", "the parts meet in no edge: there was nothing to round"};
constexpr Note walls_not_as_thick{"walls_not_as_thick", "the wall is as thin as {1} in 1 place", "the wall is as thin as {1}, and thinner than asked for in {0} places"};

/// A surface with its distance field.
struct Solid {
  std::vector<Vec3> positions;
  std::vector<Triangle> triangles;
  std::vector<Index> face;  ///< per triangle, of the part's mesh; no_index: none
  std::unique_ptr<SignedDistance> distance;
};

/// In the common space; a part that is not sound is re-skinned. @return nothing inside: no triangles
Result<Solid> solid_of(const Part& part, double detail, OperationReport& report, boolean::StageClock& stage, const Control& control) {
  Solid solid;
  Mesh mesh = *part.mesh;
  place(mesh, part.placement);
  if (!mesh.empty() && is_sound(mesh, {}, 1, control.stop)) {
    TriangleList list = triangulate(mesh);
    solid.positions = std::move(mesh.positions);
    solid.triangles = std::move(list.triangles);
    solid.face = std::move(list.face);
  } else {
    const Soup soup = soup_of({&part, 1}, report, control);
    if (soup.triangles.empty()) return solid;
    Result<Skin> skin = lay_skin(ground_on(soup.positions, soup.triangles, soup.normals, soup.closed, control), part.name, {detail, true}, stage, control);
    if (!skin) return skin.issue();
    report.tell(skinned_first, 1, part.name);
    const TriangleList list = triangulate(skin->mesh);  // the engine may have made polygons of it
    for (Index f : list.face) solid.face.push_back(skin->source[f] == no_index ? no_index : soup.face[skin->source[f]]);
    solid.positions = std::move(skin->mesh.positions);
    solid.triangles = list.triangles;
  }
  return solid;
}

/// Parts together as one field: of a union themselves, of the other operations what is outside of their result, so that it is their union in any case.
class Together {
 public:
  Together(std::span<const Solid> solids, Operation operation) : solids_(solids), operation_(operation) {
    for (const Solid& solid : solids) first_.push_back(first_.back() + static_cast<Index>(solid.triangles.size()));
  }
  bool is_outside() const { return operation_ != Operation::unite; }
  /// Exact outside of it. Sources number the triangles of all parts.
  FieldSample at(const Vec3& p) const {
    FieldSample lowest{std::numeric_limits<double>::infinity(), Vec3::Zero(), no_index};
    for (std::size_t k = 0; k < solids_.size(); ++k) {
      const bool turned = operation_ == Operation::intersection || (operation_ == Operation::difference && k == 0);
      if (solids_[k].distance == nullptr) {
        if (turned) return {-1e30, Vec3::Zero(), no_index};
        continue;
      }
      FieldSample one = (*solids_[k].distance)(p);
      if (turned) one.value = -one.value, one.gradient = -one.gradient;
      if (one.value < lowest.value) lowest = {one.value, one.gradient, one.source + first_[k]};
    }
    return lowest;
  }
  /// The field of the result: negative inside.
  FieldSample of_result(FieldSample sample) const {
    if (is_outside()) sample.value = -sample.value, sample.gradient = -sample.gradient;
    return sample;
  }
  std::size_t solid_of(Index source) const { return static_cast<std::size_t>(std::upper_bound(first_.begin(), first_.end(), source) - first_.begin() - 1); }
  Index face_of(Index source) const { return solids_[solid_of(source)].face[source - first_[solid_of(source)]]; }

 private:
  std::span<const Solid> solids_;
  Operation operation_;
  std::vector<Index> first_{0};
};

/// The edges in which solids meet, as segments.
class MeetingEdges {
 public:
  /// @param parts  that the solids are of, for messages; what is not sound of them has been re-skinned
  static Result<MeetingEdges> of(std::span<const Solid> solids, std::span<const Part> parts, Operation operation, const Control& control) {
    std::vector<Operand> operands;
    for (std::size_t k = 0; k < solids.size(); ++k) {
      if (solids[k].triangles.empty()) continue;
      auto mesh = std::make_shared<Mesh>();
      mesh->positions = solids[k].positions;
      for (const Triangle& t : solids[k].triangles) mesh->add_face(t);
      operands.push_back({std::move(mesh), parts[k].name, operation, Affine::Identity(), true});
    }
    MeetingEdges edges;
    if (operands.size() < 2) return edges;
    const Result<BooleanResult> whole = combine(operands, control);
    if (!whole)
      return Issue{"the edges in which the parts meet cannot be found, so that nothing can be rounded there: " + whole.issue().what, whole.issue().subject, whole.issue().places,
                   "mend the parts first, move one of them slightly, or take a blend of 0"};
    edges.take(*whole);
    return edges;
  }
  /// From the nearest place on one of them; there has to be one.
  Vec3 way_from(const Vec3& p) const {
    const auto& [a, b, c] = segments_[tree_->nearest(points_, segments_, p).triangle];
    return p - nearest_on_triangle(p, points_[a], points_[b], points_[c]);
  }
  bool empty() const { return segments_.empty(); }

 private:
  void take(const BooleanResult& whole) {
    const EdgeTable edges = build_edges(whole.mesh);
    points_ = whole.mesh.positions;
    constexpr double flat = 0.9998;  // cosine: faces that lie flush meet in no edge
    for (const auto& [v, w] : whole.fresh_edges) {
      const std::array<Index, 2> ends{std::min(v, w), std::max(v, w)};
      const auto it = std::lower_bound(edges.vertices.begin(), edges.vertices.end(), ends);
      if (it == edges.vertices.end() || *it != ends) continue;
      const auto uses = edges.corners_of(static_cast<std::size_t>(it - edges.vertices.begin()));
      const auto normal = [&](Index corner) { return newell_normal(points_, whole.mesh.face(edges.corner_face[corner])).stableNormalized(); };
      if (uses.size() == 2 && normal(uses[0]).dot(normal(uses[1])) > flat) continue;
      segments_.push_back({v, w, w});
    }
    if (!segments_.empty()) tree_.emplace(points_, segments_);
  }

  std::vector<Vec3> points_;
  std::vector<Triangle> segments_;
  std::optional<Bvh> tree_;
};

}  // namespace

Result<BooleanResult> blend_parts(std::span<const Part> parts, const BlendSettings& settings, const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  BooleanResult result;
  boolean::StageClock stage(result.report, control);
  const std::string& name = parts[0].name;
  std::vector<Solid> solids;
  Box3 box;
  for (const Part& part : parts) {
    Result<Solid> solid = solid_of(part, settings.detail, result.report, stage, control);
    if (!solid) return solid.issue();
    solids.push_back(std::move(*solid));
    if (solids.size() == 1 || settings.operation == Operation::unite)
      for (const Vec3& p : solids.back().positions) box.add(p);
  }
  for (Solid& solid : solids)
    if (!solid.triangles.empty()) solid.distance = std::make_unique<SignedDistance>(solid.positions, solid.triangles, control);
  const Together together(solids, settings.operation);
  Field field;
  field.closed = true;
  field.at = [&](const Vec3& p) { return together.of_result(together.at(p)); };
  const double radius = settings.blend;
  std::optional<MeetingEdges> edges;
  std::optional<Skin> rolled;  // where the ball's middle may be ends here
  TriangleList rolled_list;
  std::optional<SignedDistance> to_rolled;
  if (radius > 0 && !box.empty()) {
    Result<MeetingEdges> found = stage("edges", 0.2, [&] { return MeetingEdges::of(solids, parts, settings.operation, control); });
    if (!found) return found.issue();
    edges.emplace(std::move(*found));
    if (edges->empty()) result.report.tell(nothing_to_blend, 1, name);
  }
  if (edges && !edges->empty()) {
    const Field level{[&](const Vec3& p) {
      FieldSample sample = together.at(p);
      sample.value -= radius;
      return together.of_result(sample);
    }};
    Result<Skin> skin = lay_skin(ground_of(level, box.grown(radius), control), name, {settings.detail, true}, stage, control);
    if (!skin) return skin.issue();
    if (skin->mesh.empty()) return Issue{fmt::format("a ball of {:.4g} fits nowhere into what is left", radius), name, {}, "take a smaller blend"};
    rolled.emplace(std::move(*skin));
    rolled_list = triangulate(rolled->mesh);
    to_rolled.emplace(rolled->mesh.positions, rolled_list.triangles, control);
    // Its own facets are not to be felt where there is nothing to round; nor edges of the parts themselves, that lie farther from where they meet: the round runs out there.
    const double slack = 0.005 * settings.detail, full = 2 * radius;
    const auto ball = [&, slack, full](const Vec3& p) {
      FieldSample sample = together.of_result((*to_rolled)(p));
      sample.value += radius + slack;
      const Vec3 way = edges->way_from(p);
      if (const double off = way.norm(); off > full) {
        sample.value += off - full;
        sample.gradient = (sample.gradient + way / off).stableNormalized();
      }
      return sample;
    };
    field.steepest = 2;
    field.at = [&, ball](const Vec3& p) {
      const FieldSample plain = together.at(p);
      if (plain.value >= radius) return together.of_result(plain);
      FieldSample rounded = ball(p);
      if (rounded.value >= plain.value) return together.of_result(plain);
      rounded.source = plain.source;
      return together.of_result(rounded);
    };
    field.may_vanish = [&, ball](const Vec3& p, double reach) {
      const double plain = std::abs(together.at(p).value);
      return plain <= reach || (plain <= radius + reach && std::abs(ball(p).value) <= 2 * reach);
    };
  }
  if (!box.empty()) {
    Result<Skin> skin = lay_skin(ground_of(field, box.grown(settings.detail), control), name, {settings.detail, true}, stage, control);
    if (!skin) return skin.issue();
    tell_how_laid(*skin, settings.detail, name, result.report);
    result.mesh = std::move(skin->mesh);
    for (Index t : skin->source) {
      if (t == no_index)
        result.sources.add(0, no_index);
      else
        result.sources.add(static_cast<Index>(together.solid_of(t)), together.face_of(t));
    }
  }
  if (result.mesh.empty()) result.report.empty_reason = "nothing is left of it";
  std::vector<const Mesh*> from;
  for (const Part& part : parts) from.push_back(part.mesh.get());
  carry_slots(from, result.sources, result.mesh);
  result.piece.assign(result.mesh.face_count(), 0);
  result.free_of_crossings = true;
  result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return result;
}

namespace {

/// Where a wall is thinner than asked for.
struct Thinnest {
  double thickness = 0;
  std::size_t count = 0;
  std::vector<Vec3> at;
};

/// Moves the new side of a wall to where it is as thick as asked for: its corners onto the offset, and farther where its faces cut in
/// between them. Each round leaves less of what is missing; there are a few.
/// @param offset  of the new side; negative: inside
/// @return what is left
Thinnest hold_thickness(Mesh& side, const SignedDistance& distance, double offset, const Control& control) {
  constexpr int rounds = 4;
  constexpr double enough = 0.002, told = 0.01;  // of the thickness
  const double wanted = std::abs(offset), way = offset > 0 ? 1 : -1;
  const TriangleList list = triangulate(side);
  // What is missing at the middles of faces and of their edges.
  const auto missing_in = [&](std::size_t t) {
    const auto& [a, b, c] = list.triangles[t];
    const Vec3 &p = side.positions[a], &q = side.positions[b], &r = side.positions[c];
    double missing = 0;
    for (const Vec3& at : {Vec3((p + q + r) / 3), Vec3((p + q) / 2), Vec3((q + r) / 2), Vec3((r + p) / 2)}) missing = std::max(missing, wanted - way * distance(at).value);
    return missing;
  };
  std::vector<double> missing(list.triangles.size());
  const auto measure = [&] {
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, missing.size(), 256), [&](const auto& range) {
      for (std::size_t t = range.begin(); t < range.end() && !control.stop.stop_requested(); ++t) missing[t] = missing_in(t);
    });
    check_stop(control);
  };
  for (int round = 0; round < rounds; ++round) {
    measure();
    std::vector<double> push(side.positions.size(), 0);
    for (std::size_t t = 0; t < missing.size(); ++t)
      for (Index v : list.triangles[t]) push[v] = std::max(push[v], missing[t]);
    std::vector<Vec3> goal = side.positions;
    std::vector<char> movable(goal.size(), 0);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, goal.size(), 256), [&](const auto& range) {
      for (std::size_t v = range.begin(); v < range.end() && !control.stop.stop_requested(); ++v) {
        const FieldSample here = distance(goal[v]);
        // Onto the offset in the first round, only outwards in the others.
        const double off = offset - here.value, by = way * std::max(round == 0 ? way * off : std::max(0.0, way * off), push[v]);
        movable[v] = std::abs(by) > enough * wanted;
        if (movable[v]) goal[v] += by * here.gradient;
      }
    });
    check_stop(control);
    if (std::find(movable.begin(), movable.end(), 1) == movable.end()) break;
    MovedVertices moved = move_vertices(side, std::move(goal), movable, control);
    if (!moved.is_sound) break;
    side.positions = std::move(moved.positions);
  }
  measure();
  Thinnest thinnest{wanted, 0, {}};
  for (std::size_t t = 0; t < missing.size(); ++t) {
    thinnest.thickness = std::min(thinnest.thickness, wanted - missing[t]);
    if (missing[t] <= told * wanted) continue;
    ++thinnest.count;
    const auto& [a, b, c] = list.triangles[t];
    if (thinnest.at.size() < OperationReport::max_places) thinnest.at.push_back((side.positions[a] + side.positions[b] + side.positions[c]) / 3);
  }
  return thinnest;
}

}  // namespace

Result<BooleanResult> shell_part(const Part& part, const ShellSettings& settings, const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  BooleanResult result;
  boolean::StageClock stage(result.report, control);
  Mesh own = *part.mesh;
  own.origins.clear();
  place(own, part.placement);
  if (own.empty() || !stage("check", 0.1, [&] { return is_sound(own, {}, 1, control.stop); }))
    return Issue{"is not sound, so that it has no inside to hollow", part.name, {}, "mend it first, or recast it"};
  if (!(settings.detail < settings.thickness))
    return Issue{fmt::format("a detail of {:.4g} is too coarse for a wall of {:.4g}", settings.detail, settings.thickness), part.name, {}, "take one below the thickness"};
  const TriangleList list = triangulate(own);
  const SignedDistance distance(own.positions, list.triangles, control);
  const double offset = settings.outside ? settings.thickness : -settings.thickness;
  const Field field = offset_field(distance, offset);
  Result<Skin> skin = lay_skin(ground_of(field, bounds(own).grown(std::max(0.0, offset)), control), part.name, {settings.detail, true}, stage, control);
  if (!skin) return skin.issue();
  if (skin->mesh.empty())
    return Issue{fmt::format("is nowhere as thick as two walls of {:.4g}, so nothing of it would be hollow", settings.thickness), part.name, {}, "take a thinner wall"};
  const Thinnest thinnest = stage("thicken", 0.9, [&] { return hold_thickness(skin->mesh, distance, offset, control); });
  tell_how_laid(*skin, settings.detail, part.name, result.report);
  if (!thinnest.at.empty()) result.report.tell(walls_not_as_thick, thinnest.count, fmt::format("{:.4g}", thinnest.thickness), thinnest.at);
  std::vector<FieldSample> at_drains;
  for (const Vec3& drain : settings.drains) at_drains.push_back(distance(drain));
  // The part and the new side, one of them turned over.
  for (Index f = 0; f < own.face_count(); ++f) result.sources.add(0, f);
  for (Index t : skin->source) result.sources.add(0, t == no_index ? no_index : list.face[t]);
  own.materials = {};
  own.regions = {};
  result.mesh = std::move(own);
  reverse_faces(settings.outside ? result.mesh : skin->mesh);
  append(result.mesh, skin->mesh);
  if (!settings.drains.empty()) {
    std::vector<Operand> operands{{std::make_shared<const Mesh>(result.mesh), part.name, Operation::unite, Affine::Identity(), true}};
    for (std::size_t d = 0; d < settings.drains.size(); ++d) {
      const FieldSample& there = at_drains[d];
      const Vec3 on = settings.drains[d] - there.value * there.gradient, out = there.gradient;
      // A little longer than the wall on both sides, but not so long that it reaches what lies opposite.
      const double reach = 1.5 * settings.thickness, radius = settings.drain_diameter / 2;
      const Vec3 from = settings.outside ? Vec3(on - 0.5 * settings.thickness * out) : Vec3(on - reach * out), to = settings.outside ? Vec3(on + reach * out) : Vec3(on + 0.5 * settings.thickness * out);
      const Vec3 u = out.unitOrthogonal(), v = out.cross(u);
      constexpr Index sides = 48;
      Mesh pin;
      std::vector<Index> low, high;
      for (Index k = 0; k < sides; ++k) {
        const double angle = 2 * std::numbers::pi * k / sides;
        const Vec3 across = radius * (std::cos(angle) * u + std::sin(angle) * v);
        low.push_back(pin.add_vertex(from + across));
        high.push_back(pin.add_vertex(to + across));
      }
      for (Index k = 0; k < sides; ++k) pin.add_face({low[k], low[(k + 1) % sides], high[(k + 1) % sides], high[k]});
      pin.add_face(high);
      std::reverse(low.begin(), low.end());
      pin.add_face(low);
      operands.push_back({std::make_shared<const Mesh>(std::move(pin)), "drain", Operation::difference, Affine::Identity(), true});
    }
    Result<BooleanResult> drained = combine(operands, control);
    if (!drained) return drained.issue();
    FaceSources sources;
    for (std::size_t f = 0; f < drained->sources.face.size(); ++f)
      sources.add(0, drained->sources.input[f] == 0 && drained->sources.face[f] != no_index ? result.sources.face[drained->sources.face[f]] : no_index);
    std::erase_if(drained->report.done, [](const auto& done) { return done.part == "drain"; });
    result.report.add(std::move(drained->report));
    result.sources = std::move(sources);
    result.mesh = std::move(drained->mesh);
    result.mesh.materials = {};
    result.mesh.regions = {};
    result.fresh_edges = std::move(drained->fresh_edges);
  }
  if (!stage("check", 1, [&] { return is_sound(result.mesh, {}, 1, control.stop); }))
    return Issue{fmt::format("a wall of {:.4g} would cross the part's own surface at a detail of {:.4g}", settings.thickness, settings.detail), part.name, {}, "take a finer detail, or a thicker wall"};
  const std::array<const Mesh*, 1> from{part.mesh.get()};
  carry_slots(from, result.sources, result.mesh);
  result.piece.assign(result.mesh.face_count(), 0);
  result.free_of_crossings = true;
  result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return result;
}

}  // namespace anvil
