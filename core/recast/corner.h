// SPDX-License-Identifier: GPL-3.0-or-later
// Where a vertex stands that a few planes ask for: on them, on the line in which they meet, or in their corner.
#pragma once

#include <functional>
#include <optional>
#include <span>

#include "core/types.h"

namespace anvil::recast {

inline constexpr double hardly_sharp = 0.03;  ///< Corner::sharpness of two planes that meet at 20 degrees
inline constexpr double hardly_sharp_cosine = 0.94;  ///< of their normals
inline constexpr double on_surface = 0.002;   ///< details: what stands so near stands on the surface

/// A piece of surface, as a plane.
struct Tangent {
  Vec3 point, normal;  // length 1
};

struct Corner {
  Vec3 position;
  int rank;  ///< 1: on a surface, 2: on the line in which two meet, 3: in a corner; 0: no plane was of use
  double sharpness;  ///< of a line or corner: 0 where the planes are nearly one, 1 where they stand square on each other
  Vec3 smooth;       ///< where it would stand on one surface: a place for it where the other makes faces cross
  bool fits;         ///< all planes pass close by
  bool is_flat;      ///< they do so also at the smooth place
};

/// The point that fits the planes, of the lowest rank that explains them: quadratic error functions (Ju et al. 2002; the pseudo-inverse about the middle after Lindstrom, "Out-of-core
/// simplification of large polygonal models", SIGGRAPH 2000). A line or a corner counts only where it lies in the box, a little more for corners.
Corner corner_of(std::span<const Tangent> tangents, const Box3& box);

/// Where the planes are those of more than one edge, and these meet elsewhere: the place next to a point on the line of two planes that lies on the surface.
/// @param nearest  of the surface
/// @param slack    mesh units: so near is on it
std::optional<Corner> edge_beside(std::span<const Tangent> tangents, const Vec3& point, const Box3& box, const std::function<Tangent(const Vec3&)>& nearest, double slack);

}  // namespace anvil::recast
