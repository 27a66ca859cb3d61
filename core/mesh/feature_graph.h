// SPDX-License-Identifier: GPL-3.0-or-later
// A mesh as a craftsman sees it: flat facets, the edges that part them, and what meets at each corner.
#pragma once

#include <optional>

#include "core/control.h"
#include "core/mesh/edges.h"

namespace anvil {

/// Facets are faces that lie in one plane and hang together; feature edges part two of them.
///
/// A feature edge e is seen as two halves, 2 e and 2 e + 1, that run it each way and have their facet on the left.
class FeatureGraph {
 public:
  struct Half {
    Index from, to;  ///< vertices
    Index facet;     ///< on its left
    Index corner;    ///< of the mesh
    Index next;      ///< the half that follows in the facet's loop
    Index previous;
  };
  struct Facet {
    Vec3 normal;               ///< of its largest face, length 1
    std::vector<Index> faces;  ///< of the mesh; the largest first
    std::vector<Index> loops;  ///< one half of each
    Index size = 0;            ///< how many halves its loops have
  };
  /// What meets at a vertex: the halves that go out from it, counter-clockwise as seen from outside. The facet of each lies between it and
  /// the one that follows.
  struct Cell {
    Index vertex;
    std::vector<Index> out;
  };

  /// O(n log n).
  /// @param mesh    closed, each edge run once each way; nothing is returned where it is not
  /// @param within  how far a corner may lie off the plane of its facet, a length
  /// @param kept    per edge: parts facets although its faces lie in one plane
  /// Throws Stopped.
  static std::optional<FeatureGraph> of(const Mesh& mesh, const EdgeTable& edges, double within, const std::vector<char>& kept, const Control& control = {});

  std::vector<Half> halves;
  std::vector<Facet> facets;
  std::vector<Cell> cells;
  std::vector<Index> facet_of;   ///< per face
  std::vector<Index> edge_of;    ///< per mesh edge its feature edge; no_index within a facet
  std::vector<Index> mesh_edge;  ///< per feature edge
  std::vector<Index> cell_of;    ///< per half: the cell that it goes out from

  static Index twin(Index half) { return half ^ 1; }
  Index edge_count() const { return static_cast<Index>(mesh_edge.size()); }
};

}  // namespace anvil
