// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/query/hubs.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <unordered_map>
#include <utility>

#include "core/mesh/bvh.h"

namespace anvil {
namespace {

constexpr Index many = 96;  // triangles at a vertex: below this all pairs are as quick

/// Adds three corners whose box holds the arc between two directions: its ends, and where the tangents at them meet.
void add_arc(const Vec3& a, const Vec3& b, std::vector<Vec3>& corners) {
  const Vec3 u = a.stableNormalized(), v = b.stableNormalized();
  constexpr double nearly_opposite = 0.02;
  const double sum = 1 + u.dot(v);
  if (!(sum > nearly_opposite) || !(u.squaredNorm() > 0.5) || !(v.squaredNorm() > 0.5))  // or a corner at the hub itself
    corners.insert(corners.end(), {Vec3::Constant(-1), Vec3::Constant(1), Vec3::Constant(1)});
  else
    corners.insert(corners.end(), {u, v, (u + v) / sum});
}

}  // namespace

Hubs::Hubs(std::span<const Triangle> triangles, std::span<const Index> among, std::size_t vertices) {
  std::vector<Index> count(vertices, 0);
  for (Index t : among)
    for (Index v : triangles[t]) ++count[v];
  if (std::none_of(count.begin(), count.end(), [](Index n) { return n > many; })) return;
  hub_of_.assign(triangles.size(), no_index);
  std::vector<Index> number(vertices, no_index);
  for (Index t : among) {
    // Of two with as many always the same one: triangles of one edge are of one hub.
    const Index v = *std::max_element(triangles[t].begin(), triangles[t].end(), [&](Index a, Index b) { return std::pair(count[a], a) < std::pair(count[b], b); });
    if (count[v] <= many) continue;
    if (number[v] == no_index) {
      number[v] = this->count();
      members_.emplace_back();
      vertex_.push_back(v);
    }
    hub_of_[t] = number[v];
    members_[number[v]].push_back(t);
  }
}

Hubs::Boxes Hubs::boxes(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<const Index> among) const {
  constexpr double most_pieces = 32, most_boxes = 2e6;
  // As many that boxes of neighbours around the hub overlap about as many others across as along.
  std::vector<int> pieces;
  for (const std::vector<Index>& members : members_) {
    const auto n = static_cast<double>(members.size());
    pieces.push_back(static_cast<int>(std::clamp(std::min(std::sqrt(n) / 4, most_boxes / n), 1.0, most_pieces)));
  }
  Boxes out;
  out.points.assign(positions.begin(), positions.end());
  for (Index t : among) {
    const Index hub = of(t);
    const int count = hub == no_index ? 1 : pieces[hub];
    if (count == 1) {
      out.boxes.push_back(triangles[t]);
      out.of.push_back(t);
      continue;
    }
    std::size_t k = 0;
    while (triangles[t][k] != vertex_[hub]) ++k;
    const Vec3 &a = positions[triangles[t][k]], &b = positions[triangles[t][(k + 1) % 3]], &c = positions[triangles[t][(k + 2) % 3]];
    // What rounding may take from a piece.
    const double slack = 1e-15 * std::max({a.cwiseAbs().maxCoeff(), b.cwiseAbs().maxCoeff(), c.cwiseAbs().maxCoeff()});
    for (int piece = 0; piece < count; ++piece) {
      Box3 box;
      for (const int end : {piece, piece + 1}) {
        const double share = static_cast<double>(end) / count;
        box.add(a + share * (b - a));
        box.add(a + share * (c - a));
      }
      const auto first = static_cast<Index>(out.points.size());
      out.points.push_back(box.lo - Vec3::Constant(slack));
      out.points.push_back(box.hi + Vec3::Constant(slack));
      out.boxes.push_back({first, first + 1, first});
      out.of.push_back(t);
    }
  }
  return out;
}

/// Of members of a hub that share an edge with it with very many others: which edge, by its other end, a number; no_index for the rest.
std::vector<Index> Hubs::edges_of(Index hub, std::span<const Triangle> triangles) const {
  const std::vector<Index>& members = members_[hub];
  std::unordered_map<Index, Index> count;
  for (Index t : members)
    for (Index v : triangles[t])
      if (v != vertex_[hub]) ++count[v];
  std::vector<Index> edge;
  for (Index t : members) {
    Index most = no_index;
    for (Index v : triangles[t])
      if (v != vertex_[hub] && count[v] > many && (most == no_index || std::pair(count[v], v) > std::pair(count[most], most))) most = v;
    edge.push_back(most);
  }
  return edge;
}

/// Calls visit(k, l) for pairs of triangles of one edge that may meet anywhere but in it: those that leave it the same way, seen along it.
/// @param thirds  their corners off the edge
static void for_each_pair_at_edge(const Vec3& from, const Vec3& to, std::span<const Vec3> thirds, const std::function<void(Index, Index)>& visit, const std::stop_token& stop) {
  const Vec3 along = (to - from).stableNormalized();
  const Vec3 u = along.unitOrthogonal(), v = along.cross(u);
  const double length = (to - from).norm(), reach = std::max(from.cwiseAbs().maxCoeff(), to.cwiseAbs().maxCoeff());
  std::vector<Vec3> corners;
  std::vector<Triangle> ways;
  for (const Vec3& third : thirds) {
    const Vec3 d = third - from;
    const double x = d.dot(u), y = d.dot(v), off = std::hypot(x, y);
    // What rounding may have made of the angle: of its own place, and of the edge's way.
    const double rounding = 1e-14 * std::max(reach, third.cwiseAbs().maxCoeff());
    const double within = off > 0 && length > 0 ? 1e-12 + rounding / off * (1 + d.norm() / length) : 4;
    const double a = off > 0 ? x / off : 0, b = off > 0 ? y / off : 0;
    const auto first = static_cast<Index>(corners.size());
    corners.push_back({a - within, b - within, 0});
    corners.push_back({a + within, b + within, 0});
    ways.push_back({first, first + 1, first});
  }
  Bvh(corners, ways, 0).for_each_pair(visit, stop);
}

void Hubs::for_each_pair(std::span<const Vec3> positions, std::span<const Triangle> triangles, const std::function<void(Index, Index)>& visit,
                         const std::stop_token& stop) const {
  // What rounding may have made of directions; triangles that only touch come together as well.
  constexpr double margin = 1e-12;
  for (Index h = 0; h < count(); ++h) {
    const std::vector<Index>& members = members_[h];
    const Vec3& from = positions[vertex_[h]];
    const std::vector<Index> edge = edges_of(h, triangles);
    std::vector<Vec3> corners;
    std::vector<Triangle> arcs;
    for (Index t : members) {
      std::size_t k = 0;
      while (triangles[t][k] != vertex_[h]) ++k;
      const auto first = static_cast<Index>(corners.size());
      add_arc(positions[triangles[t][(k + 1) % 3]] - from, positions[triangles[t][(k + 2) % 3]] - from, corners);
      arcs.push_back({first, first + 1, first + 2});
    }
    // Arcs that go out from one place overlap there, whatever lies beside what.
    Bvh(corners, arcs, margin, edge).for_each_pair([&](Index i, Index j) { visit(members[i], members[j]); }, stop);
    std::map<Index, std::vector<Index>> at_edge;  // places among the members, by the edge's other end
    for (Index k = 0; k < edge.size(); ++k)
      if (edge[k] != no_index) at_edge[edge[k]].push_back(k);
    for (const auto& [end, places] : at_edge) {
      std::vector<Vec3> thirds;
      for (Index k : places) {
        const Triangle& t = triangles[members[k]];
        thirds.push_back(positions[*std::find_if(t.begin(), t.end(), [&, end = end](Index v) { return v != end && v != vertex_[h]; })]);
      }
      for_each_pair_at_edge(from, positions[end], thirds, [&, &places = places](Index k, Index l) { visit(members[places[k]], members[places[l]]); }, stop);
    }
  }
}

}  // namespace anvil
