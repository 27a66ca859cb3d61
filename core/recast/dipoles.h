// SPDX-License-Identifier: GPL-3.0-or-later
// How far a cloud of points with normals fills the view: its winding number, and where it grows.
#pragma once

#include <span>
#include <vector>

#include "core/types.h"

namespace anvil::recast {

/// Points that stand for a little area each. The winding number of a cloud by Barill et al., "Fast Winding Numbers for Soups and Clouds", SIGGRAPH 2018: stretches far off count as one area at
/// their middle (first order). Good from about the points' own distance on; nearer the single points are felt.
class Dipoles {
 public:
  /// @param areas  per point, its normal as long as its area
  Dipoles(std::span<const Vec3> points, std::span<const Vec3> areas);
  struct Winding {
    double number;
    Vec3 gradient;
  };
  /// O(log n).
  Winding operator()(const Vec3& p) const;

 private:
  struct Node {
    Vec3 area = Vec3::Zero(), middle = Vec3::Zero();
    double size = 0, radius = 0;  ///< plain area; of a ball around the middle
  };
  static constexpr std::size_t leaf_size = 4, max_depth = 40;
  std::vector<Node> points_;  ///< in order, of radius 0
  std::size_t leaves_ = 1;    ///< power of two
  std::vector<Node> nodes_;   ///< heap order, root at 1
};

}  // namespace anvil::recast
