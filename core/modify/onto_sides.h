// SPDX-License-Identifier: GPL-3.0-or-later
// A rounded strip along a line brought on to the surfaces on its two sides.
#pragma once

#include <array>

#include "core/modify/worked_triangles.h"

namespace anvil {

/// Moves the vertices near a line on to the surface on their side of it, carried on from beyond the reach, and those of the line to where the surfaces beside it meet.
/// Where lines meet in a vertex, that one goes into their corner. Ends of the line stay, and vertices whose moving would turn a triangle over.
/// @param line   edges of `work`, as vertex pairs
/// @param reach  mesh units, above 0: how far beside the line the surface is rounded
/// @return where vertices of the line stayed for that reason
std::vector<Vec3> onto_sides(WorkedTriangles& work, const std::vector<std::array<Index, 2>>& line, double reach);

}  // namespace anvil
