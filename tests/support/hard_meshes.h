// SPDX-License-Identifier: GPL-3.0-or-later
// Meshes that bring searches among all pairs to their knees.
#pragma once

#include "core/mesh/mesh.h"

namespace anvil::test {

/// Boxes of side 1, two apart, in a square grid.
Mesh boxes_beside(int count);
/// Two cones of so many sides base to base: both tips have as many faces. Height 10 each, radius 10.
Mesh double_cone(int sides);
/// The faces of a ball in any order, of about so many triangles, and one box that is 1e5 away.
Mesh shuffled_with_stray(unsigned seed);
/// A cube's six faces, of which the first names its corners so many times over.
Mesh wound_cube(int times);
/// A prism on a regular polygon of so many corners. Height 5, radius 10.
Mesh long_rimmed_prism(int sides);
/// A prism whose ends have so many corners, an even number, which lie by turns at a radius of 20 and 19.
Mesh toothed_wheel(int corners);
/// A tube without a lid, whose rim of so many vertices goes up and down, by some edges.
Mesh ragged_tube(int around, unsigned seed);

}  // namespace anvil::test
