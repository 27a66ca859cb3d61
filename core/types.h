// SPDX-License-Identifier: GPL-3.0-or-later
// The few types that everything speaks: points, placements, indices, boxes.
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <array>
#include <cstdint>
#include <limits>

namespace anvil {

using Vec3 = Eigen::Vector3d;
using Affine = Eigen::Affine3d;

using Index = std::uint32_t;
inline constexpr Index no_index = ~Index{0};
/// Its corners.
using Triangle = std::array<Index, 3>;
/// Two numbers as one, which compares as the pair does but quicker.
inline std::uint64_t pair_key(Index a, Index b) { return std::uint64_t{a} << 32 | b; }

/// An axis-aligned box; empty when lo > hi.
struct Box3 {
  Vec3 lo = Vec3::Constant(std::numeric_limits<double>::infinity());
  Vec3 hi = Vec3::Constant(-std::numeric_limits<double>::infinity());

  bool empty() const { return !(lo.x() <= hi.x()); }
  void add(const Vec3& p) {
    lo = lo.cwiseMin(p);
    hi = hi.cwiseMax(p);
  }
  void add(const Box3& other) {
    lo = lo.cwiseMin(other.lo);
    hi = hi.cwiseMax(other.hi);
  }
  Vec3 centre() const { return empty() ? Vec3(0, 0, 0) : Vec3(0.5 * (lo + hi)); }
  Vec3 size() const { return empty() ? Vec3(0, 0, 0) : Vec3(hi - lo); }
  double diagonal() const { return size().norm(); }
  /// With so much more on every side.
  Box3 grown(double by) const { return {Vec3(lo.array() - by), Vec3(hi.array() + by)}; }
};

}  // namespace anvil
