// SPDX-License-Identifier: GPL-3.0-or-later
// What loops in a plane enclose, however they cross themselves and each other, and the solids made by moving it.
#pragma once

#include <functional>

#include "core/mesh/mesh.h"
#include "core/outline.h"

namespace anvil {

enum class Inside {
  wound,  ///< where the winding number is not zero: a loop that crosses itself encloses all of its eyes
  odd     ///< where it is odd: loops within loops are holes
};

struct PlanarRegion {
  std::vector<Vec2> points;
  /// Counter-clockwise polygons that cover the region, each part of it that has no hole in one piece; else triangles.
  std::vector<std::vector<Index>> faces;
  std::vector<std::array<Index, 2>> boundary;  ///< directed, the region on the left

  bool empty() const { return faces.empty(); }
  double area() const;
};

/// Loops may cross, touch and overlap themselves and each other anywhere; where they cross, a point is put (exact, then
/// rounded). Loops that enclose nothing give nothing. Constrained Delaunay triangulation by CGAL.
PlanarRegion planar_region(const std::vector<Loop2>& loops, Inside inside);

/// Where a point of the region lies at the lower and at the upper end.
using PlaceInSpace = std::function<Vec3(const Vec2&, bool upper)>;
/// The solid between two places of a region: the lower faces turned over, the upper ones as they are, and a quad at each
/// edge of the boundary. Closed; its faces look outwards where the upper end lies on the side that the region faces.
Mesh solid_between(const PlanarRegion& region, const PlaceInSpace& place);
/// Straight up from `lower` to `upper` along `normal`, with u × v = normal.
struct PlaneFrame {
  Vec3 origin = Vec3::Zero(), u = Vec3::UnitX(), v = Vec3::UnitY(), normal = Vec3::UnitZ();
  Vec3 at(const Vec2& p, double height = 0) const { return origin + p.x() * u + p.y() * v + height * normal; }
  Vec2 of(const Vec3& p) const { return {(p - origin).dot(u), (p - origin).dot(v)}; }
  double height(const Vec3& p) const { return (p - origin).dot(normal); }
};
Mesh prism(const PlanarRegion& region, const PlaneFrame& frame, double lower, double upper);

}  // namespace anvil
