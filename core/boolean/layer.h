// SPDX-License-Identifier: GPL-3.0-or-later
// Is a closed surface nothing but a layer: two sides nearer to each other than a tolerance, everywhere?
#pragma once

#include <cmath>
#include <vector>

#include "core/control.h"
#include "core/types.h"

namespace anvil::boolean {

/// Area, signed volume and what rounding may have made of the volume, of faces added one by one.
struct Enclosed {
  double area = 0, volume = 0, error = 0;
  void add(const Vec3& origin, const Vec3& a, const Vec3& b, const Vec3& c, double sign = 1) {
    const Vec3 u = b - a, v = c - a, from = a - origin, normal = u.cross(v);
    area += normal.norm() / 2;
    volume += sign * from.dot(normal) / 6;
    // Coordinates are off by some units in the last place as well.
    error += 0x1p-50 * (from.cwiseAbs().maxCoeff() + a.cwiseAbs().maxCoeff()) * u.norm() * v.norm();
  }
  void add(const Enclosed& other, double sign) {
    area += other.area;
    volume += sign * other.volume;
    error += other.error;
  }
  /// Is twice the volume less than `tolerance` over all the area?
  bool thinner_than(double tolerance) const { return 2 * (std::abs(volume) - error) < tolerance * area; }
};

/// Corners, so that the face looks out of what it bounds.
using LayerFace = std::array<Vec3, 3>;

/// Do inner points of all faces have a face looking the other way within the tolerance? A lump on a wide layer is none.
/// Faces nowhere wider than the tolerance are not asked.
bool is_layer(const std::vector<LayerFace>& faces, double tolerance, const Control& control);

}  // namespace anvil::boolean
