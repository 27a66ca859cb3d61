// SPDX-License-Identifier: GPL-3.0-or-later
// Exact geometric predicates on points given as doubles: a floating-point filter first, exact
// expansions where it cannot decide. No tolerance anywhere.
#pragma once

#include <array>
#include <cmath>

#include "core/mesh/mesh.h"

namespace anvil {

struct Point2 {
  double x, y;
};

/// Drops one coordinate so that a polygon with the given normal keeps its orientation.
/// Coordinates are copied, never combined, so predicates on projected points stay exact.
struct Projection {
  int u, v;

  static Projection along(const Vec3& normal);
  Point2 operator()(const Vec3& p) const { return {p[u], p[v]}; }
};

/// The axis to which the plane of a triangle is exactly square, as flat faces' planes mostly are; 3 when there is none.
inline int square_to(const Vec3& a, const Vec3& b, const Vec3& c) {
  int axis = 0;
  while (axis < 3 && !(a[axis] == b[axis] && b[axis] == c[axis])) ++axis;
  return axis;
}
/// Seen along that axis, a triangle turns left when its normal points along it.
inline Projection seen_along(int axis) { return {(axis + 1) % 3, (axis + 2) % 3}; }

/// A projection along an axis in which a triangle is not degenerate, and turns left where doubles can tell.
Projection projection_of(const Vec3& a, const Vec3& b, const Vec3& c);

/// Sign of twice the area of triangle abc: 1 when counter-clockwise, 0 when exactly collinear.
int orient2d(const Point2& a, const Point2& b, const Point2& c);

/// As orient2d, but 0 also where floating-point arithmetic alone cannot tell.
inline int orient2d_if_sure(const Point2& a, const Point2& b, const Point2& c) {
  constexpr double half_ulp = 0x1p-53;
  constexpr double bound = (3 + 16 * half_ulp) * half_ulp;  // Shewchuk 1997, ccwerrboundA
  const double left = (a.x - c.x) * (b.y - c.y);
  const double right = (a.y - c.y) * (b.x - c.x);
  const double det = left - right;
  const double error = bound * (std::abs(left) + std::abs(right));
  return det > error ? 1 : det < -error ? -1 : 0;
}

/// Sign of (b−a)×(c−a)·(d−a): 1 when d lies on the side that the normal of abc points to, 0 when the
/// four points are exactly coplanar.
int orient3d(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);

/// The same of the middle of three points, which need not be a double.
int orient2d_of_middle(const Point2& a, const Point2& b, const std::array<Point2, 3>& of);
int orient3d_of_middle(const Vec3& a, const Vec3& b, const Vec3& c, const std::array<Vec3, 3>& of);

/// As orient3d, but 0 also where floating-point arithmetic alone cannot tell.
int orient3d_if_sure(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);

/// True when the three points lie exactly on one line (two equal points included).
bool collinear(const Vec3& a, const Vec3& b, const Vec3& c);

/// True when the closed segments pq and ab have a point in common.
bool segments_meet(const Point2& p, const Point2& q, const Point2& a, const Point2& b);

/// True when the closed segment pq (p = q for a point) and the closed, non-degenerate triangle abc have a point in common.
bool segment_meets_triangle(const Point2& p, const Point2& q, const Point2& a, const Point2& b, const Point2& c);
bool segment_meets_triangle(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c);

}  // namespace anvil
