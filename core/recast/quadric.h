// SPDX-License-Identifier: GPL-3.0-or-later
// Sums of squared distances to planes, as a function of the point.
#pragma once

#include "core/types.h"

namespace anvil::recast {

/// Weighted sum of squared distances to planes (Garland and Heckbert, "Surface simplification using quadric error metrics", SIGGRAPH 1997): pᵀ A p + 2 bᵀ p + c.
struct Quadric {
  double xx = 0, xy = 0, xz = 0, yy = 0, yz = 0, zz = 0;  // A
  double x = 0, y = 0, z = 0;                             // b
  double c = 0;
  double weight = 0;

  /// @param normal  length 1
  void add_plane(const Vec3& normal, const Vec3& point, double w) {
    const double d = -normal.dot(point), nx = w * normal.x(), ny = w * normal.y(), nz = w * normal.z();
    xx += nx * normal.x(), xy += nx * normal.y(), xz += nx * normal.z();
    yy += ny * normal.y(), yz += ny * normal.z(), zz += nz * normal.z();
    x += nx * d, y += ny * d, z += nz * d, c += w * d * d;
    weight += w;
  }
  void add(const Quadric& o) {
    xx += o.xx, xy += o.xy, xz += o.xz, yy += o.yy, yz += o.yz, zz += o.zz;
    x += o.x, y += o.y, z += o.z, c += o.c, weight += o.weight;
  }
  /// The mean squared distance of the planes from a point.
  double at(const Vec3& p) const {
    if (!(weight > 0)) return 0;
    const double ax = xx * p.x() + xy * p.y() + xz * p.z() + 2 * x, ay = xy * p.x() + yy * p.y() + yz * p.z() + 2 * y, az = xz * p.x() + yz * p.y() + zz * p.z() + 2 * z;
    return std::max(0.0, (ax * p.x() + ay * p.y() + az * p.z() + c) / weight);
  }
  /// The point with the least sum; of many such, the one nearest to `middle`, about.
  Vec3 least_near(const Vec3& middle) const {
    // A little pull towards the middle decides where the planes leave it open.
    const double pull = 1e-6 * (xx + yy + zz);
    const double a = xx + pull, e = yy + pull, i = zz + pull;
    const Vec3 right = pull * middle - Vec3(x, y, z);
    const double c00 = e * i - yz * yz, c01 = xz * yz - xy * i, c02 = xy * yz - xz * e, det = a * c00 + xy * c01 + xz * c02;
    if (!(std::abs(det) > 0)) return middle;
    const double c11 = a * i - xz * xz, c12 = xy * xz - a * yz, c22 = a * e - xy * xy;
    return Vec3(c00 * right.x() + c01 * right.y() + c02 * right.z(), c01 * right.x() + c11 * right.y() + c12 * right.z(), c02 * right.x() + c12 * right.y() + c22 * right.z()) / det;
  }
};

}  // namespace anvil::recast
