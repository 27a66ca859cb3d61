// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/smooth.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_reduce.h>

#include <algorithm>

#include "core/boolean/invalid_triangles.h"
#include "core/mesh/edges.h"
#include "core/mesh/union_find.h"

namespace anvil {
namespace {

constexpr Note smoothing_held_back{"smoothing_held_back", "1 vertex was held back so that the surface does not cross itself", "{0} vertices were held back so that the surface does not cross itself"};

/// Around each vertex, in the order of its faces: who follows it in the face, and who comes before it.
struct Rings {
  struct Neighbours {
    Index next, previous;
  };
  std::vector<Index> first;
  std::vector<Neighbours> around;

  explicit Rings(const Mesh& mesh) : first(mesh.positions.size() + 1, 0), around(mesh.corners.size()) {
    for (Index v : mesh.corners) ++first[v + 1];
    for (std::size_t v = 1; v < first.size(); ++v) first[v] += first[v - 1];
    std::vector<Index> place(first.begin(), first.end() - 1);
    for (std::size_t f = 0; f < mesh.face_count(); ++f) {
      const auto ring = mesh.face(f);
      for (std::size_t k = 0; k < ring.size(); ++k) around[place[ring[k]]++] = {ring[k + 1 < ring.size() ? k + 1 : 0], ring[k > 0 ? k - 1 : ring.size() - 1]};
    }
  }
  std::span<const Neighbours> of(Index v) const { return {around.data() + first[v], around.data() + first[v + 1]}; }
};

void for_each_vertex(std::size_t count, const Control& control, const auto& visit) {
  check_stop(control);
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(count), 4096), [&](const auto& range) {
    for (Index v = range.begin(); v < range.end(); ++v) visit(v);
  });
}

/// Which vertices may move.
std::vector<char> movable_in(const Mesh& mesh, const SmoothSettings& settings) {
  const TriangleList list = triangulate(mesh);
  const std::vector<Index> opposite = find_opposites(list.triangles, {}, mesh.positions.size());
  const std::vector<char> held = recast::held_edges(mesh, list, opposite, settings.held);
  std::vector<char> movable(mesh.positions.size(), 1);
  for (std::size_t c = 0; c < opposite.size(); ++c)
    if (held[c] || (settings.hold_borders && opposite[c] == no_index)) movable[list.triangles[c / 3][c % 3]] = movable[list.triangles[c / 3][(c + 1) % 3]] = 0;
  for (std::size_t f = 0; f < settings.scope.size(); ++f)
    if (!settings.scope[f])
      for (Index v : mesh.face(f)) movable[v] = 0;
  return movable;
}

/// Sum over the corners at a vertex: twice the area around it, as a vector along its normal.
Vec3 area_vector(const Rings& rings, const std::vector<Vec3>& at, Index v) {
  Vec3 sum = Vec3::Zero();
  for (const auto& [next, previous] : rings.of(v)) sum += (at[next] - at[v]).cross(at[previous] - at[v]);
  return sum;
}

/// Moves vertices along their normals, all by as much, until the volume is as it was. To first order a step of h changes it by h times the moving area, a third of each face for each corner.
void restore_volume(const Mesh& mesh, const Rings& rings, const std::vector<char>& movable, std::vector<Vec3>& at, const Control& control) {
  Mesh moved = mesh;
  const double before = signed_volume(mesh);
  constexpr int rounds = 10;
  for (int k = 0; k < rounds; ++k) {
    moved.positions = at;
    const double lost = before - signed_volume(moved);
    std::vector<Vec3> normals(at.size());
    for_each_vertex(at.size(), control, [&](Index v) { normals[v] = movable[v] ? area_vector(rings, at, v) : Vec3::Zero(); });
    double area = 0;
    for (const Vec3& n : normals) area += n.norm() / 6;
    if (!(area > 0) || std::abs(lost) <= 1e-12 * std::abs(before)) return;
    for_each_vertex(at.size(), control, [&](Index v) { at[v] += lost / area * normals[v].stableNormalized(); });
  }
}

std::vector<Vec3> passes(const Mesh& mesh, const SmoothSettings& settings, const std::vector<char>& movable, const Control& control) {
  const Rings rings(mesh);
  std::vector<Vec3> at = mesh.positions, next = at;
  const auto pass = [&](double by) {
    for_each_vertex(at.size(), control, [&](Index v) {
      if (!movable[v]) return;
      const auto around = rings.of(v);
      if (around.empty()) return;
      Vec3 sum = Vec3::Zero();
      for (const auto& neighbour : around) sum += at[neighbour.next];
      Vec3 way = sum / static_cast<double>(around.size()) - at[v];
      if (settings.along_normals) {
        const Vec3 normal = area_vector(rings, at, v).stableNormalized();
        way = way.dot(normal) * normal;
      }
      next[v] = at[v] + by * way;
    });
    at.swap(next);
  };
  // Taubin's pass band: what is longer than some twenty vertices stays.
  constexpr double pass_band = 0.1;
  // Beyond these a pass, or one with its widening, makes the shortest waves larger, not smaller.
  constexpr double strongest = 0.95, strongest_pair = 0.68;
  const double narrowing = settings.strength * (settings.keep_volume ? strongest_pair : strongest);
  const double widening = narrowing > 0 ? 1 / (pass_band - 1 / narrowing) : 0;
  for (Index k = 0; k < settings.passes; ++k) {
    pass(narrowing);
    if (settings.keep_volume) pass(widening);
    if (control.progress != nullptr) *control.progress = 0.5 * (k + 1) / settings.passes;
  }
  if (settings.keep_volume) restore_volume(mesh, rings, movable, at, control);
  return at;
}

/// Triangles that cross others or have no area, among those that may have moved.
std::vector<char> crossing_in(const std::vector<Vec3>& at, const std::vector<Triangle>& triangles, const std::vector<char>& movable, const Control& control) {
  std::vector<char> suspect(triangles.size());
  for (std::size_t t = 0; t < suspect.size(); ++t) suspect[t] = movable[triangles[t][0]] || movable[triangles[t][1]] || movable[triangles[t][2]];
  return boolean::find_invalid_triangles(at, triangles, std::vector<Index>(triangles.size(), 0), suspect, boolean::Across::no, control);
}

/// Vertices of shells that have turned inside out, as ones do that shrink to a point and beyond.
class TurnedShells {
 public:
  explicit TurnedShells(const Mesh& mesh) {
    UnionFind joined(mesh.positions.size());
    for (std::size_t f = 0; f < mesh.face_count(); ++f)
      for (Index v : mesh.face(f)) joined.unite(v, mesh.face(f)[0]);
    count_ = joined.number(shell_);
    before_ = volumes(mesh.positions, triangulate(mesh).triangles);
  }
  /// Marks them. @return is there one?
  bool mark(const std::vector<Vec3>& at, const std::vector<Triangle>& triangles, std::vector<char>& vertices) const {
    const std::vector<double> now = volumes(at, triangles);
    bool any = false;
    for (std::size_t v = 0; v < shell_.size(); ++v)
      if (now[shell_[v]] * before_[shell_[v]] < 0) vertices[v] = any = true;
    return any;
  }

 private:
  std::vector<double> volumes(const std::vector<Vec3>& at, const std::vector<Triangle>& triangles) const {
    std::vector<double> volume(count_, 0);
    std::vector<Index> origin(count_, no_index);
    for (const auto& [a, b, c] : triangles) {
      Index& from = origin[shell_[a]];
      if (from == no_index) from = a;
      volume[shell_[a]] += (at[a] - at[from]).dot((at[b] - at[from]).cross(at[c] - at[from]));
    }
    return volume;
  }
  std::vector<Index> shell_;  // per vertex
  Index count_;
  std::vector<double> before_;
};

}  // namespace

std::vector<Vec3> smooth_passes(const Mesh& mesh, const SmoothSettings& settings, const Control& control) { return passes(mesh, settings, movable_in(mesh, settings), control); }

Smoothed smooth(const Mesh& mesh, const std::string& name, const SmoothSettings& settings, const Control& control) {
  const std::vector<char> movable = movable_in(mesh, settings);
  const std::vector<Vec3> goal = passes(mesh, settings, movable, control);
  Smoothed smoothed;
  smoothed.positions = goal;
  // Polygons are cut by the places of their corners, so triangles are those of now.
  Mesh now = mesh;
  std::vector<double> share(goal.size(), 1);
  std::vector<char> is_held_back(goal.size(), 0);
  const TurnedShells turned(mesh);
  constexpr int rounds = 40;
  for (int round = 0;; ++round) {
    now.positions = smoothed.positions;
    const TriangleList list = triangulate(now);
    const std::vector<char> crossing = crossing_in(now.positions, list.triangles, movable, control);
    std::vector<char> back(goal.size(), 0);
    if (crossing.empty() && !turned.mark(now.positions, list.triangles, back)) break;
    for (std::size_t t = 0; t < crossing.size(); ++t)
      for (Index v : list.triangles[t]) back[v] |= crossing[t];
    // Every time they come back to it their neighbours go back with them.
    std::vector<char> wider = back;
    for (const Triangle& t : list.triangles)
      if (back[t[0]] || back[t[1]] || back[t[2]])
        for (Index v : t) wider[v] = 1;
    bool any = false;
    constexpr int halvings = 4;
    for (std::size_t v = 0; v < wider.size(); ++v) {
      if (!wider[v] || !movable[v] || share[v] == 0) continue;
      share[v] = share[v] > std::ldexp(1.0, -halvings) && round + 1 < rounds ? share[v] / 2 : 0;
      smoothed.positions[v] = share[v] == 0 ? mesh.positions[v] : Vec3(mesh.positions[v] + share[v] * (goal[v] - mesh.positions[v]));
      is_held_back[v] = 1;
      any = true;
    }
    if (!any) break;  // what is left crossed before
  }
  const auto count = static_cast<std::size_t>(std::count(is_held_back.begin(), is_held_back.end(), 1));
  if (count > 0) {
    std::vector<Vec3> places;
    for (std::size_t v = 0; v < is_held_back.size() && places.size() < OperationReport::max_places; ++v)
      if (is_held_back[v]) places.push_back(smoothed.positions[v]);
    smoothed.report.tell(smoothing_held_back, count, name, std::move(places));
  }
  return smoothed;
}

}  // namespace anvil
