// SPDX-License-Identifier: GPL-3.0-or-later
// A surface between the ends of strips that goes on from each of them without an edge.
#pragma once

#include <span>
#include <vector>

#include "core/shape/blend/biharmonic_disc.h"

namespace anvil {

/// A piece of the border between two corners, counter-clockwise from outside.
struct PatchSide {
  std::vector<Vec3> at, normal;    ///< along it, both ends included; normal: of the strip that ends there, zero where none does
  std::vector<Index> points;       ///< the same
  std::vector<Vec3> onward;        ///< in which direction the strip comes in there, length 1; zero where none does
  Index segments() const { return static_cast<Index>(at.size() - 1); }
};

/// From the border on, *ribbons* run straight on in the direction of the strips, as far as neighbouring ones leave room; within them lies a biharmonic surface that is
/// tangent to them. So it works for any number of strips, convex and concave ones: what is asked of the surface is the tangent plane along its border, and nothing else, as in
/// Várady and Rockwood, "Geometric construction for setback vertex blending", Computer-Aided Design 29, 1997 (from memory).
class RibbonPatch {
 public:
  explicit RibbonPatch(std::span<const PatchSide> sides);

  /// How much of the way to the middle ribbons take up.
  static constexpr double ribbon_depth = 0.3;
  /// @param along  the number of a side plus the share of it that is gone
  /// @param depth  0 at the border, 1 in the middle
  Vec3 at(double along, double depth) const;

 private:
  Vec3 at_corner(std::size_t side, double least, double size);
  double room(std::size_t side, const Vec3& at, const Vec3& way, bool at_begin) const;
  void lay_ribbons();
  void fill_within();
  Vec3 ribbon(double along, double share) const;

  std::span<const PatchSide> sides_;
  std::vector<std::vector<Vec3>> ribbons_;  // per side and point of it: how far its ribbon goes
  std::vector<double> reach_, along_;       // around the inner border of ribbons: lengths, and the place along the border
  std::vector<BiharmonicDisc> within_;      // one
};

}  // namespace anvil
