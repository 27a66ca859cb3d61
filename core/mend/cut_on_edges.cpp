// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/cut_on_edges.h"

#include <algorithm>

#include "core/mesh/triangulate.h"

namespace anvil {

void CutOnEdges::carry_out() {
  for (auto& [f, corners] : on_) {
    std::vector<Index> ring;
    for (Index c = mesh_.face_offsets[f]; c < mesh_.face_offsets[f + 1]; ++c) {
      const Index v = mesh_.corners[c], w = mesh_.corners[next_corner(mesh_, f, c)];
      ring.push_back(v);
      const auto here = corners.find(c);
      if (here == corners.end()) continue;
      std::vector<Index>& on = here->second;
      const Vec3 from = mesh_.positions[v], along = mesh_.positions[w] - from;
      std::sort(on.begin(), on.end(), [&](Index x, Index y) { return (mesh_.positions[x] - from).dot(along) < (mesh_.positions[y] - from).dot(along); });
      on.erase(std::unique(on.begin(), on.end()), on.end());
      ring.insert(ring.end(), on.begin(), on.end());
    }
    if (mesh_.face(f).size() > 3) {
      edit_.set_ring(f, std::move(ring));
      continue;
    }
    std::vector<std::vector<Index>> pieces;
    for (const Triangle& t : triangulate(mesh_.positions, ring)) pieces.push_back({t.begin(), t.end()});
    edit_.split_face(f, std::move(pieces));
  }
}

}  // namespace anvil
