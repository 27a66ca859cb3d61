// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices for rounded strips that have none of their own.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "core/mesh/mesh.h"

namespace anvil::recast {

struct DividedStrips {
  Mesh mesh;                  ///< its first vertices are those of the mesh it was made of
  std::vector<Index> source;  ///< per face, which face it was
};

/// Divides edges in their middles; what joins the middles within a face becomes an edge, so that a strip of faces is divided along.
/// @param edges  sorted pairs, the smaller vertex first
DividedStrips divide_strips(const Mesh& mesh, std::span<const std::array<Index, 2>> edges);

}  // namespace anvil::recast
