// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/exact/volume.h"

#include <CGAL/Mpzf.h>

namespace anvil {

int volume_sign(std::span<const Vec3> points, std::span<const Triangle> triangles) {
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
