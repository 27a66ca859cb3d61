// SPDX-License-Identifier: GPL-3.0-or-later
// The part as it would look subdivided: what is doubled or has no length pulls the smooth surface out of shape and is seen.
// OpenSubdiv does it, behind this header.
#pragma once

#include "core/mesh/mesh.h"

namespace anvil {

struct Subdivided {
  Mesh mesh;                  ///< quads; without attributes
  std::vector<Index> source;  ///< per face, the face of the mesh that it lies in
  std::size_t left_out = 0;   ///< faces that pass a vertex twice or have fewer than three
};

/// Subdivides every face `levels` times by the rules of Catmull and Clark ("Recursively generated B-spline surfaces on
/// arbitrary topological meshes", CAD 10, 1978); boundaries become curves of their own. By connectivity alone: vertices at one
/// place that are not the same vertex part company. Any polygon mesh; edges with more than two faces stay creases.
/// @param levels  0 to 4; each about quadruples the faces
Subdivided subdivide(const Mesh& mesh, int levels);

/// How many faces that would give: four to the power of levels − 1 for each corner.
std::size_t subdivided_faces(const Mesh& mesh, int levels);

}  // namespace anvil
