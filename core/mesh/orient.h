// SPDX-License-Identifier: GPL-3.0-or-later
// Which faces turn the same way, spread from neighbour to neighbour.
#pragma once

#include "core/mesh/edges.h"

namespace anvil {

struct PatchOrientation {
  std::vector<char> against_first;  ///< per face: it would have to be turned over to agree with the first of its patch
  std::vector<Index> patch;         ///< per face; patches are numbered by their first faces
  Index patches = 0;
};

/// Spreads over edges with exactly two faces. Where the surface cannot be oriented, as on a Möbius band, the way on which
/// a face was reached first counts.
PatchOrientation orient_patches(const Mesh& mesh, const EdgeTable& edges);

}  // namespace anvil
