// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/recast.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <chrono>
#include <limits>
#include <map>
#include <optional>
#include <utility>

#include "core/boolean/stage_clock.h"
#include "core/mesh/broad_phase.h"
#include "core/mesh/edges.h"
#include "core/mesh/sub_mesh.h"
#include "core/mesh/union_find.h"
#include "core/mesh/winding.h"
#include "core/recast/cloud_field.h"
#include "core/recast/cloud_gaps.h"
#include "core/recast/field_lines.h"
#include "core/recast/reduce.h"
#include "core/recast/skin.h"
#include "core/recast/smooth.h"
#include "core/recast/thicken.h"

namespace anvil {
namespace {

using namespace recast;

constexpr Note small_shells_left_out{"small_shells_left_out", "1 shell smaller than the smallest feature was left out", "{0} shells smaller than the smallest feature were left out"};
constexpr Note points_as_balls{"points_as_balls", "1 point as a ball of radius {1}", "{0} points as balls of radius {1}", Note::Place::card};
constexpr Note through_points{"through_points", "through 1 point, each counting as far as {1}", "through {0} points, each counting as far as {1}", Note::Place::card};
constexpr Note normals_turned{"normals_turned", "the normal of 1 point looked inwards and was turned over", "the normals of {0} points looked inwards and were turned over"};
constexpr Note points_leave_gaps{"points_leave_gaps", "the balls of the points leave a gap: it is a thin wall, not a solid", "the balls of the points leave {0} gaps: it is a thin wall, not a solid"};
constexpr Note walls_thinner{"walls_thinner", "a wall of {1} is thinner than the detail: it stays as thin as it is, and may end up to half a detail short; a least wall makes it thicker or leaves it out", "walls of {1} are thinner than the detail: they stay as thin as they are, and may end up to half a detail short; a least wall makes them thicker or leaves them out"};
constexpr Note walls_thickened{"walls_thickened", "1 face with a wall thinner than that behind it: made {1} thick", "{0} faces with walls thinner than that behind them: made {1} thick"};
constexpr Note walls_still_thin{"walls_still_thin", "a wall could not be made as thick as asked for everywhere: at its rim, or where it would meet something", "walls could not be made as thick as asked for everywhere: at their rims, or where they would meet something"};
constexpr Note walls_left_out{"walls_left_out", "1 wall thinner than {1} was left out", "{0} walls thinner than {1} were left out"};
constexpr Note holes_left_open{"holes_left_open", "1 hole was left open", "{0} holes were left open"};
constexpr Note holes_spanned{"holes_spanned", "holes were spanned: 1 face of the skin lies on no part", "holes were spanned: {0} faces of the skin lie on no part"};

std::vector<SubMesh> shells_of(const Mesh& mesh) {
  UnionFind joined(mesh.positions.size());
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) joined.unite(v, mesh.face(f)[0]);
  std::vector<Index> shell_of_vertex;
  const Index count = joined.number(shell_of_vertex);
  std::vector<Index> shell(mesh.face_count());
  for (Index f = 0; f < mesh.face_count(); ++f) shell[f] = shell_of_vertex[mesh.face(f)[0]];
  std::vector<SubMesh> shells = take_apart(mesh, shell, count);
  std::erase_if(shells, [](const SubMesh& sub) { return sub.mesh.empty(); });
  return shells;
}

struct Recast {
  BooleanResult result;
  std::vector<char> spanned;  ///< per face: it lies on no part
};

/// Of a recast, only these faces of it.
class Kept {
 public:
  explicit Kept(Recast& made) : made_(made) {}
  void add(const SubMesh& sub) {
    append_piece(mesh_, sub.mesh);
    for (Index f : sub.faces) sources_.add(made_.result.sources.input[f], made_.result.sources.face[f]), spanned_.push_back(made_.spanned[f]);
  }
  void take() {
    made_.result.mesh = std::move(mesh_);
    made_.result.sources = std::move(sources_);
    made_.spanned = std::move(spanned_);
  }

 private:
  Recast& made_;
  Mesh mesh_;
  FaceSources sources_;
  std::vector<char> spanned_;
};

/// Without shells smaller than that, but for the largest. @return how many went
std::size_t drop_small_shells(Recast& made, double smallest) {
  const std::vector<SubMesh> shells = shells_of(made.result.mesh);
  std::vector<double> sizes;
  for (const SubMesh& sub : shells) sizes.push_back(bounds(sub.mesh).diagonal());
  if (sizes.empty() || *std::min_element(sizes.begin(), sizes.end()) >= smallest) return 0;
  const double least = std::min(smallest, *std::max_element(sizes.begin(), sizes.end()));
  Kept kept(made);
  for (std::size_t k = 0; k < shells.size(); ++k)
    if (sizes[k] >= least) kept.add(shells[k]);
  kept.take();
  return static_cast<std::size_t>(std::count_if(sizes.begin(), sizes.end(), [&](double size) { return size < least; }));
}

/// Of shells, the largest first, which lie within another.
std::vector<char> inner_among(const std::vector<SubMesh>& shells) {
  struct Outer {
    const Mesh& mesh;
    Box3 box;
    TriangleList list;
  };
  std::vector<Outer> outer;
  std::vector<char> inner;
  for (const SubMesh& shell : shells) {
    const Mesh& mesh = shell.mesh;
    const Vec3& p = mesh.positions[0];
    inner.push_back(std::any_of(outer.begin(), outer.end(), [&](const Outer& o) { return overlap(o.box, {p, p}) && std::abs(winding_number(o.mesh.positions, o.list.triangles, p)) > 0.5; }));
    if (!inner.back()) outer.push_back({mesh, bounds(mesh), triangulate(mesh)});
  }
  return inner;
}

/// @param drop  leave them out
/// @return how many shells lie within another
std::size_t inner_shells(Recast& made, bool drop) {
  std::vector<SubMesh> shells = shells_of(made.result.mesh);
  std::stable_sort(shells.begin(), shells.end(), [](const SubMesh& a, const SubMesh& b) { return std::abs(signed_volume(a.mesh)) > std::abs(signed_volume(b.mesh)); });
  const std::vector<char> inner = inner_among(shells);
  if (drop) {
    Kept outer(made);
    for (std::size_t k = 0; k < shells.size(); ++k)
      if (!inner[k]) outer.add(shells[k]);
    outer.take();
  }
  return static_cast<std::size_t>(std::count(inner.begin(), inner.end(), 1));
}

/// A skin about another and a cloud. @param first  what the sources of points are counted from
template <class CloudField>
Result<Skin> with_cloud(const Skin& skin, const CloudField& cloud, const Box3& cloud_box, Index first, const std::string& name, const SkinSettings& settings, boolean::StageClock& stage, const Control& control) {
  const TriangleList list = triangulate(skin.mesh);
  std::optional<SignedDistance> surface;
  if (!list.triangles.empty()) surface.emplace(skin.mesh.positions, list.triangles);
  Field field;
  field.at = [&](const Vec3& p) {
    FieldSample of_cloud = cloud(p);
    if (of_cloud.source != no_index) of_cloud.source += first;
    if (!surface) return of_cloud;
    FieldSample sample = (*surface)(p);
    if (of_cloud.value < sample.value) return of_cloud;
    sample.source = skin.source[list.face[sample.source]];
    return sample;
  };
  field.may_vanish = [&](const Vec3& p, double reach) { return cloud.may_vanish(p, reach) || (surface && std::abs((*surface)(p).value) <= reach); };
  Box3 box = bounds(skin.mesh);
  box.add(cloud_box);
  return lay_skin(ground_of(field, box, control), name, settings, stage, control);
}

Box3 grown(Box3 box, double by) {
  return {Vec3(box.lo.array() - by), Vec3(box.hi.array() + by)};
}

constexpr double held_edge = 30;  // degrees: a skin's own unevenness stays below

/// Triangles that lie nearly in one plane drawn together, up to a tenth of the detail.
int thin_out(Recast& made, const RecastSettings& settings, const std::string& name, const Control& control) {
  BooleanResult& result = made.result;
  constexpr double most = 0.1;
  ReduceSettings how;
  how.rms = most * settings.flatten * settings.detail;
  how.held.sharper_than = settings.sharp ? held_edge : 180;
  Reduced reduced = reduce(result.mesh, name, how, control);
  FaceSources sources;
  std::vector<char> spanned;
  for (Index f : reduced.source) {
    sources.add(f == no_index ? 0 : result.sources.input[f], f == no_index ? no_index : result.sources.face[f]);
    spanned.push_back(f == no_index ? 0 : made.spanned[f]);
  }
  result.sources = std::move(sources);
  made.spanned = std::move(spanned);
  result.mesh = std::move(reduced.mesh);
  result.mesh.origins.clear();
  for (auto& done : reduced.report.done) result.report.done.push_back(std::move(done));
  return 0;
}

/// How far it is across some points, to a few hundredths: from any of them to the farthest, and from that to the farthest.
double across(std::span<const Vec3> points) {
  const auto farthest = [&](const Vec3& from) { return *std::max_element(points.begin(), points.end(), [&](const Vec3& p, const Vec3& q) { return (p - from).squaredNorm() < (q - from).squaredNorm(); }); };
  const Vec3 one = farthest(points.front());
  return (farthest(one) - one).norm();
}

/// Gives each fan of faces at a vertex a vertex of its own: where holes meet in one, the surface would hang together by it alone.
void part_fans(Mesh& mesh) {
  const EdgeTable edges = build_edges(mesh);
  UnionFind fans(mesh.corners.size());
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    for (std::size_t k = 1; k < uses.size(); ++k)
      for (const Index c : {uses[k], next_corner(mesh, edges.corner_face[uses[k]], uses[k])})
        for (const Index d : {uses[0], next_corner(mesh, edges.corner_face[uses[0]], uses[0])})
          if (mesh.corners[c] == mesh.corners[d]) fans.unite(c, d);
  }
  std::vector<Index> own(mesh.corners.size(), no_index);  // of each fan, by the corner that stands for it
  std::vector<char> taken(mesh.positions.size(), 0);
  const std::vector<Index> before = mesh.corners;
  for (Index c = 0; c < before.size(); ++c) {
    Index& v = own[fans.find(c)];
    if (v == no_index) v = std::exchange(taken[before[c]], 1) != 0 ? mesh.add_vertex(Vec3(mesh.positions[before[c]])) : before[c];
    mesh.corners[c] = v;
  }
}

/// Leaves out the faces that lie on no part, where they span more than that.
/// @return the middles of what they spanned
std::vector<Vec3> open_holes(Recast& made, double widest) {
  const Mesh& mesh = made.result.mesh;
  UnionFind joined(mesh.positions.size());
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f))
      if (made.spanned[f]) joined.unite(v, mesh.face(f)[0]);
  std::map<Index, std::vector<Vec3>> spans;
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f))
      if (made.spanned[f]) spans[joined.find(v)].push_back(mesh.positions[v]);
  std::erase_if(spans, [&](const auto& span) { return widest > 0 && across(span.second) <= widest; });
  std::vector<Vec3> middles;
  for (const auto& [root, points] : spans) {
    Box3 box;
    for (const Vec3& p : points) box.add(p);
    middles.push_back(box.centre());
  }
  if (middles.empty()) return middles;
  std::vector<Index> group;
  for (Index f = 0; f < mesh.face_count(); ++f) group.push_back(made.spanned[f] && spans.count(joined.find(mesh.face(f)[0])) > 0 ? no_index : 0);
  Kept kept(made);
  kept.add(take_apart(made.result.mesh, group, 1).front());
  kept.take();
  part_fans(made.result.mesh);
  made.result.open_on_purpose = true;
  return middles;
}

/// The skin that lies so far outside of another, or inside.
Result<Skin> moved_out(const Skin& skin, double offset, const std::string& name, const SkinSettings& settings, boolean::StageClock& stage, const Control& control) {
  const TriangleList list = triangulate(skin.mesh);
  const SignedDistance distance(skin.mesh.positions, list.triangles);
  const Field field = offset_field(distance, offset);
  Box3 box = bounds(skin.mesh);
  box.add(Vec3(box.lo.array() - std::max(0.0, offset)));
  box.add(Vec3(box.hi.array() + std::max(0.0, offset)));
  Result<Skin> made = lay_skin(ground_of(field, box, control), name, settings, stage, control);
  if (made)
    for (Index& t : made->source) {
      if (t == no_index) continue;
      t = skin.source[list.face[t]];
      made->spanned += t == no_index;
    }
  return made;
}

/// A skin with the clouds as well.
Result<Skin> with_points(const Skin& skin, Cloud& cloud, Index first, const RecastSettings& settings, const std::string& name, OperationReport& report, boolean::StageClock& stage, const Control& control) {
  Box3 box;
  for (const Vec3& p : cloud.points) box.add(p);
  const SkinSettings how{settings.detail, false};
  const PointTree tree(cloud.points);
  const double spacing = spacing_of(cloud.points, tree);
  constexpr double ball = 1.3, plane = 2.5;  // spacings: balls so large close a surface on which points lie about evenly, planes so wide level noise out (common practice)
  if (settings.through_points && !cloud.normals.empty()) {
    const double reach = settings.point_radius > 0 ? settings.point_radius : spacing > 0 ? plane * spacing : 1;
    std::unique_ptr<PointSurface> surface = stage("sample", 0.2, [&] { return std::make_unique<PointSurface>(cloud.points, cloud.normals, reach); });
    constexpr double one_sided = 0.6;  // a half ball without its lid: 0.5
    if (surface->openness() > one_sided && skin.mesh.empty()) return Skin{};
    if (surface->volume() < 0) {
      for (Vec3& n : cloud.normals) n = -n;
      surface = stage("sample", 0.2, [&] { return std::make_unique<PointSurface>(cloud.points, cloud.normals, reach); });
      report.tell(normals_turned, cloud.points.size(), name);
    }
    report.tell(through_points, cloud.points.size(), fmt::format("{:.3g}", reach));
    return with_cloud(skin, *surface, grown(box, reach), first, name, how, stage, control);
  }
  const double radius = settings.point_radius > 0 ? settings.point_radius : spacing > 0 ? ball * spacing : 1;
  if (settings.detail > 1.5 * radius)
    return Issue{fmt::format("balls of {:.3g} about the points are too small for a detail of {:.4g}", radius, settings.detail), name, {}, fmt::format("take a detail of at most {:.3g}, or a larger radius", 1.5 * radius)};
  report.tell(points_as_balls, cloud.points.size(), fmt::format("{:.3g}", radius));
  return with_cloud(skin, PointBalls(cloud.points, radius), grown(box, radius), first, name, how, stage, control);
}

/// Faces beside what is spanned that leave the parts span as well, wherever their corners stand; and so do others where they are farther off than half a detail, but where walls have been left out:
/// what closes their roots does.
void widen_spans(Recast& made, const Ground& ground, double detail, bool left_out) {
  const Mesh& mesh = made.result.mesh;
  std::vector<char> at_span(mesh.positions.size(), 0);
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f))
      if (made.spanned[f]) at_span[v] = 1;
  const double beside = 0.25 * detail, elsewhere = 0.5 * detail;
  // No point of a triangle is farther off than its middle by more than a corner is from that.
  const auto is_off = [&](const auto& self, const Vec3& a, const Vec3& b, const Vec3& c, double farthest, int halvings) -> bool {
    const Vec3 middle = (a + b + c) / 3;
    const double off = (ground.nearest(middle).point - middle).norm();
    if (off > farthest) return true;
    if (off + std::sqrt(std::max({(a - middle).squaredNorm(), (b - middle).squaredNorm(), (c - middle).squaredNorm()})) <= farthest) return false;
    if (halvings == 0) return true;
    const Vec3 ab = (a + b) / 2, bc = (b + c) / 2, ca = (c + a) / 2;
    return self(self, a, ab, ca, farthest, halvings - 1) || self(self, ab, b, bc, farthest, halvings - 1) || self(self, ca, bc, c, farthest, halvings - 1) || self(self, ab, bc, ca, farthest, halvings - 1);
  };
  constexpr int halvings = 4;
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(mesh.face_count()), 256), [&](const auto& range) {
    for (Index f = range.begin(); f < range.end(); ++f) {
      const auto ring = mesh.face(f);
      const bool is_beside = std::any_of(ring.begin(), ring.end(), [&](Index v) { return at_span[v]; });
      if (made.spanned[f] || (left_out && !is_beside)) continue;
      bool off = false;
      for (std::size_t k = 1; k + 1 < ring.size() && !off; ++k) off = is_off(is_off, mesh.positions[ring[0]], mesh.positions[ring[k]], mesh.positions[ring[k + 1]], is_beside ? beside : elsewhere, halvings);
      if (off) made.spanned[f] = 1, made.result.sources.face[f] = no_index;
    }
  });
}

/// Where holes are spanned the skin is as uneven as the views of the parts there are: it is drawn as tight as a membrane, but for what lies along the parts.
void even_spans(Recast& made, const std::string& name, const Control& control) {
  SmoothSettings passes;
  passes.passes = 40;
  passes.strength = 1;
  passes.keep_volume = false;
  passes.held.sharper_than = 180;
  passes.held.materials = passes.held.regions = false;
  passes.scope = made.spanned;
  Smoothed smoothed = smooth(made.result.mesh, name, passes, control);
  if (smoothed.is_sound) made.result.mesh.positions = std::move(smoothed.positions);
}

}  // namespace

Result<BooleanResult> recast_parts(std::span<const Part> parts, const RecastSettings& settings, const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  Recast made;
  BooleanResult& result = made.result;
  boolean::StageClock stage(result.report, control);
  std::vector<Part> surfaces;
  std::vector<Index> place_of;  // of each of those among the parts
  Cloud cloud = cloud_of(parts, surfaces, place_of);
  Soup soup = stage("gather", 0.1, [&] { return soup_of(surfaces, result.report, control); });
  for (Index& part : soup.part) part = place_of[part];
  if (soup.triangles.empty() && cloud.points.empty()) {
    result.report.empty_reason = "it has no faces";
    return result;
  }
  const std::string& name = parts[0].name;
  const SkinSettings how{settings.detail, settings.sharp && cloud.points.empty()};
  Result<Skin> skin = Skin{};
  std::optional<Ground> ground;
  if (!soup.triangles.empty()) {
    ground = ground_on(soup.positions, soup.triangles, soup.normals, soup.closed, control);
    SkinSettings first = how;
    if (settings.leave_out_thin) first.leave_out = settings.least_wall;
    skin = lay_skin(*ground, name, first, stage, control);
  }
  if (!skin) return skin.issue();
  const std::size_t left_out = skin->left_out, thin = skin->thin;
  std::vector<Vec3> thin_at = std::move(skin->thin_at);
  if (left_out > 0) result.report.tell(walls_left_out, left_out, fmt::format("{:.4g}", settings.least_wall), std::move(skin->left_out_at));
  if (!cloud.points.empty()) {
    skin = with_points(*skin, cloud, static_cast<Index>(soup.triangles.size()), settings, name, result.report, stage, control);
    if (!skin) return skin.issue();
  }
  if (skin->settled > 0) result.report.tell(skin_settled, skin->settled, name);
  if (settings.offset != 0 && !skin->mesh.empty()) {
    skin = moved_out(*skin, settings.offset, name, how, stage, control);
    if (!skin) return skin.issue();
    if (skin->settled > 0) result.report.tell(skin_settled, skin->settled, name);
  }
  if (skin->mesh.empty()) {
    const bool by_normals = settings.through_points && !cloud.normals.empty();
    result.report.empty_reason = left_out > 0 ? "all of it is thinner than the least wall asked for" : settings.offset < 0 ? "nothing in it is as thick as that" : by_normals ? "its points enclose nothing: take balls around them" : "nothing in it is enclosed";
    return result;
  }
  result.mesh = std::move(skin->mesh);
  const auto triangles = static_cast<Index>(soup.triangles.size());
  for (Index t : skin->source) {
    made.spanned.push_back(t == no_index);
    if (t == no_index)
      result.sources.add(0, no_index);
    else if (t < triangles)
      result.sources.add(soup.part[t], soup.face[t]);
    else
      result.sources.add(cloud.part[t - triangles], no_index);
  }
  if (const std::size_t gone = drop_small_shells(made, settings.smallest > 0 ? settings.smallest : 2 * settings.detail); gone > 0)
    result.report.tell(small_shells_left_out, gone, name);
  const bool spans = std::find(made.spanned.begin(), made.spanned.end(), 1) != made.spanned.end();
  if (spans && ground && cloud.points.empty() && settings.offset == 0) stage("span", 0.9, [&] {
      widen_spans(made, *ground, settings.detail, left_out > 0);
      return 0;
    });
  std::vector<const Mesh*> from;
  for (const Part& part : parts) from.push_back(part.mesh.get());
  carry_slots(from, result.sources, result.mesh);
  if (spans) stage("span", 0.9, [&] {
      even_spans(made, name, control);
      return 0;
    });
  bool thickened_any = false;
  if (settings.least_wall > 0 && !settings.leave_out_thin) stage("thicken", 0.92, [&] {
      Thickened thickened = thicken(result.mesh, settings.least_wall, control);
      result.mesh.positions = std::move(thickened.positions);
      thickened_any = thickened.thin > 0;
      if (thickened_any) result.report.tell(walls_thickened, thickened.thin, fmt::format("{:.4g}", settings.least_wall), std::move(thickened.places));
      const std::size_t left = thickened.short_of.size();
      if (left > 0) result.report.tell(walls_still_thin, left, name, std::move(thickened.short_of));
      return 0;
    });
  if (thin > 0 && !thickened_any) result.report.tell(walls_thinner, thin, name, std::move(thin_at));
  if (settings.smoothing > 0) stage("smooth", 0.95, [&] {
      SmoothSettings passes;
      passes.passes = settings.smoothing;
      passes.held.sharper_than = settings.sharp ? held_edge : 180;
      Smoothed smoothed = smooth(result.mesh, name, passes, control);
      if (smoothed.is_sound) result.mesh.positions = std::move(smoothed.positions);
      for (auto& done : smoothed.report.done) result.report.done.push_back(std::move(done));
      return 0;
    });
  if (settings.flatten > 0) stage("thin", 1, [&] { return thin_out(made, settings, name, control); });
  const bool only_balls = surfaces.empty() && !(settings.through_points && !cloud.normals.empty());
  if (!settings.inner || only_balls)
    if (inner_shells(made, !settings.inner) == 0 && only_balls) {
      std::vector<Vec3> gaps = gaps_of(result.mesh, cloud.points, control);
      const std::size_t count = std::max<std::size_t>(gaps.size(), 1);
      gaps.resize(std::min(gaps.size(), OperationReport::max_places));
      result.report.tell(points_leave_gaps, count, name, std::move(gaps));
    }
  if (!settings.close_holes || settings.widest_hole > 0)
    if (std::vector<Vec3> left = open_holes(made, settings.close_holes ? settings.widest_hole : 0); !left.empty()) {
      const std::size_t count = left.size();
      left.resize(std::min(count, OperationReport::max_places));
      result.report.tell(holes_left_open, count, name, std::move(left));
    }
  if (const auto spanned = static_cast<std::size_t>(std::count(made.spanned.begin(), made.spanned.end(), 1)); spanned > 0) result.report.tell(holes_spanned, spanned, name);
  result.piece.assign(result.mesh.face_count(), 0);
  result.free_of_crossings = true;
  result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return std::move(result);
}

}  // namespace anvil
