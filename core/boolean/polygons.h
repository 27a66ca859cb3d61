// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/mesh/triangulate.h"

namespace anvil::boolean {

/// Joins triangles of one flat polygon into as few simple polygons as taking edges out one by one gives. Edges
/// between triangles of different origin go first: a cut that crossed one has left a vertex there that is no corner
/// of anything; then the longest. A polygon with a hole cannot be one ring: edges that lead to the hole stay.
///
/// @param triangles  corners, all turning the same way, at most two on an edge
/// @param kept       per triangle, bit k: the edge from corner k to corner k + 1 stays
/// @param origin     per triangle, the triangle that it was cut out of
/// @return per polygon its ring, and the triangles it is made of
struct Joined {
  std::vector<Index> ring;
  std::vector<Index> triangles;
};
std::vector<Joined> join_triangles(const std::vector<Vec3>& points, std::span<const Triangle> triangles,
                                   std::span<const unsigned char> kept, std::span<const Index> origin);

}  // namespace anvil::boolean
