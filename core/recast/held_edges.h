// SPDX-License-Identifier: GPL-3.0-or-later
// Edges that a change of the surface is to leave where they are.
#pragma once

#include "core/mesh/triangulate.h"

namespace anvil::recast {

struct HeldEdges {
  double sharper_than = 30;  ///< degrees by which the surface turns; 180 and more: none
  bool materials = true;     ///< those between two material slots
  bool regions = true;       ///< those between two regions of a mesh that has them
};

/// Tells of two faces side by side whether the edge between them is held.
class EdgeHolder {
 public:
  EdgeHolder(const Mesh& mesh, const HeldEdges& rule);
  /// @param f,g  faces of the mesh, and normals of length one beside the edge, of floats or doubles
  template <class Normal>
  bool operator()(Index f, const Normal& normal_f, Index g, const Normal& normal_g) const {
    return (by_angle_ && f != g && normal_f.dot(normal_g) < least_) || (by_material_ && mesh_.materials.of_face[f] != mesh_.materials.of_face[g]) || (by_region_ && mesh_.regions[f] != mesh_.regions[g]);
  }

 private:
  const Mesh& mesh_;
  double least_;
  bool by_angle_, by_material_, by_region_;
};

/// Which edges of the triangles of a mesh are held: one for each corner 3 t + k, for the edge (k, k + 1), alike on both sides. Borders are not among them.
/// @param opposite  of the triangles (find_opposites)
std::vector<char> held_edges(const Mesh& mesh, const TriangleList& list, std::span<const Index> opposite, const HeldEdges& rule);

}  // namespace anvil::recast
