// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/exact/volume.h"

#include <CGAL/Mpzf.h>

#include <algorithm>
#include <cmath>

namespace anvil {

int volume_sign(std::span<const Vec3> points, std::span<const Triangle> triangles) {
  if (triangles.empty()) return 0;
  const Vec3& origin = points[triangles[0][0]];
  double six_volumes = 0, size = 0;
  for (const Triangle& t : triangles) {
    const Vec3 a = points[t[0]] - origin, b = points[t[1]] - origin, c = points[t[2]] - origin;
    six_volumes += a.dot(b.cross(c));
    size = std::max({size, a.cwiseAbs().maxCoeff(), b.cwiseAbs().maxCoeff(), c.cwiseAbs().maxCoeff()});
  }
  const double reach = std::max(size, origin.cwiseAbs().maxCoeff());
  if (std::abs(six_volumes) > 1e-13 * static_cast<double>(triangles.size()) * size * size * reach) return six_volumes > 0 ? 1 : -1;
  using Exact = CGAL::Mpzf;
  Exact sum = 0;
  for (const Triangle& t : triangles) {
    const Vec3 &a = points[t[0]], &b = points[t[1]], &c = points[t[2]];
    const Exact ax = a.x(), ay = a.y(), az = a.z(), bx = b.x(), by = b.y(), bz = b.z(), cx = c.x(), cy = c.y(), cz = c.z();
    sum = sum + ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx);
  }
  return static_cast<int>(sum.sign());
}

}  // namespace anvil
