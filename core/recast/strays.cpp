// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/strays.h"

#include <algorithm>
#include <cmath>

namespace anvil::recast {
namespace {

/// No point of a triangle is farther off than its middle by more than a corner is from that.
bool is_off(const Vec3& a, const Vec3& b, const Vec3& c, const std::function<Tangent(const Vec3&)>& nearest, double farthest, int halvings) {
  const Vec3 middle = (a + b + c) / 3;
  const double off = (nearest(middle).point - middle).norm();
  if (off > farthest) return true;
  if (off + std::sqrt(std::max({(a - middle).squaredNorm(), (b - middle).squaredNorm(), (c - middle).squaredNorm()})) <= farthest) return false;
  if (halvings == 0) return true;
  const Vec3 ab = (a + b) / 2, bc = (b + c) / 2, ca = (c + a) / 2;
  const auto next = [&](const Vec3& p, const Vec3& q, const Vec3& r) { return is_off(p, q, r, nearest, farthest, halvings - 1); };
  return next(a, ab, ca) || next(ab, b, bc) || next(ca, bc, c) || next(ab, bc, ca);
}

}  // namespace

bool strays(const Vec3& a, const Vec3& b, const Vec3& c, const std::function<Tangent(const Vec3&)>& nearest, double farthest) {
  constexpr int halvings = 7;
  return is_off(a, b, c, nearest, farthest, halvings);
}

bool strays(const Mesh& mesh, Index face, const std::function<Tangent(const Vec3&)>& nearest, double farthest) {
  const auto ring = mesh.face(face);
  for (std::size_t k = 1; k + 1 < ring.size(); ++k)
    if (strays(mesh.positions[ring[0]], mesh.positions[ring[k]], mesh.positions[ring[k + 1]], nearest, farthest)) return true;
  return false;
}

}  // namespace anvil::recast
