// SPDX-License-Identifier: GPL-3.0-or-later
// What edits along a line of edges have in common.
#pragma once

#include <array>

#include "core/mesh/bvh.h"
#include "core/modify/edits.h"
#include "core/modify/worked_triangles.h"

namespace anvil {

/// Edges of worked triangles, as vertex pairs.
using Line = std::vector<std::array<Index, 2>>;

inline constexpr double held_loosely = 50;    ///< degrees: the steps of a rounded edge are less sharp
inline constexpr double held_strictly = 20;

inline Line pairs(const std::vector<Index>& vertices) {
  Line line;
  for (std::size_t k = 0; k + 1 < vertices.size(); ++k) line.push_back({vertices[k], vertices[k + 1]});
  return line;
}

/// The edges of a line, as they lie when this is made.
class LineTree {
 public:
  /// @param line  at least one edge
  LineTree(const WorkedTriangles& work, const Line& line);
  struct Nearest {
    std::size_t edge;  ///< in the line
    double distance;   ///< mesh units
  };
  Nearest nearest(const Vec3& p) const;
  double distance(const Vec3& p) const { return nearest(p).distance; }

 private:
  std::vector<Vec3> points_;
  std::vector<Triangle> edges_;  // without area
  Bvh tree_;
};

/// How far beside a line the surface is taken to be rounded, where that is not asked for.
inline double reach_of(const WorkedTriangles& work, std::span<const Index> vertices, double asked) {
  constexpr double usual = 2.5;  // edges
  return asked > 0 ? asked : usual * work.mean_edge(vertices);
}

}  // namespace anvil
