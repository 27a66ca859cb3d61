// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices put onto edges of faces: polygons get corners, triangles are cut in two.
#pragma once

#include <map>

#include "core/mesh/edges.h"
#include "core/mesh/mesh_editor.h"

namespace anvil {

class CutOnEdges {
 public:
  CutOnEdges(const Mesh& mesh, MeshEditor& edit) : mesh_(mesh), edit_(edit) {}
  /// Vertex v lies on the edge that starts at a corner of face f.
  void add(Index corner, Index f, Index v) { on_[f][corner].push_back(v); }
  /// Writes them all down, those of one edge in their order along it.
  void carry_out();

 private:
  const Mesh& mesh_;
  MeshEditor& edit_;
  std::map<Index, std::map<Index, std::vector<Index>>> on_;  // face, corner
};

}  // namespace anvil
