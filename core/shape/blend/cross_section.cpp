// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/cross_section.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace anvil {
namespace {

constexpr double pi = std::numbers::pi;
constexpr double max_share_of_turn = 0.98;  // of an asked angle in what the corner leaves: beyond it a chamfer would run along the other face

}  // namespace

CrossSection CrossSection::of(const Vec3& from, const Vec3& to, const Vec3& left_normal, const Vec3& right_normal) {
  CrossSection s;
  s.length = (to - from).norm();
  s.way = (to - from).stableNormalized();
  s.left = left_normal.cross(s.way).stableNormalized();
  s.right = s.way.cross(right_normal).stableNormalized();
  s.corner = std::atan2(s.left.cross(s.right).norm(), s.left.dot(s.right));
  s.convex = s.right.dot(left_normal) < 0;
  return s;
}

CrossSection CrossSection::reversed() const {
  CrossSection s = *this;
  s.way = -way;
  std::swap(s.left, s.right);
  std::swap(s.left_width, s.right_width);
  return s;
}

std::pair<double, double> CrossSection::widths(const EdgeBlendSettings& settings) const {
  if (settings.round) {
    const double leg = settings.width / std::tan(corner / 2);
    return {leg, leg};
  }
  if (settings.angle > 0) {
    const double angle = std::min(settings.angle * pi / 180, max_share_of_turn * (pi - corner));
    return {settings.width, settings.width * std::sin(angle) / std::sin(pi - corner - angle)};
  }
  return {settings.width, settings.second_width > 0 ? settings.second_width : settings.width};
}

std::vector<ProfilePoint> profile(double corner, const EdgeBlendSettings& settings) {
  if (!settings.round) return {{1, 0}, {0, 1}};
  std::vector<ProfilePoint> points;
  const double leg = 1 / std::tan(corner / 2);
  for (Index k = 0; k <= settings.segments; ++k) {
    // On the circle of radius 1; the left face is the first axis.
    const double at = -pi / 2 - (pi - corner) * k / settings.segments;
    const double x = leg + std::cos(at), y = 1 + std::sin(at), right = y / std::sin(corner), left = x - right * std::cos(corner);
    points.push_back({left / leg, right / leg});
  }
  points.front() = {1, 0}, points.back() = {0, 1};
  return points;
}

}  // namespace anvil
