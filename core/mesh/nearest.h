// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>

#include "core/types.h"

namespace anvil {

inline Vec3 nearest_on_segment(const Vec3& p, const Vec3& a, const Vec3& b) {
  const Vec3 way = b - a;
  const double along = way.dot(p - a), square = way.squaredNorm();
  return along <= 0 || !(square > 0) ? a : along >= square ? b : Vec3(a + along / square * way);
}

/// Nearest point of a triangle to p (Ericson, "Real-Time Collision Detection", 2005, 5.1.5). Of triangles so narrow, seen from so far, that rounding decides where within it lies, a point of an edge.
inline Vec3 nearest_on_triangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 ab = b - a, ac = c - a, ap = p - a;
  const double d1 = ab.dot(ap), d2 = ac.dot(ap);
  if (d1 <= 0 && d2 <= 0) return a;
  const Vec3 bp = p - b;
  const double d3 = ab.dot(bp), d4 = ac.dot(bp);
  if (d3 >= 0 && d4 <= d3) return b;
  const double vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return a + d1 / (d1 - d3) * ab;
  const Vec3 cp = p - c;
  const double d5 = ab.dot(cp), d6 = ac.dot(cp);
  if (d6 >= 0 && d5 <= d6) return c;
  const double vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return a + d2 / (d2 - d6) * ac;
  const double va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return b + (d4 - d3) / ((d4 - d3) + (d5 - d6)) * (c - b);
  const double sum = va + vb + vc;
  constexpr double told = 1e-12;  // of the products that the three are differences of
  if (!(sum > told * (std::abs(d1 * d4) + std::abs(d5 * d2) + std::abs(d3 * d6)))) {
    const Vec3 on[] = {nearest_on_segment(p, a, b), nearest_on_segment(p, b, c), nearest_on_segment(p, c, a)};
    const double off[] = {(on[0] - p).squaredNorm(), (on[1] - p).squaredNorm(), (on[2] - p).squaredNorm()};
    return on[off[0] <= off[1] ? (off[0] <= off[2] ? 0 : 2) : (off[1] <= off[2] ? 1 : 2)];
  }
  return a + vb / sum * ab + vc / sum * ac;
}

}  // namespace anvil
