// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/boolean/rounded.h"

namespace anvil::boolean {

struct Separated {
  std::vector<Vec3> middles;  ///< of the edges with four or more faces
  std::vector<Index> place;   ///< per point, the first point at its position
  std::vector<char> fixed;    ///< per point: it keeps touching surfaces apart and may not go
};
/// Gives every fan of faces around a vertex, piece by piece, a vertex of its own, and every solid wedge at an edge
/// with four or more faces ends of its own; only at special points, the others have one fan.
Separated separate_wedges(Rounded& rounded);

/// Triangles at edges with four or more faces of one piece whose solid wedges do not follow each other around the
/// edge, which rounding can bring about. @return per triangle; empty when there is none
std::vector<char> at_confused_edges(const Rounded& rounded);

/// Triangles of shells thinner than rounding that are inside out, or flat.
/// @param piece    of each triangle
/// @param suspect  per triangle; only shells of these and what hangs between them are looked at
/// @param inexact  per point: just put where it was not; only shells with such a point are looked at
/// @return per triangle; empty when there is none
std::vector<char> in_turned_shells(std::span<const Vec3> points, std::span<const Triangle> triangles, std::span<const Index> piece,
                                   std::span<const char> suspect, std::span<const char> inexact);

}  // namespace anvil::boolean
