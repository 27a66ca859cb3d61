// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/placement.h"

#include <numbers>

namespace anvil {

std::array<double, 2> sine_cosine(double degrees) {
  const double whole = std::fmod(degrees, 360.0);
  const double quarters = std::round(whole / 90.0);
  const double rest = (whole - 90.0 * quarters) * std::numbers::pi / 180.0;
  const double s = std::sin(rest), c = std::cos(rest);
  switch ((static_cast<int>(quarters) % 4 + 4) % 4) {
    case 0:
      return {s, c};
    case 1:
      return {c, -s};
    case 2:
      return {-s, -c};
    default:
      return {-c, s};
  }
}

Affine Placement::matrix() const {
  const auto [sx, cx] = sine_cosine(angles.x());
  const auto [sy, cy] = sine_cosine(angles.y());
  const auto [sz, cz] = sine_cosine(angles.z());
  Eigen::Matrix3d rx, ry, rz;
  rx << 1, 0, 0, 0, cx, -sx, 0, sx, cx;
  ry << cy, 0, sy, 0, 1, 0, -sy, 0, cy;
  rz << cz, -sz, 0, sz, cz, 0, 0, 0, 1;
  Affine result = Affine::Identity();
  result.linear() = rz * ry * rx * scale.asDiagonal();
  result.translation() = position;
  return result;
}

Vec3 angles_of(const Eigen::Matrix3d& r) {
  constexpr double degrees = 180.0 / std::numbers::pi;
  const double sy = -r(2, 0);
  if (std::abs(sy) > 1 - 1e-12)  // looking straight along y: z takes no part
    return {std::atan2(-r(1, 2), r(1, 1)) * degrees, std::copysign(90.0, sy), 0};
  return {std::atan2(r(2, 1), r(2, 2)) * degrees, std::asin(std::clamp(sy, -1.0, 1.0)) * degrees,
          std::atan2(r(1, 0), r(0, 0)) * degrees};
}

}  // namespace anvil
