// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/orient.h"

namespace anvil {

PatchOrientation orient_patches(const Mesh& mesh, const EdgeTable& edges) {
  PatchOrientation out;
  out.against_first.assign(mesh.face_count(), 0);
  out.patch.assign(mesh.face_count(), no_index);
  std::vector<Index> queue;
  for (Index seed = 0; seed < mesh.face_count(); ++seed) {
    if (out.patch[seed] != no_index) continue;
    out.patch[seed] = out.patches;
    queue.assign(1, seed);
    while (!queue.empty()) {
      const Index f = queue.back();
      queue.pop_back();
      for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) {
        if (edges.corner_edge[c] == no_index) continue;
        const auto uses = edges.corners_of(edges.corner_edge[c]);
        if (uses.size() != 2) continue;
        const Index other = uses[0] == c ? uses[1] : uses[0], g = edges.corner_face[other];
        if (out.patch[g] != no_index) continue;
        out.patch[g] = out.patches;
        // Both faces running the edge the same way turn against each other.
        out.against_first[g] = static_cast<char>(out.against_first[f] ^ static_cast<char>(mesh.corners[other] == mesh.corners[c]));
        queue.push_back(g);
      }
    }
    ++out.patches;
  }
  return out;
}

}  // namespace anvil
