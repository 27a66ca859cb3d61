// SPDX-License-Identifier: GPL-3.0-or-later
// Where the lines of a grid pass through a closed surface: exact, so that all three families of lines agree on what is inside.
#pragma once

#include "core/control.h"
#include "core/mesh/triangulate.h"
#include "core/recast/grid.h"

namespace anvil::recast {

/// Crossings of a solid: all points around which the surface winds not zero times. Lines through an edge or a corner are taken as a hair aside, the same hair for all
/// (Edelsbrunner and Mücke, "Simulation of simplicity", ACM TOG 1990), so that no crossing is lost or counted twice.
///
/// @param triangles  closed: every edge is passed as often one way as the other. May cross themselves.
/// O(triangles + lines that pass through their boxes). Throws Stopped.
/// @return no edge is crossed at two equal coordinates
Crossings crossings_of_solid(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Grid& grid, const Control& control = {});

/// The same of what is not closed: inside is where the surface fills more than half of the view (generalised winding numbers, Jacobson et al., SIGGRAPH 2013). Small holes are so spanned; along
/// the span crossings have no triangle. Where a surface ends in the open nothing is enclosed, and it is lost.
///
/// The span is followed from cell to cell, beginning at the surface.
Crossings crossings_of_open(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Grid& grid, const Control& control = {});

}  // namespace anvil::recast
