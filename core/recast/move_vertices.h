// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices moved to other places, as far as that leaves the surface free of crossings.
#pragma once

#include "core/control.h"
#include "core/mesh/mesh.h"

namespace anvil::recast {

struct MovedVertices {
  std::vector<Vec3> positions;
  std::vector<char> held_back;  ///< per vertex, it could not go all the way
  bool is_sound = false;        ///< by the soundness check
};

/// Moves vertices to where they are wanted. Those of faces that would cross others, or of shells that would turn inside out, go less far, or not at all.
/// @param wanted   per vertex
/// @param movable  per vertex; the others are wanted where they are
/// Throws Stopped.
MovedVertices move_vertices(const Mesh& mesh, std::vector<Vec3> wanted, const std::vector<char>& movable, const Control& control = {});

}  // namespace anvil::recast
