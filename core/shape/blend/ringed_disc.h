// SPDX-License-Identifier: GPL-3.0-or-later
// A disc filled with few faces: rings of points about a middle, each with fewer points than the one outside it.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "core/types.h"

namespace anvil {

struct RingedDisc {
  struct Border {
    std::vector<Index> points;
    std::vector<Vec3> at;
  };
  std::vector<Border> sides;       ///< counter-clockwise; each begins where the one before it ends, both ends included
  double faces_per_segment = 1.5;  ///< at most so many faces as the border has segments, times this; not less than about 1.3
  double inner_share = 0;          ///< of a ring's segments on the one within it, but of the border's, where the number of faces decides; 0: two less, a grid of quads
  double first_ring = 1.2;         ///< how far within the border the first ring lies, times the border's segments
  double first_depth = 0;          ///< the same as a share of the way to the middle; 0: by first_ring
  bool divides_corners = false;    ///< two triangles at a corner instead of a quad: each lies on the tangents of its own side
  /// The surface, by the number of the side plus the share of it that is gone, and how much of the way to the middle, 0 to 1.
  std::function<Vec3(double along, double depth)> place;
  std::function<Index(const Vec3&)> add_point;

  /// Quads where two rings have as many segments, triangles between, and quads at corners. A border of four points or fewer is one face.
  /// Points within, but not those at `first_depth`, stand off the surface by as much as it takes for the faces to hold the volume that they would hold if all rings had as many segments as the border: so few faces
  /// take no more than many.
  /// @return rings of points, counter-clockwise
  std::vector<std::vector<Index>> faces() const;
};

}  // namespace anvil
