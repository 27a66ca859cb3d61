// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/surface_walk.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace anvil {
namespace {

constexpr double from_ends = 0.02;    // share of an edge: ways cross it no nearer to its ends, where triangles would be needles
constexpr double max_detour = 4;      // times the distance: a longer way across bumps is none
constexpr std::size_t max_steps = 100000;

}  // namespace

bool SurfaceWalk::lies_in(const SurfacePoint& p, Index facet) const {
  switch (p.on) {
    case SurfacePoint::On::facet: return p.where == facet;
    case SurfacePoint::On::edge: return graph_.halves[2 * p.where].facet == facet || graph_.halves[2 * p.where + 1].facet == facet;
    case SurfacePoint::On::vertex: {
      const auto& out = graph_.cells[p.where].out;
      return std::any_of(out.begin(), out.end(), [&](Index h) { return graph_.halves[h].facet == facet; });
    }
  }
  return false;
}

/// Where a straight way leaves a facet. The way lies in the plane through `on_plane` that `plane` is the normal of.
std::optional<SurfaceWalk::Exit> SurfaceWalk::exit_of(Index facet, const Vec3& from, const Vec3& direction, const Vec3& plane, const Vec3& on_plane, Index entry_edge, Index from_cell) const {
  std::optional<Exit> first;
  double nearest = std::numeric_limits<double>::infinity();
  for (Index loop : graph_.facets[facet].loops)
    for (Index h = loop;;) {
      const FeatureGraph::Half& half = graph_.halves[h];
      const bool at_start = h / 2 == entry_edge || (from_cell != no_index && (graph_.cell_of[h] == from_cell || graph_.cell_of[FeatureGraph::twin(h)] == from_cell));
      if (!at_start) {
        const Vec3 &p = mesh_.positions[half.from], &q = mesh_.positions[half.to];
        const double s = plane.dot(p - on_plane), t = plane.dot(q - on_plane);
        if ((s >= 0) != (t >= 0)) {
          const double share = std::clamp(s / (s - t), from_ends, 1 - from_ends);
          const Vec3 x = p + share * (q - p);
          const double distance = (x - from).dot(direction);
          if (distance > 0 && distance < nearest) {
            nearest = distance;
            const double length = (q - p).norm();
            first = Exit{h, {SurfacePoint::On::edge, h / 2, (h & 1 ? 1 - share : share) * length, x}};
          }
        }
      }
      h = half.next;
      if (h == loop) break;
    }
  return first;
}

bool SurfaceWalk::connect(const SurfacePoint& a, const SurfacePoint& b, const Vec3& up, Index facet, SurfacePath& path) const {
  path.between.clear();
  path.facets.clear();
  if (facet != no_index && lies_in(a, facet) && lies_in(b, facet)) {
    path.facets = {facet};
    return true;
  }
  // The facets in which the way may begin.
  std::vector<Index> begin;
  if (a.on == SurfacePoint::On::facet) begin = {a.where};
  if (a.on == SurfacePoint::On::edge) begin = {graph_.halves[2 * a.where].facet, graph_.halves[2 * a.where + 1].facet};
  if (a.on == SurfacePoint::On::vertex)
    for (Index h : graph_.cells[a.where].out) begin.push_back(graph_.halves[h].facet);
  for (Index f : begin)
    if (lies_in(b, f)) {
      path.facets = {f};
      return true;
    }
  const Vec3 chord = b.at - a.at, plane = chord.cross(up).stableNormalized();
  if (plane.isZero()) return false;
  for (Index f : begin) {
    path.between.clear();
    path.facets.clear();
    Index now = f, entry = a.on == SurfacePoint::On::edge ? a.where : no_index, cell = a.on == SurfacePoint::On::vertex ? a.where : no_index;
    Vec3 from = a.at, direction = plane.cross(graph_.facets[f].normal).stableNormalized();
    if (direction.dot(chord) < 0) direction = -direction;
    double gone = 0;
    for (std::size_t step = 0; step < max_steps; ++step) {
      const auto exit = exit_of(now, from, direction, plane, a.at, entry, cell);
      path.facets.push_back(now);
      if (!exit || !passable_[exit->half / 2]) break;
      gone += (exit->point.at - from).norm();
      if (gone > max_detour * chord.norm()) break;
      path.between.push_back(exit->point);
      from = exit->point.at;
      const Index other = FeatureGraph::twin(exit->half);
      now = graph_.halves[other].facet;
      entry = exit->half / 2, cell = no_index;
      if (lies_in(b, now)) {
        path.facets.push_back(now);
        return true;
      }
      const Vec3& n = graph_.facets[now].normal;
      const Vec3 along = (mesh_.positions[graph_.halves[other].to] - mesh_.positions[graph_.halves[other].from]);
      direction = plane.cross(n).stableNormalized();
      if (direction.dot(n.cross(along)) < 0) direction = -direction;
    }
  }
  return false;
}

SurfaceWalk::Gone SurfaceWalk::go(Index cell, Index facet, const Vec3& direction, double length) const {
  const Vec3 start = mesh_.positions[graph_.cells[cell].vertex], plane = direction.cross(graph_.facets[facet].normal);
  Vec3 from = start, way = direction;
  Index now = facet, entry = no_index, from_cell = cell;
  double gone = 0;
  for (std::size_t step = 0;; ++step) {
    const auto exit = exit_of(now, from, way, plane, start, entry, from_cell);
    const double span = exit ? (exit->point.at - from).norm() : std::numeric_limits<double>::infinity();
    const double rest = length - gone;
    if (!exit || rest <= (1 - from_ends) * span) return {{SurfacePoint::On::facet, now, 0, from + rest * way}, length};
    if (!passable_[exit->half / 2] || step == max_steps) return {exit->point, gone + (1 - from_ends) * span};
    // Just before or behind the edge: on it.
    if (rest <= (1 + from_ends) * span) return {exit->point, length};
    gone += span;
    from = exit->point.at;
    const Index other = FeatureGraph::twin(exit->half);
    now = graph_.halves[other].facet;
    entry = exit->half / 2, from_cell = no_index;
    const Vec3& n = graph_.facets[now].normal;
    const Vec3 along = mesh_.positions[graph_.halves[other].to] - mesh_.positions[graph_.halves[other].from];
    way = plane.cross(n).stableNormalized();
    if (way.dot(n.cross(along)) < 0) way = -way;
  }
}

}  // namespace anvil
