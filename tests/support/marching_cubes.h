// SPDX-License-Identifier: GPL-3.0-or-later
// A solid as marching cubes give it back: vertices on the edges of a grid, none within its cells.
#pragma once

#include "core/mesh/mesh.h"

namespace anvil::test {

/// Lorensen and Cline, "Marching cubes" (SIGGRAPH 1987), with loops followed from face to face instead of a table; where a face of a cell has four crossings its inside corners are kept apart.
/// @param solid  closed
/// @param voxel  mesh units
/// @return triangles, closed
Mesh marching_cubes(const Mesh& solid, double voxel);

}  // namespace anvil::test
