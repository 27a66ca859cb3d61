// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/turn.h"

#include <cmath>
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

Affine turn_about(const Vec3& point, const Vec3& axis, double degrees) {
  const Vec3 a = axis.stableNormalized();
  const auto [s, c] = sine_cosine(degrees);
  // Rodrigues' formula.
  Eigen::Matrix3d cross;
  cross << 0, -a.z(), a.y(), a.z(), 0, -a.x(), -a.y(), a.x(), 0;
  Affine turn = Affine::Identity();
  turn.linear() = c * Eigen::Matrix3d::Identity() + s * cross + (1 - c) * a * a.transpose();
  turn.translation() = point - turn.linear() * point;
  return turn;
}

}  // namespace anvil
