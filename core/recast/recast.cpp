// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/recast.h"

#include <fmt/format.h>

#include <chrono>
#include <optional>

#include "core/boolean/stage_clock.h"
#include "core/recast/cloud_field.h"
#include "core/recast/cloud_gaps.h"
#include "core/recast/field_lines.h"
#include "core/recast/lead_rims.h"
#include "core/recast/recast_so_far.h"
#include "core/recast/reduce.h"
#include "core/recast/skin.h"
#include "core/recast/skin_holes.h"
#include "core/recast/skin_shells.h"
#include "core/recast/smooth.h"
#include "core/recast/thicken.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

using namespace recast;

constexpr Note small_shells_left_out{"small_shells_left_out", "1 shell smaller than the smallest feature was left out", "{0} shells smaller than the smallest feature were left out"};
constexpr Note points_as_balls{"points_as_balls", "1 point as a ball of radius {1}", "{0} points as balls of radius {1}", Note::Place::card};
constexpr Note through_points{"through_points", "through 1 point, each counting as far as {1}", "through {0} points, each counting as far as {1}", Note::Place::card};
constexpr Note normals_turned{"normals_turned", "the normal of 1 point looked inwards and was turned over", "the normals of {0} points looked inwards and were turned over"};
constexpr Note points_leave_gaps{"points_leave_gaps", "the balls of the points leave a gap: it is a thin wall, not a solid. A larger point radius closes it", "the balls of the points leave {0} gaps: it is a thin wall, not a solid. A larger point radius closes them"};
constexpr Note walls_thinner{"walls_thinner", "a wall of {1} is thinner than the detail: it stays as thin as it is, and may end up to half a detail short; a least wall makes it thicker or leaves it out", "walls of {1} are thinner than the detail: they stay as thin as they are, and may end up to half a detail short; a least wall makes them thicker or leaves them out"};
constexpr Note walls_thickened{"walls_thickened", "1 face with a wall thinner than that behind it: made {1} thick", "{0} faces with walls thinner than that behind them: made {1} thick"};
constexpr Note walls_still_thin{"walls_still_thin", "a wall could not be made as thick as asked for everywhere: at its rim, or where it would meet something", "walls could not be made as thick as asked for everywhere: at their rims, or where they would meet something"};
constexpr Note thin_walls_left_out{"thin_walls_left_out", "1 wall thinner than {1} was left out", "{0} walls thinner than {1} were left out"};
constexpr Note holes_left_open{"holes_left_open", "1 hole was left open", "{0} holes were left open"};
constexpr Note holes_spanned{"holes_spanned", "holes were spanned: 1 face of the skin lies on no part", "holes were spanned: {0} faces of the skin lie on no part"};

/// A skin about another and a cloud. @param first  what the sources of points are counted from
template <class CloudField>
Result<Skin> with_cloud(const Skin& skin, const CloudField& cloud, const Box3& cloud_box, Index first, const std::string& name, const SkinSettings& settings, boolean::StageClock& stage, const Control& control) {
  const TriangleList list = triangulate(skin.mesh);
  std::optional<SignedDistance> surface;
  if (!list.triangles.empty()) surface.emplace(skin.mesh.positions, list.triangles, control);
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

constexpr double held_edge_angle = 30;  // degrees: a skin's own unevenness stays below

/// Triangles that lie nearly in one plane drawn together, up to a tenth of the detail.
int thin_out(Recast& made, const RecastSettings& settings, const std::string& name, const Control& control) {
  BooleanResult& result = made.result;
  constexpr double most = 0.1;
  ReduceSettings how;
  how.rms = most * settings.flatten * settings.detail;
  how.held.sharper_than = settings.sharp ? held_edge_angle : 180;
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

bool is_sound_in_place(const Part& part, const Control& control) {
  Mesh mesh = *part.mesh;
  place(mesh, part.placement);
  return is_sound(mesh, {}, 1, control.stop);
}

/// The skin that lies so far outside of another, or inside.
Result<Skin> moved_out(const Skin& skin, double offset, const std::string& name, const SkinSettings& settings, boolean::StageClock& stage, const Control& control) {
  const TriangleList list = triangulate(skin.mesh);
  const SignedDistance distance(skin.mesh.positions, list.triangles, control);
  const Field field = offset_field(distance, offset);
  Result<Skin> made = lay_skin(ground_of(field, bounds(skin.mesh).grown(std::max(0.0, offset)), control), name, settings, stage, control);
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
    return with_cloud(skin, *surface, box.grown(reach), first, name, how, stage, control);
  }
  const double radius = settings.point_radius > 0 ? settings.point_radius : spacing > 0 ? ball * spacing : 1;
  if (settings.detail > 1.5 * radius)
    return Issue{fmt::format("balls of {:.3g} about the points are too small for a detail of {:.4g}", radius, settings.detail), name, {}, fmt::format("take a detail of at most {:.3g}, or a larger radius", 1.5 * radius)};
  report.tell(points_as_balls, cloud.points.size(), fmt::format("{:.3g}", radius));
  return with_cloud(skin, PointBalls(cloud.points, radius), box.grown(radius), first, name, how, stage, control);
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
  // What is sound needs no skin to be moved out from: its own surface says how far everything is from it.
  const bool is_own_surface = settings.offset != 0 && cloud.points.empty() && surfaces.size() == 1 && settings.least_wall == 0 && stage("check", 0.15, [&] { return is_sound_in_place(surfaces[0], control); });
  if (is_own_surface) {
    const SignedDistance distance(soup.positions, soup.triangles, control);
    const Field field = offset_field(distance, settings.offset);
    Box3 box;
    for (const Vec3& p : soup.positions) box.add(p);
    skin = lay_skin(ground_of(field, box.grown(std::max(0.0, settings.offset)), control), name, how, stage, control);
  } else if (!soup.triangles.empty()) {
    ground = ground_on(soup.positions, soup.triangles, soup.normals, soup.closed, control);
    SkinSettings first = how;
    if (settings.leave_out_thin) first.leave_out = settings.least_wall;
    skin = lay_skin(*ground, name, first, stage, control);
  }
  if (!skin) return skin.issue();
  const std::size_t left_out = skin->left_out, thin = skin->thin;
  std::vector<Vec3> thin_at = std::move(skin->thin_at);
  if (left_out > 0) result.report.tell(thin_walls_left_out, left_out, fmt::format("{:.4g}", settings.least_wall), std::move(skin->left_out_at));
  if (!cloud.points.empty()) {
    skin = with_points(*skin, cloud, static_cast<Index>(soup.triangles.size()), settings, name, result.report, stage, control);
    if (!skin) return skin.issue();
  }
  tell_how_laid(*skin, settings.detail, name, result.report);
  if (settings.offset != 0 && !is_own_surface && !skin->mesh.empty()) {
    skin = moved_out(*skin, settings.offset, name, how, stage, control);
    if (!skin) return skin.issue();
    tell_how_laid(*skin, settings.detail, name, result.report);
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
  const auto has_spans = [&] { return std::find(made.spanned.begin(), made.spanned.end(), 1) != made.spanned.end(); };
  if (ground && !ground->closed && cloud.points.empty() && settings.offset == 0) stage("span", 0.9, [&] {
      widen_spans(made, *ground, settings.detail, skin->at_root);
      const std::vector<char> led = lead_rims(made, soup, settings.detail, control);
      widen_spans(made, *ground, settings.detail, skin->at_root, led);
      return 0;
    });
  if (const std::size_t gone = drop_small_shells(made, settings.smallest > 0 ? settings.smallest : 2 * settings.detail); gone > 0)
    result.report.tell(small_shells_left_out, gone, name);
  std::vector<const Mesh*> from;
  for (const Part& part : parts) from.push_back(part.mesh.get());
  carry_slots(from, result.sources, result.mesh);
  if (has_spans()) stage("span", 0.9, [&] {
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
      passes.held.sharper_than = settings.sharp ? held_edge_angle : 180;
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
