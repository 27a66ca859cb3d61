// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/skin.h"

#include <fmt/format.h>
#include <tbb/concurrent_vector.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <optional>

#include "core/mesh/bvh.h"
#include "core/mesh/edges.h"
#include "core/mesh/nearest.h"
#include "core/recast/contour.h"
#include "core/recast/follow_edges.h"
#include "core/recast/grid_lines.h"
#include "core/recast/leave_out_thin.h"
#include "core/recast/move_vertices.h"
#include "core/recast/pull_in.h"
#include "core/recast/settle_skin.h"
#include "core/recast/settle_shells.h"
#include "core/recast/strays.h"
#include "core/recast/uncross.h"

namespace anvil::recast {
namespace {

constexpr double farthest_off = 0.33, promised_off = 0.5;  // details
constexpr double little = 0.005, much = 0.03;              // shares of a skin's triangles that cross others

/// Is every edge passed once each way, and does every vertex have one fan? With no crossing, and no triangle without area, the skin is sound.
bool is_manifold(const Contour& skin) {
  const std::vector<Index> opposite = find_opposites(skin.triangles, {}, skin.positions.size());
  std::vector<char> doubtful(skin.positions.size(), 0);
  mark_maybe_non_manifold(skin.triangles, opposite, doubtful);
  return std::find(doubtful.begin(), doubtful.end(), 1) == doubtful.end();
}

/// Tells walls by the two crossings on one edge of the grid whose surfaces look away from each other; at a sharp edge they look aside.
void find_thin(const Ground::Met& met, const Grid& grid, Skin& skin) {
  constexpr double away = -0.8;  // cosine
  for (int axis = 0; axis < 3; ++axis) {
    const std::vector<Crossing>& all = met.crossings[static_cast<std::size_t>(axis)];
    for (std::size_t k = 0; k + 1 < all.size(); ++k) {
      const Crossing &in = all[k], &out = all[k + 1];
      if (in.line != out.line || in.edge != out.edge || in.out || !out.out || in.triangle == no_index || out.triangle == no_index) continue;
      if (met.normals[in.triangle].dot(met.normals[out.triangle]) > away) continue;
      ++skin.thin;
      if (skin.thin_at.size() >= OperationReport::max_places) continue;
      const Index along = grid.size[static_cast<std::size_t>(u_of(axis))];
      Vec3 at;
      at[axis] = (in.at + out.at) / 2;
      at[u_of(axis)] = grid.at(u_of(axis), in.line % along);
      at[v_of(axis)] = grid.at(v_of(axis), in.line / along);
      skin.thin_at.push_back(at);
    }
  }
}

/// Places on faces that are farther off than that: of a contour all but those that look the way of what they cover, which are near all over; not what spans a hole or closes the root of a wall.
std::vector<Vec3> find_strays(const Contour& made, std::span<const Vec3> normals, const std::function<Tangent(const Vec3&)>& nearest, double farthest, const Control& control) {
  tbb::concurrent_vector<Vec3> found;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, made.triangles.size(), 1024), [&](const auto& range) {
    for (std::size_t t = range.begin(); t < range.end() && !control.stop.stop_requested(); ++t) {
      if (made.source[t] == no_index || normals[made.source[t]] == Vec3::Zero()) continue;
      constexpr double alike = 0.95;
      const Vec3 &a = made.positions[made.triangles[t][0]], &b = made.positions[made.triangles[t][1]], &c = made.positions[made.triangles[t][2]], n = (b - a).cross(c - a);
      if (std::abs(n.dot(normals[made.source[t]])) <= alike * n.norm() && strays(a, b, c, nearest, farthest)) found.push_back((a + b + c) / 3);
    }
  });
  check_stop(control);
  return {found.begin(), found.end()};
}

/// The same of a skin, where what lies beside spans and roots does not count either.
std::vector<Vec3> find_strays(const Skin& skin, const std::function<Tangent(const Vec3&)>& nearest, double farthest, const Control& control) {
  std::vector<char> by_other(skin.mesh.positions.size(), 0);
  for (Index f = 0; f < skin.mesh.face_count(); ++f)
    if (skin.source[f] == no_index || (!skin.at_root.empty() && skin.at_root[f]))
      for (Index v : skin.mesh.face(f)) by_other[v] = 1;
  tbb::concurrent_vector<Vec3> found;
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(skin.mesh.face_count()), 256), [&](const auto& range) {
    for (Index f = range.begin(); f < range.end() && !control.stop.stop_requested(); ++f) {
      const auto ring = skin.mesh.face(f);
      if (std::none_of(ring.begin(), ring.end(), [&](Index v) { return by_other[v]; }) && strays(skin.mesh, f, nearest, farthest)) found.push_back(skin.mesh.positions[ring[0]] / 3 + skin.mesh.positions[ring[1]] / 3 + skin.mesh.positions[ring[2]] / 3);
    }
  });
  check_stop(control);
  return {found.begin(), found.end()};
}

struct Laid {
  Skin skin;
  std::size_t crossing = 0;  ///< triangles that cross others
  bool is_sound = false;
  bool is_uneven = false;  ///< nothing could be laid: the ground was not of one mind where it is inside
};

Laid lay_on(const Grid& grid, const Ground& ground, const SkinSettings& settings, boolean::StageClock& stage, const Control& control) {
  Ground::Met met = stage("sample", 0.4, [&] { return ground.meet(grid); });
  Laid laid;
  laid.skin.step = grid.step;
  Index without_plane = no_index;
  if (settings.leave_out > 0) stage("sample", 0.45, [&] {
      LeftOut gone = leave_out_thin(met, grid, settings.leave_out, control);
      laid.skin.left_out = gone.walls;
      laid.skin.left_out_at = std::move(gone.places);
      if (gone.walls > 0) without_plane = gone.without_plane;
      return 0;
    });
  find_thin(met, grid, laid.skin);
  ContourSettings how;
  how.sharp = settings.sharp;
  how.nearest = ground.nearest;
  Contour made = stage("contour", 0.6, [&] { return contour(grid, met.crossings, met.normals, how, control); });
  met.crossings = {};
  laid.is_uneven = made.uneven;
  if (laid.is_uneven) return laid;
  constexpr int rounds = 3;
  std::vector<char> crossing = stage("settle", 0.8, [&] { return uncross(made, control); });
  bool led = !settings.sharp || !how.nearest;
  const auto lead = [&] {
    if (!led && crossing.empty()) led = stage("contour", 0.7, [&] {
        follow_edges(made, met.normals, how.nearest, on_surface * settings.detail, control);
        return true;
      });
  };
  lead();
  for (int round = 0; round < rounds; ++round) {
    // What is drawn back so as not to cross may cut deep again.
    const std::vector<char> pulled_in = stage("contour", 0.8, [&] { return pull_in(made, met.normals, how.nearest, farthest_off * settings.detail, control); });
    if (pulled_in.empty()) break;
    crossing = stage("settle", 0.9, [&] { return uncross(made, control, pulled_in); });
    lead();
  }
  laid.crossing = static_cast<std::size_t>(std::count(crossing.begin(), crossing.end(), 1));
  laid.is_sound = crossing.empty() && stage("check", 0.9, [&] { return is_manifold(made); });
  if (laid.is_sound) settle_shells(made, settings.detail);
  if (laid.is_sound && ground.closed) laid.skin.strays = stage("check", 0.9, [&] { return find_strays(made, met.normals, ground.nearest, promised_off * settings.detail, control); });
  laid.skin.mesh.positions = std::move(made.positions);
  for (std::size_t t = 0; t < made.triangles.size(); ++t) {
    laid.skin.mesh.add_face(made.triangles[t]);
    const Index source = made.source[t] == no_index || met.source.empty() ? made.source[t] : met.source[made.source[t]];
    laid.skin.spanned += source == no_index;
    laid.skin.source.push_back(source);
    if (without_plane != no_index) laid.skin.at_root.push_back(source != no_index && made.source[t] >= without_plane);
  }
  return laid;
}

/// Draws vertices that stand too far off the ground towards it, but for those of what spans a hole.
void draw_in(Skin& skin, const Ground& ground, double farthest, const Control& control) {
  std::vector<char> movable(skin.mesh.positions.size(), 1);
  for (Index f = 0; f < skin.mesh.face_count(); ++f)
    for (Index v : skin.mesh.face(f))
      if (skin.source[f] == no_index) movable[v] = 0;
  std::vector<Vec3> wanted = skin.mesh.positions;
  constexpr double slack = 0.1;
  tbb::parallel_for(std::size_t{0}, wanted.size(), [&](std::size_t v) {
    if (!movable[v]) return;
    const Vec3 near = ground.nearest(wanted[v]).point, off = wanted[v] - near;
    movable[v] = off.norm() > farthest;
    if (movable[v]) wanted[v] = near + (1 - slack) * farthest / off.norm() * off;
  });
  if (std::find(movable.begin(), movable.end(), 1) == movable.end()) return;
  MovedVertices moved = move_vertices(skin.mesh, std::move(wanted), movable, control);
  if (moved.is_sound) skin.mesh.positions = std::move(moved.positions);
}

/// @return false where even the engine does not make it sound
bool settle(Laid& laid, const Ground& ground, double detail, bool impatient, const Control& control) {
  Skin& skin = laid.skin;
  std::vector<Index> face;
  if (!settle_skin(skin.mesh, face, impatient, control)) return false;
  std::vector<Index> source;
  std::vector<char> at_root;
  for (Index f : face) {
    source.push_back(f == no_index ? no_index : skin.source[f]);
    if (!skin.at_root.empty()) at_root.push_back(f != no_index && skin.at_root[f]);
  }
  skin.source = std::move(source);
  skin.at_root = std::move(at_root);
  skin.settled = std::max<std::size_t>(laid.crossing, 1);
  if (ground.nearest) draw_in(skin, ground, farthest_off * detail, control);
  if (ground.closed) skin.strays = find_strays(skin, ground.nearest, promised_off * detail, control);
  return true;
}

}  // namespace

Result<Skin> lay_skin(const Ground& ground, const std::string& name, const SkinSettings& settings, boolean::StageClock& stage, const Control& control) {
  Grid grid = grid_around(ground.box, settings.detail);
  constexpr double most_cells = 4e9;
  constexpr Index longest = 60000;  // points along an axis
  const Vec3 size = ground.box.size();
  if (const double over = std::max(std::cbrt(grid.cells() / most_cells), static_cast<double>(*std::max_element(grid.size.begin(), grid.size.end())) / longest); over > 1)
    return Issue{fmt::format("a detail of {:.4g} is too fine for {:.4g} x {:.4g} x {:.4g}", settings.detail, size.x(), size.y(), size.z()), name, {},
                 fmt::format("take at least {:.3g}", 1.01 * settings.detail * over)};
  // Another grid leaves what crosses elsewhere, or nowhere, and then edges can be led along as well: so of small skins there is a second one before the engine is asked where little
  // does; else of all grids the one that leaves least comes first. Where much crosses it would take minutes.
  constexpr int grids = 4;
  constexpr std::size_t small = 100'000;  // faces: of these another costs less than a second
  constexpr std::size_t never_much = 1'000;
  std::vector<Laid> nearly, tangled, stubborn;
  std::optional<Skin> too_far;  // sound, but not as near as promised: the last, of the finest grid
  // Of some, that which the engine makes sound first.
  const auto settled = [&](std::vector<Laid>& all, bool impatient) -> std::optional<Skin> {
    std::stable_sort(all.begin(), all.end(), [](const Laid& a, const Laid& b) { return a.crossing < b.crossing; });
    for (Laid& laid : all) {
      if (stage("settle", 1, [&] { return settle(laid, ground, settings.detail, impatient, control); })) {
        if (laid.skin.strays.empty()) return std::move(laid.skin);
        too_far = std::move(laid.skin);
      } else if (impatient) {
        stubborn.push_back(std::move(laid));
      }
    }
    all.clear();
    return std::nullopt;
  };
  // Folds as narrow as the grid is wide are seen by a finer one.
  const auto take_another_grid = [&] {
    constexpr double finer = 0.88;
    if (too_far) grid = grid_around(ground.box, finer * grid.step);
    grid.origin -= grid.step * Vec3(0.31, 0.17, 0.23);
  };
  for (int k = 0; k < grids; ++k, take_another_grid()) {
    Laid laid = lay_on(grid, ground, settings, stage, control);
    if (laid.is_uneven) continue;
    if (laid.skin.mesh.empty() || (laid.is_sound && laid.skin.strays.empty())) return std::move(laid.skin);
    if (laid.is_sound) {
      too_far = std::move(laid.skin);
    } else {
      const std::size_t faces = laid.skin.mesh.face_count();
      const double share = static_cast<double>(laid.crossing) / static_cast<double>(faces);
      if (share < little)
        nearly.push_back(std::move(laid));
      else if (share < much || laid.crossing < never_much)
        tangled.push_back(std::move(laid));
      if (k > 0 || !settings.sharp || faces > small)
        if (std::optional<Skin> skin = settled(nearly, true)) return std::move(*skin);
    }
  }
  if (!too_far)
    if (std::optional<Skin> skin = settled(tangled, true)) return std::move(*skin);
  if (too_far) return std::move(*too_far);
  // At last with all patience: that may take minutes.
  if (std::optional<Skin> skin = settled(stubborn, false)) return std::move(*skin);
  return Issue{fmt::format("the skin would cross itself at a detail of {:.4g}", settings.detail), name, {}, "take a finer one, or a coarser one"};
}

void tell_how_laid(Skin& skin, double detail, const std::string& name, OperationReport& report) {
  if (skin.settled > 0) report.tell(skin_settled, skin.settled, name);
  if (skin.step > 0 && skin.step < detail) report.tell(skin_finer, 1, fmt::format("{:.4g}", skin.step));
  const std::size_t count = skin.strays.size();
  if (count == 0) return;
  skin.strays.resize(std::min(count, OperationReport::max_places));
  report.tell(skin_strays, count, name, std::move(skin.strays));
}

Ground ground_on(std::span<const Vec3> positions, std::span<const Triangle> triangles, const std::vector<Vec3>& normals, bool closed, const Control& control) {
  Ground ground;
  for (const Vec3& p : positions) ground.box.add(p);
  ground.meet = [=, &normals](const Grid& grid) {
    return Ground::Met{closed ? crossings_of_solid(positions, triangles, grid, control) : crossings_of_open(positions, triangles, grid, control), normals, {}};
  };
  ground.closed = closed;
  ground.nearest = [=, &normals, tree = std::make_shared<const Bvh>(positions, triangles)](const Vec3& p) {
    const Index t = tree->nearest(positions, triangles, p).triangle;
    const auto& [a, b, c] = triangles[t];
    return Tangent{nearest_on_triangle(p, positions[a], positions[b], positions[c]), normals[t]};
  };
  return ground;
}

}  // namespace anvil::recast
