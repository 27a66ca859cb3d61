// SPDX-License-Identifier: GPL-3.0-or-later
// The rounded strip that a grid leaves along a sharp edge, and the surfaces beside it.
#pragma once

#include <tbb/enumerable_thread_specific.h>

#include <cstdint>

#include "core/mesh/edges.h"
#include "core/recast/carried_on.h"

namespace anvil::recast {

/// Has a strip vertices of its own? Where grids put one into each cell it has; where they are on the grid's edges, as marching cubes leave them, it may be bare, and lead from side to side.
enum class Strips { with_vertices, bare };

class RoundedStrip {
 public:
  /// @param sharper_than  degrees: the least turn of an edge that is looked for
  /// @param reach         how far from a vertex its sides are looked for, mesh units; 0: four usual edges
  RoundedStrip(const Mesh& mesh, double sharper_than, double reach, Strips strips);

  bool on_strip(Index v) const { return strip_[v] != 0; }
  /// Within three faces of the strip or at a bare one, and not in it. Vertices on borders, and where other than two faces meet at an edge, are neither.
  bool beside(Index v) const { return beside_[v] != 0; }
  /// Faces within reach of a vertex that lie on no strip, by the pieces in which they hang together.
  std::vector<std::vector<Index>> pieces_around(Index v) const;

  /// Of bare strips, edges that cross them: their ends lie on different surfaces.
  const std::vector<std::array<Index, 2>>& edges_across() const { return across_; }

  const FacePlaces& faces() const { return faces_; }
  /// The length that half of the edges are shorter than.
  double usual_edge() const { return usual_; }

 private:
  std::span<const Index> faces_at(Index v) const { return {at_vertex_.data() + first_[v], at_vertex_.data() + first_[v + 1]}; }
  void find(double sharper_than, Strips strips);
  void find_across(double sharper_than);

  /// What a thread knows of faces, numbers of this search and of none before.
  struct Marks {
    std::vector<std::uint32_t> number;  ///< per face
    std::uint32_t next = 1;
  };

  const Mesh& mesh_;
  const EdgeTable edges_;
  const FacePlaces faces_;
  std::vector<Index> first_, at_vertex_;  // faces at each vertex
  double usual_ = 0, reach_ = 0;
  std::vector<char> strip_, beside_;  // per vertex
  std::vector<std::array<Index, 2>> across_;
  mutable tbb::enumerable_thread_specific<Marks> marks_;
  std::vector<char> reliable_;        // per face: it lies on a surface, not on a strip
};

}  // namespace anvil::recast
