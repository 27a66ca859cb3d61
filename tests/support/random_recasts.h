// SPDX-License-Identifier: GPL-3.0-or-later
// Random heaps and bodies, re-skinned, and what must hold of the skins.
#pragma once

#include <string>

#include "core/recast/recast.h"

namespace anvil::test {

/// 2 to 30 pieces that cross each other: closed ones, ones with faces missing or turned over, sheets and bare triangles; re-skinned at 1/20 to 1/400 of the size (by `finest`), sharp or not.
/// The skin must be sound for CGAL; no point of it that comes from a part lies farther from the parts than half the detail.
std::string what_is_wrong_with_recast(unsigned seed, double finest = 400);

/// The same of any parts, placed as they are.
std::string what_is_wrong_with_recast_of(const std::vector<recast::Part>& parts, const RecastSettings& settings);

/// The same of a body damaged in one to four ways (tests/support/damage.h), re-skinned at 1/20 to 1/400 of its size (by `finest`), sharp or not.
std::string what_is_wrong_with_recast_of_damaged(unsigned seed, double finest = 400);

/// What a skin keeps of a body.
struct Kept {
  double edges = 1;     ///< share of the length of sharp edges (more than 20°) that the skin has an edge within 0.02 details and 2° of
  double surface = 1;   ///< share of points off sharp edges by a detail that are within 0.02 details, both ways
  double farthest = 0;  ///< from the skin to the body, details
};
Kept kept_by_recast(const Mesh& body, const Mesh& skin, double detail);

/// Boxes, prisms, polyhedra and results of combinations, turned at random, re-skinned with a detail below a quarter of their smallest feature. Sound, 99 % of the
/// surface and 95 to 99 % of the sharp edges kept, as said in the code for each body, and no point of the skin farther than half the detail. Features are as large as said there, by hand.
std::string what_is_wrong_with_sharp_recast(unsigned seed);

}  // namespace anvil::test
