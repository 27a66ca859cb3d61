// SPDX-License-Identifier: GPL-3.0-or-later
// Generalised winding numbers: how often a surface encloses a point, also when it is not closed.
#pragma once

#include "core/mesh/triangulate.h"

namespace anvil {

/// Solid angles over 4π (Jacobson et al., "Robust Inside-Outside Segmentation using Generalized Winding
/// Numbers", SIGGRAPH 2013; the triangle's solid angle by Van Oosterom and Strackee, 1983). An integer up
/// to rounding for closed surfaces. O(triangles), same result on any number of threads.
double winding_number(std::span<const Vec3> positions, std::span<const Triangle> triangles,
                      const Vec3& point);

/// The same for many points: stretches of the surface far from a point count as their area vector at their middle (Barill
/// et al., "Fast Winding Numbers for Soups and Clouds", SIGGRAPH 2018, first order). Off by less than 0.01 in practice;
/// O(log n) a point, O(n log n) to build.
class WindingTree {
 public:
  WindingTree(std::span<const Vec3> positions, std::vector<Triangle> triangles);
  double operator()(const Vec3& point) const;

 private:
  struct Node {
    Vec3 area = Vec3::Zero(), middle = Vec3::Zero();
    double size = 0, radius = 0;  ///< plain area; of a ball around the middle
  };
  static constexpr std::size_t leaf_size = 8, max_depth = 32;
  std::span<const Vec3> positions_;
  std::vector<Triangle> triangles_;  ///< in order
  std::size_t leaves_ = 1;           ///< power of two
  std::vector<Node> nodes_;          ///< heap order, root at 1
};

}  // namespace anvil
