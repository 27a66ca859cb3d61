// SPDX-License-Identifier: GPL-3.0-or-later
// Some faces of a mesh as a mesh of its own, and the way back.
#pragma once

#include <span>

#include "core/mesh/mesh.h"

namespace anvil {

struct SubMesh {
  Mesh mesh;                    ///< faces in their order, vertices by first use, attributes carried over
  std::vector<Index> faces;     ///< per face, which of the whole it is
  std::vector<Index> vertices;  ///< per vertex, which of the whole it is
};

/// The faces of each group as a mesh of its own.
/// @param group  per face, below `count`; no_index: in none
std::vector<SubMesh> take_apart(const Mesh& mesh, std::span<const Index> group, Index count);

}  // namespace anvil
