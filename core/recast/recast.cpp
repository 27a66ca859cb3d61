// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/recast.h"

#include <fmt/format.h>

#include <chrono>
#include <limits>
#include <optional>

#include "core/boolean/stage_clock.h"
#include "core/mesh/bvh.h"
#include "core/mesh/sub_mesh.h"
#include "core/mesh/union_find.h"
#include "core/mesh/winding.h"
#include "core/recast/field_lines.h"
#include "core/recast/reduce.h"
#include "core/recast/skin.h"
#include "core/recast/smooth.h"

namespace anvil {
namespace {

using namespace recast;

constexpr Note small_shells_left_out{"small_shells_left_out", "1 shell smaller than the smallest feature was left out", "{0} shells smaller than the smallest feature were left out"};
constexpr Note points_as_balls{"points_as_balls", "1 point as a ball of radius {1}", "{0} points as balls of radius {1}", Note::Place::card};
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

/// Of the result, only these faces of it.
class Kept {
 public:
  explicit Kept(BooleanResult& result) : result_(result) {}
  void add(const SubMesh& sub) {
    append(mesh_, sub.mesh);
    for (Index f : sub.faces) sources_.add(result_.sources.input[f], result_.sources.face[f]);
  }
  void take() {
    result_.mesh = std::move(mesh_);
    result_.sources = std::move(sources_);
  }

 private:
  BooleanResult& result_;
  Mesh mesh_;
  FaceSources sources_;
};

/// Without shells smaller than that, but for the largest. @return how many went
std::size_t drop_small_shells(BooleanResult& result, double smallest) {
  const std::vector<SubMesh> shells = shells_of(result.mesh);
  std::vector<double> sizes;
  for (const SubMesh& sub : shells) sizes.push_back(bounds(sub.mesh).diagonal());
  if (sizes.empty() || *std::min_element(sizes.begin(), sizes.end()) >= smallest) return 0;
  const double least = std::min(smallest, *std::max_element(sizes.begin(), sizes.end()));
  Kept kept(result);
  for (std::size_t k = 0; k < shells.size(); ++k)
    if (sizes[k] >= least) kept.add(shells[k]);
  kept.take();
  return static_cast<std::size_t>(std::count_if(sizes.begin(), sizes.end(), [&](double size) { return size < least; }));
}

/// Without shells within another.
void drop_inner_shells(BooleanResult& result) {
  std::vector<SubMesh> shells = shells_of(result.mesh);
  std::stable_sort(shells.begin(), shells.end(), [](const SubMesh& a, const SubMesh& b) { return std::abs(signed_volume(a.mesh)) > std::abs(signed_volume(b.mesh)); });
  Kept outer(result);
  std::vector<TriangleList> kept;
  std::vector<const Mesh*> kept_meshes;
  for (const SubMesh& sub : shells) {
    bool within = false;
    for (std::size_t k = 0; k < kept.size() && !within; ++k) within = std::abs(winding_number(kept_meshes[k]->positions, kept[k].triangles, sub.mesh.positions[0])) > 0.5;
    if (within) continue;
    kept.push_back(triangulate(sub.mesh));
    kept_meshes.push_back(&sub.mesh);
    outer.add(sub);
  }
  outer.take();
}

/// Points of parts without faces, in the common space.
struct Cloud {
  std::vector<Vec3> points;
  std::vector<Index> part;  ///< of each
};
Cloud cloud_of(std::span<const Part> parts, std::vector<Part>& surfaces, std::vector<Index>& place_of) {
  Cloud cloud;
  for (Index k = 0; k < parts.size(); ++k) {
    if (!parts[k].mesh->empty()) {
      surfaces.push_back(parts[k]);
      place_of.push_back(k);
      continue;
    }
    for (const Vec3& p : parts[k].mesh->positions) cloud.points.push_back(parts[k].placement * p), cloud.part.push_back(k);
  }
  return cloud;
}

/// Balls of this radius close a surface on which points lie about evenly: 1.3 times the way from most of them to the next (common practice).
double suiting_radius(const std::vector<Vec3>& points) {
  constexpr std::size_t asked = 200;
  constexpr double share = 0.9, more = 1.3;
  const std::size_t step = std::max<std::size_t>(1, points.size() / asked);
  std::vector<double> squares;
  for (std::size_t k = 0; k < points.size(); k += step) {
    double least = std::numeric_limits<double>::infinity();
    for (const Vec3& q : points)
      if (const double square = (q - points[k]).squaredNorm(); square > 0) least = std::min(least, square);
    if (std::isfinite(least)) squares.push_back(least);
  }
  if (squares.empty()) return 1;
  const auto at = squares.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(squares.size() - 1));
  std::nth_element(squares.begin(), at, squares.end());
  return more * std::sqrt(*at);
}

/// A skin about another and balls. @param first  what the sources of points are counted from
Result<Skin> with_balls(const Skin& skin, const Cloud& cloud, Index first, double radius, const std::string& name, const SkinSettings& settings, boolean::StageClock& stage, const Control& control) {
  std::vector<Triangle> dots;
  for (Index k = 0; k < cloud.points.size(); ++k) dots.push_back({k, k, k});
  const Bvh tree(cloud.points, dots);
  const TriangleList list = triangulate(skin.mesh);
  std::optional<SignedDistance> surface;
  if (!list.triangles.empty()) surface.emplace(skin.mesh.positions, list.triangles);
  const Field field{[&](const Vec3& p) {
    const Index k = tree.nearest(cloud.points, dots, p).triangle;
    const Vec3 way = p - cloud.points[k];
    const double distance = way.norm();
    FieldSample ball{distance - radius, distance > 0 ? Vec3(way / distance) : Vec3(Vec3::UnitZ()), first + k};
    if (!surface) return ball;
    FieldSample sample = (*surface)(p);
    if (ball.value < sample.value) return ball;
    sample.source = skin.source[list.face[sample.source]];
    return sample;
  }};
  Box3 box = bounds(skin.mesh);
  for (const Vec3& p : cloud.points) box.add(Vec3(p.array() - radius)), box.add(Vec3(p.array() + radius));
  return lay_skin(ground_of(field, box, control), name, settings, stage, control);
}

constexpr double held_edge = 30;  // degrees: a skin's own unevenness stays below

/// Triangles that lie nearly in one plane drawn together, up to a tenth of the detail.
int thin_out(BooleanResult& result, const RecastSettings& settings, const std::string& name, const Control& control) {
  constexpr double most = 0.1;
  ReduceSettings how;
  how.rms = most * settings.flatten * settings.detail;
  how.held.sharper_than = settings.sharp ? held_edge : 180;
  Reduced reduced = reduce(result.mesh, name, how, control);
  FaceSources sources;
  for (Index f : reduced.source) sources.add(f == no_index ? 0 : result.sources.input[f], f == no_index ? no_index : result.sources.face[f]);
  result.sources = std::move(sources);
  result.mesh = std::move(reduced.mesh);
  result.mesh.origins.clear();
  for (auto& done : reduced.report.done) result.report.done.push_back(std::move(done));
  return 0;
}

/// Leaves out the faces that lie on no part.
void open_holes(BooleanResult& result) {
  std::vector<Index> group;
  for (Index f : result.sources.face) group.push_back(f == no_index ? no_index : 0);
  Kept kept(result);
  kept.add(take_apart(result.mesh, group, 1).front());
  kept.take();
  result.open_on_purpose = true;
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
    for (Index& t : made->source)
      if (t != no_index) t = skin.source[list.face[t]];
  return made;
}

}  // namespace

Result<BooleanResult> recast_parts(std::span<const Part> parts, const RecastSettings& settings, const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  BooleanResult result;
  boolean::StageClock stage(result.report, control);
  std::vector<Part> surfaces;
  std::vector<Index> place_of;  // of each of those among the parts
  const Cloud cloud = cloud_of(parts, surfaces, place_of);
  Soup soup = stage("gather", 0.1, [&] { return soup_of(surfaces, result.report, control); });
  for (Index& part : soup.part) part = place_of[part];
  if (soup.triangles.empty() && cloud.points.empty()) {
    result.report.empty_reason = "it has no faces";
    return result;
  }
  const std::string& name = parts[0].name;
  const SkinSettings how{settings.detail, settings.sharp && cloud.points.empty()};
  Result<Skin> skin = Skin{};
  if (!soup.triangles.empty()) skin = lay_skin(ground_on(soup.positions, soup.triangles, soup.normals, soup.closed, control), name, how, stage, control);
  if (!skin) return skin.issue();
  if (!cloud.points.empty()) {
    const double radius = settings.point_radius > 0 ? settings.point_radius : suiting_radius(cloud.points);
    if (settings.detail > 1.5 * radius)
      return Issue{fmt::format("balls of {:.3g} about the points are too small for a detail of {:.4g}", radius, settings.detail), name, {}, fmt::format("take a detail of at most {:.3g}, or a larger radius", 1.5 * radius)};
    result.report.tell(points_as_balls, cloud.points.size(), fmt::format("{:.3g}", radius));
    skin = with_balls(*skin, cloud, static_cast<Index>(soup.triangles.size()), radius, name, how, stage, control);
    if (!skin) return skin.issue();
  }
  if (skin->spanned > 0) result.report.tell(holes_spanned, skin->spanned, name);
  if (skin->settled > 0) result.report.tell(skin_settled, skin->settled, name);
  if (settings.offset != 0 && !skin->mesh.empty()) {
    skin = moved_out(*skin, settings.offset, name, how, stage, control);
    if (!skin) return skin.issue();
    if (skin->settled > 0) result.report.tell(skin_settled, skin->settled, name);
  }
  if (skin->mesh.empty()) {
    result.report.empty_reason = settings.offset < 0 ? "nothing in it is as thick as that" : "nothing in it is enclosed";
    return result;
  }
  result.mesh = std::move(skin->mesh);
  const auto triangles = static_cast<Index>(soup.triangles.size());
  for (Index t : skin->source) {
    if (t == no_index)
      result.sources.add(0, no_index);
    else if (t < triangles)
      result.sources.add(soup.part[t], soup.face[t]);
    else
      result.sources.add(cloud.part[t - triangles], no_index);
  }
  if (const std::size_t gone = drop_small_shells(result, settings.smallest > 0 ? settings.smallest : 2 * settings.detail); gone > 0)
    result.report.tell(small_shells_left_out, gone, name);
  std::vector<const Mesh*> from;
  for (const Part& part : parts) from.push_back(part.mesh.get());
  carry_materials(from, result.sources, result.mesh);
  if (settings.smoothing > 0) stage("smooth", 0.95, [&] {
      SmoothSettings passes;
      passes.passes = settings.smoothing;
      passes.held.sharper_than = settings.sharp ? held_edge : 180;
      Smoothed smoothed = smooth(result.mesh, name, passes, control);
      result.mesh.positions = std::move(smoothed.positions);
      for (auto& done : smoothed.report.done) result.report.done.push_back(std::move(done));
      return 0;
    });
  if (settings.flatten > 0) stage("thin", 1, [&] { return thin_out(result, settings, name, control); });
  if (!settings.inner) drop_inner_shells(result);
  if (!settings.close_holes && skin->spanned > 0) open_holes(result);
  result.piece.assign(result.mesh.face_count(), 0);
  result.free_of_crossings = true;
  result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return result;
}

}  // namespace anvil
