// SPDX-License-Identifier: GPL-3.0-or-later
// Random prisms over concave outlines, frames and outlines that touch themselves, whose floors and roofs are polygons of many corners, and what must hold of
// their combinations.
#pragma once

#include <string>

#include "core/mesh/mesh.h"

namespace anvil::test {

using Outline = std::vector<std::array<int, 2>>;

/// Walls of quads over an outline that runs to the left, and a floor and a roof of one polygon each. A corner may come twice in
/// the outline: so a slit leads to a hole. All coordinates are whole numbers.
/// @param lean  how far the roof is moved along x
Mesh walls(const Outline& outline, int height, int lean);

/// Combines three random prisms by all three operations, as polygons and in triangles, with contact and without, and
/// with one a little off its place: CGAL must find both sound, with the same volume and as many shells; contact must not be left
/// out. Scoring draws the same lines with contact and without. Two of them by what_is_wrong as well.
/// @return "" when all holds
std::string what_is_wrong_with_prisms(unsigned seed);

}  // namespace anvil::test
