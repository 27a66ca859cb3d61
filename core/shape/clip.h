// SPDX-License-Identifier: GPL-3.0-or-later
// Cutting faces along a plane, without any solid in mind: for sheets and for parts that bound nothing.
#pragma once

#include "core/mesh/attributes.h"
#include "core/shape/half_space.h"

namespace anvil {

struct Clipped {
  Mesh above, below;               ///< open along the plane; vertices in use only; attributes carried over
  std::vector<Index> above_face, below_face;  ///< per face, which one of the mesh it is of
};

/// Cuts every face that reaches to both sides along the plane. Any polygon mesh, sound or not; nothing is welded, closed
/// or turned. Vertices nearer than `tolerance` count as on the plane and stay where they are; faces that lie in it
/// stay below. New vertices lie on old edges, one for each edge and shared by all its faces, so no gap opens along a cut.
/// Faces that are not cut keep their polygon. A cut one comes out as few polygons as its triangles can be joined to.
Clipped clip(const Mesh& mesh, const HalfSpace& plane, double tolerance);

}  // namespace anvil
