// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/placement.h"

#include <cmath>
#include <numbers>

namespace anvil {

Affine Placement::matrix() const {
  const auto [sx, cx] = sine_cosine(angles.x());
  const auto [sy, cy] = sine_cosine(angles.y());
  const auto [sz, cz] = sine_cosine(angles.z());
  Eigen::Matrix3d rx, ry, rz;
  rx << 1, 0, 0, 0, cx, -sx, 0, sx, cx;
  ry << cy, 0, sy, 0, 1, 0, -sy, 0, cy;
  rz << cz, -sz, 0, sz, cz, 0, 0, 0, 1;
  Affine result = Affine::Identity();
  Eigen::Matrix3d stretch = scale.asDiagonal();
  if (shear != Vec3::Zero()) {
    Eigen::Matrix3d lean = Eigen::Matrix3d::Identity();
    lean(0, 1) = shear[0], lean(0, 2) = shear[1], lean(1, 2) = shear[2];
    stretch = stretch * lean;
  }
  result.linear() = rz * ry * rx * stretch;
  result.translation() = position;
  return result;
}

Placement Placement::of(const Affine& matrix, const Vec3& like) {
  // Rotation times upper triangle by Gram and Schmidt, twice, so that nearly parallel columns cost no digits.
  Placement placement;
  placement.position = matrix.translation();
  const Eigen::Matrix3d& m = matrix.linear();
  Eigen::Matrix3d q = m;
  for (int pass = 0; pass < 2; ++pass)
    for (int k = 0; k < 3; ++k) {
      for (int j = 0; j < k; ++j) q.col(k) -= q.col(j) * q.col(j).dot(q.col(k));
      q.col(k).normalize();
    }
  for (int k = 0; k < 3; ++k)
    if (like[k] < 0) q.col(k) = -q.col(k);
  if (q.determinant() < 0) q.col(0) = -q.col(0);
  const Eigen::Matrix3d r = q.transpose() * m;
  placement.scale = r.diagonal();
  placement.shear = {r(0, 1) / r(0, 0), r(0, 2) / r(0, 0), r(1, 2) / r(1, 1)};
  // What rounding alone has left is no shear.
  if ((placement.shear.array().abs() < 1e-14).all()) placement.shear.setZero();
  placement.angles = angles_of(q);
  return placement;
}

Vec3 angles_of(const Eigen::Matrix3d& r) {
  constexpr double degrees = 180.0 / std::numbers::pi;
  // Each angle from what is left when those before it are taken away: nothing is lost near y = ±90, where x and z turn
  // about the same axis and any split between them will do.
  const double z = std::atan2(r(1, 0), r(0, 0));
  const double y = std::atan2(-r(2, 0), std::hypot(r(0, 0), r(1, 0)));
  const double s = std::sin(z), c = std::cos(z);
  const double x = std::atan2(s * r(0, 2) - c * r(1, 2), c * r(1, 1) - s * r(0, 1));
  return {x * degrees, y * degrees, z * degrees};
}

}  // namespace anvil
