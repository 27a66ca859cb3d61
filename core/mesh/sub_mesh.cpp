// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/sub_mesh.h"

#include "core/mesh/attributes.h"

namespace anvil {

std::vector<SubMesh> take_apart(const Mesh& mesh, std::span<const Index> group, Index count) {
  std::vector<SubMesh> parts(count);
  for (Index f = 0; f < mesh.face_count(); ++f)
    if (group[f] != no_index) parts[group[f]].faces.push_back(f);
  std::vector<Index> id(mesh.positions.size(), no_index);
  for (SubMesh& part : parts) {
    for (Index f : part.faces) {
      for (Index v : mesh.face(f)) {
        if (id[v] == no_index) {
          id[v] = part.mesh.add_vertex(mesh.positions[v]);
          part.vertices.push_back(v);
        }
        part.mesh.corners.push_back(id[v]);
      }
      part.mesh.face_offsets.push_back(static_cast<Index>(part.mesh.corners.size()));
    }
    for (Index v : part.vertices) id[v] = no_index;
    carry_attributes(mesh, part.faces, part.mesh);
  }
  return parts;
}

}  // namespace anvil
