// SPDX-License-Identifier: GPL-3.0-or-later
// The boundary of a mesh, as chains of edges with one face.
#pragma once

#include "core/mesh/edges.h"

namespace anvil {

struct BoundaryChain {
  std::vector<Index> edges;     ///< one after the other
  std::vector<Index> vertices;  ///< vertices[k] and [k + 1] are the ends of edges[k]; a closed chain does not repeat the first
  bool closed = false;          ///< comes back to its beginning, over at least three edges
};

/// All edges with one face, each in one chain. A closed chain passes no vertex twice: where two holes meet in a vertex,
/// each is a chain of its own. Open chains are left where the boundary ends at edges with more than two faces (the rim
/// of a fin). Deterministic.
std::vector<BoundaryChain> boundary_chains(const EdgeTable& edges);

/// Do all vertices of a closed chain lie within `tolerance` (mesh units) of one plane?
bool is_flat(const std::vector<Vec3>& positions, std::span<const Index> ring, double tolerance);

/// Is every edge passed as often one way as the other? Then it encloses a volume, whatever else is wrong with it.
bool is_closed(const Mesh& mesh);

}  // namespace anvil
