// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/query/hubs.h"

#include <algorithm>
#include <cmath>

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
    const Index v = *std::max_element(triangles[t].begin(), triangles[t].end(), [&](Index a, Index b) { return count[a] < count[b]; });
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

void Hubs::for_each_pair(std::span<const Vec3> positions, std::span<const Triangle> triangles, const std::function<void(Index, Index)>& visit,
                         const std::stop_token& stop) const {
  // What rounding may have made of directions; triangles that only touch come together as well.
  constexpr double margin = 1e-12;
  for (Index h = 0; h < count(); ++h) {
    const std::vector<Index>& members = members_[h];
    const Vec3& from = positions[vertex_[h]];
    std::vector<Vec3> corners;
    std::vector<Triangle> arcs;
    for (Index t : members) {
      std::size_t k = 0;
      while (triangles[t][k] != vertex_[h]) ++k;
      const auto first = static_cast<Index>(corners.size());
      add_arc(positions[triangles[t][(k + 1) % 3]] - from, positions[triangles[t][(k + 2) % 3]] - from, corners);
      arcs.push_back({first, first + 1, first + 2});
    }
    Bvh(corners, arcs, margin).for_each_pair([&](Index i, Index j) { visit(members[i], members[j]); }, stop);
  }
}

}  // namespace anvil
