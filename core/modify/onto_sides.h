// SPDX-License-Identifier: GPL-3.0-or-later
// A rounded strip along a line brought on to the surfaces on its two sides.
#pragma once

#include "core/modify/edge_line.h"

namespace anvil {

/// Moves the vertices near a line on to the surface on their side of it, carried on from beyond the reach, and those of the line to where the surfaces beside it meet.
/// A triangle with three corners on the line is cut in two first. Where lines meet in a vertex, that one goes into their corner. Ends of the line stay, what lies past them, and vertices whose moving would turn a triangle over.
/// @param line    edges of `work`, as vertex pairs
/// @param reach   mesh units, above 0: how far beside the line the surface is rounded
/// @param rounded  where not empty, per vertex: it is rounded, wherever it lies; the surface is carried on from triangles that have no such vertex, within two and a half times the reach
/// @return where vertices of the line stayed because a triangle would turn over
std::vector<Vec3> onto_sides(WorkedTriangles& work, const Line& line, double reach, std::vector<char> rounded = {});

}  // namespace anvil
