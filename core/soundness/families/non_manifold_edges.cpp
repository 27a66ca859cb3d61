// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

std::vector<Defect> find_edges(const Analysis& a) {
  std::vector<Defect> defects;
  if (a.non_manifold_edge_count == 0) return defects;
  for (Index e = 0; e < a.edges.size(); ++e) {
    const auto uses = a.edges.corners_of(e);
    if (uses.size() <= 2) continue;
    const auto [v, w] = a.edges.vertices[e];
    Defect defect = defect_around(families::non_manifold_edges, {a.mesh.positions[v], a.mesh.positions[w]},
                                  fmt::format("edge with {} faces", uses.size()));
    defect.edges.push_back({v, w});
    for (Index c : uses) defect.faces.push_back(a.edges.corner_face[c]);
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Edges with more than two faces.
const Family families::non_manifold_edges = {"non_manifold_edges",
                                             "Non-manifold edges",
                                             "non-manifold edge",
                                             "non-manifold edges",
                                             Marker::diamond,
                                             FamilyRole::defect,
                                             10,
                                             find_edges};

}  // namespace anvil
