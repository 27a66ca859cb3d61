// SPDX-License-Identifier: GPL-3.0-or-later
// A line led over a surface from vertex to vertex, whose pieces become edges.
#pragma once

#include "core/modify/worked_triangles.h"
#include "core/result.h"

namespace anvil {

/// The line from vertex to vertex is cut into the triangles; a vertex that lies close to it, on no edge sharper than `held`, is moved on to it instead, within the surface,
/// so that no slivers come about. Seen along the surface's normal a leg is the cubic that leaves and reaches its ends in the direction of the line (Hermite).
/// @param vertices  two or more; the same one twice running counts once
/// @param bend      0: straight from each to the next; 1: as one smooth line through all, which goes on from the sharp edge at its first vertex, and into the one that ends in its last
/// @return the vertices of the line, linked in `work`. An Issue where the surface between two vertices is not reached by going straight on
Result<std::vector<Index>> lead(WorkedTriangles& work, std::span<const Index> vertices, double bend, double held);

}  // namespace anvil
