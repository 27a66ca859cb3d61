// SPDX-License-Identifier: GPL-3.0-or-later
// A piece of surface carried on beyond its end.
#pragma once

#include <span>

#include "core/mesh/mesh.h"

namespace anvil::recast {

/// Where faces lie and which way they look.
struct FacePlaces {
  explicit FacePlaces(const Mesh& mesh);
  std::vector<Vec3> normals, middles;
};

/// A surface beside an edge, carried on to a place there.
struct Side {
  Vec3 normal;
  double height;      ///< of the place above it, mesh units
  std::size_t faces;  ///< that it was told by
  double fitting;     ///< how many of these lie where it says
};

/// Flat where enough of the piece lies in one plane; else bent one way, as a cylinder is, where that fits nearly as well as any way: what a grid bends next to an edge is then not taken for the surface's
/// own. Next to an edge a grid bends faces a little, since the
/// distance that it holds is there that to the edge: faces count the more the farther away they are, and those that do not fit the others count for nothing
/// (reweighted least squares).
/// @param piece  faces, at least one
/// @param unit   the usual length of an edge, mesh units, above 0
Side carried_on(const FacePlaces& faces, std::span<const Index> piece, const Vec3& at, double unit);

}  // namespace anvil::recast
