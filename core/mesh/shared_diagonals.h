// SPDX-License-Identifier: GPL-3.0-or-later
// Faces that are joined along lines they are only cut along.
#pragma once

#include <array>
#include <span>

#include "core/mesh/triangulate.h"

namespace anvil {

/// Pairs of faces of which one is cut into triangles along a diagonal between two vertices that the other has an edge or a diagonal between as well. Cut so, there are more than two triangles at it.
/// Where more than two faces share one, each is paired with the first that is cut there.
/// @param list   the triangles of the mesh, those of one face behind each other
/// @param place  per vertex, a number that those at one place share; empty: each is at its own
/// @param about  per face: only pairs with one of these; empty: all
/// @return each once, the smaller first, in order. O(n log n) in the faces with a corner of those asked for.
std::vector<std::array<Index, 2>> shared_diagonals(const Mesh& mesh, const TriangleList& list, std::span<const Index> place = {}, std::span<const char> about = {});

}  // namespace anvil
