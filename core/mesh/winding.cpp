// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/winding.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_reduce.h>

#include <cmath>
#include <numbers>

namespace anvil {

double winding_number(std::span<const Vec3> positions, std::span<const Triangle> triangles,
                      const Vec3& point) {
  const double angle = tbb::parallel_deterministic_reduce(
      tbb::blocked_range<std::size_t>(0, triangles.size(), 4096), 0.0,
      [&](const auto& range, double sum) {
        for (std::size_t i = range.begin(); i < range.end(); ++i) {
          const Vec3 a = positions[triangles[i][0]] - point, b = positions[triangles[i][1]] - point,
                     c = positions[triangles[i][2]] - point;
          const double determinant = a.dot(b.cross(c));
          if (determinant == 0) continue;  // seen edge-on, or the point lies on it: neither side counts
          const double la = a.norm(), lb = b.norm(), lc = c.norm();
          sum += 2 * std::atan2(determinant, la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb);
        }
        return sum;
      },
      std::plus<>());
  return angle / (4 * std::numbers::pi);
}

}  // namespace anvil
