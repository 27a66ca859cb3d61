// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/boolean/stages.h"

namespace anvil::boolean {

/// Gives every fan of faces around a vertex, piece by piece, a vertex of its own, and every solid wedge at an edge
/// with four or more faces ends of its own; only at special points, the others have one fan.
/// @return the middles of the edges with four or more faces
std::vector<Vec3> separate_wedges(Rounded& rounded);

/// Triangles at edges with four or more faces of one piece whose solid wedges do not follow each other around the
/// edge, which rounding can bring about. @return per triangle; empty when there is none
std::vector<char> at_confused_edges(const Rounded& rounded);

}  // namespace anvil::boolean
