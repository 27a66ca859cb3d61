// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/exact/predicates.h"

#include <algorithm>
#include <cmath>

#include "core/exact/expansion.h"

namespace anvil {
namespace {

constexpr double half_ulp = 0x1p-53;
// Static filter bound: Shewchuk 1997, o3derrboundA.
constexpr double orient3d_bound = (7 + 56 * half_ulp) * half_ulp;

auto area_exact(const Point2& a, const Point2& b, const Point2& c) {
  const auto acx = difference(a.x, c.x), acy = difference(a.y, c.y);
  const auto bcx = difference(b.x, c.x), bcy = difference(b.y, c.y);
  return acx * bcy - acy * bcx;
}

auto volume_exact(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  const auto bx = difference(b.x(), a.x()), by = difference(b.y(), a.y()), bz = difference(b.z(), a.z());
  const auto cx = difference(c.x(), a.x()), cy = difference(c.y(), a.y()), cz = difference(c.z(), a.z());
  const auto dx = difference(d.x(), a.x()), dy = difference(d.y(), a.y()), dz = difference(d.z(), a.z());
  const auto xy = (bx * cy - by * cx) * dz;
  const auto yz = (by * cz - bz * cy) * dx;
  const auto zx = (bz * cx - bx * cz) * dy;
  return xy + yz + zx;
}

/// Is p on the closed segment ab, the three being collinear?
bool between(const Point2& a, const Point2& b, const Point2& p) {
  return std::min(a.x, b.x) <= p.x && p.x <= std::max(a.x, b.x) && std::min(a.y, b.y) <= p.y &&
         p.y <= std::max(a.y, b.y);
}

}  // namespace

Projection Projection::along(const Vec3& normal) {
  const Vec3 size = normal.cwiseAbs();
  const int axis = size.x() >= size.y() && size.x() >= size.z() ? 0 : size.y() >= size.z() ? 1 : 2;
  const int u = (axis + 1) % 3, v = (axis + 2) % 3;
  return normal[axis] >= 0 ? Projection{u, v} : Projection{v, u};
}

Projection projection_of(const Vec3& a, const Vec3& b, const Vec3& c) {
  // The normal may be too rough to choose an axis from.
  Projection plane = Projection::along((b - a).cross(c - a));
  for (int k = 0; k < 3 && orient2d(plane(a), plane(b), plane(c)) == 0; ++k) plane = {k, (k + 1) % 3};
  return plane;
}

int orient2d(const Point2& a, const Point2& b, const Point2& c) {
  if (const int sure = orient2d_if_sure(a, b, c); sure != 0) return sure;
  // Three on a line along an axis, and walls seen from above, are the common cases in hard-surface work.
  if ((a.x == b.x && a.x == c.x) || (a.y == b.y && a.y == c.y)) return 0;
  auto same = [](const Point2& p, const Point2& q) { return p.x == q.x && p.y == q.y; };
  if (same(a, b) || same(b, c) || same(c, a)) return 0;
  return area_exact(a, b, c).sign();
}

int orient3d_if_sure(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  const double bx = b.x() - a.x(), by = b.y() - a.y(), bz = b.z() - a.z();
  const double cx = c.x() - a.x(), cy = c.y() - a.y(), cz = c.z() - a.z();
  const double dx = d.x() - a.x(), dy = d.y() - a.y(), dz = d.z() - a.z();
  const double bxcy = bx * cy, bycx = by * cx, bycz = by * cz, bzcy = bz * cy, bzcx = bz * cx, bxcz = bx * cz;
  const double det = (bxcy - bycx) * dz + (bycz - bzcy) * dx + (bzcx - bxcz) * dy;
  const double permanent = (std::abs(bxcy) + std::abs(bycx)) * std::abs(dz) +
                           (std::abs(bycz) + std::abs(bzcy)) * std::abs(dx) +
                           (std::abs(bzcx) + std::abs(bxcz)) * std::abs(dy);
  const double bound = orient3d_bound * permanent;
  if (det > bound) return 1;
  return det < -bound ? -1 : 0;
}

int orient3d(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  if (const int sure = orient3d_if_sure(a, b, c, d); sure != 0) return sure;
  // Flush axis-aligned faces are the common case in hard-surface work: settle them without expansions.
  for (int k = 0; k < 3; ++k)
    if (a[k] == b[k] && a[k] == c[k] && a[k] == d[k]) return 0;
  return volume_exact(a, b, c, d).sign();
}

// Both determinants are affine in their last point: that of a middle is the middle of three of them.
int orient2d_of_middle(const Point2& a, const Point2& b, const std::array<Point2, 3>& of) {
  const int first = orient2d_if_sure(a, b, of[0]);
  if (first != 0 && first == orient2d_if_sure(a, b, of[1]) && first == orient2d_if_sure(a, b, of[2])) return first;
  return (area_exact(a, b, of[0]) + area_exact(a, b, of[1]) + area_exact(a, b, of[2])).sign();
}

int orient3d_of_middle(const Vec3& a, const Vec3& b, const Vec3& c, const std::array<Vec3, 3>& of) {
  const int first = orient3d_if_sure(a, b, c, of[0]);
  if (first != 0 && first == orient3d_if_sure(a, b, c, of[1]) && first == orient3d_if_sure(a, b, c, of[2])) return first;
  return (volume_exact(a, b, c, of[0]) + volume_exact(a, b, c, of[1]) + volume_exact(a, b, c, of[2])).sign();
}

bool collinear(const Vec3& a, const Vec3& b, const Vec3& c) {
  for (int k = 0; k < 3; ++k) {
    const Projection plane{k, (k + 1) % 3};
    if (orient2d(plane(a), plane(b), plane(c)) != 0) return false;
  }
  return true;
}

bool segments_meet(const Point2& p, const Point2& q, const Point2& a, const Point2& b) {
  const int pa = orient2d(p, q, a), pb = orient2d(p, q, b);
  const int ap = orient2d(a, b, p), aq = orient2d(a, b, q);
  if (pa * pb < 0 && ap * aq < 0) return true;
  return (pa == 0 && between(p, q, a)) || (pb == 0 && between(p, q, b)) || (ap == 0 && between(a, b, p)) ||
         (aq == 0 && between(a, b, q));
}

bool segment_meets_triangle(const Point2& p, const Point2& q, const Point2& a, const Point2& b, const Point2& c) {
  const int turn = orient2d(a, b, c);
  const int ab = orient2d(a, b, p), bc = orient2d(b, c, p), ca = orient2d(c, a, p);
  if (ab != -turn && bc != -turn && ca != -turn) return true;
  if (p.x == q.x && p.y == q.y) return false;
  return segments_meet(p, q, a, b) || segments_meet(p, q, b, c) || segments_meet(p, q, c, a);
}

bool segment_meets_triangle(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c) {
  const int sp = orient3d(a, b, c, p);
  const int sq = orient3d(a, b, c, q);
  if (sp * sq > 0) return false;
  if (sp != 0 || sq != 0) {
    // The line pq meets the plane in one point: it must not pass outside any edge.
    const int ab = orient3d(p, q, a, b), bc = orient3d(p, q, b, c), ca = orient3d(p, q, c, a);
    const bool all_left = ab >= 0 && bc >= 0 && ca >= 0;
    const bool all_right = ab <= 0 && bc <= 0 && ca <= 0;
    return all_left || all_right;
  }
  const Projection plane = projection_of(a, b, c);
  return segment_meets_triangle(plane(p), plane(q), plane(a), plane(b), plane(c));
}

}  // namespace anvil
