// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

std::vector<Defect> find_zero_length(const Analysis& a) {
  std::vector<Defect> defects;
  // Edges between two vertices at one position …
  if (!a.all_welded())
    for (Index e = 0; e < a.edges.size(); ++e) {
      const auto [v, w] = a.edges.vertices[e];
      if (a.positions.id[v] != a.positions.id[w]) continue;
      Defect defect = defect_around(families::zero_length_edges, {a.mesh.positions[v]},
                                    "two vertices of one edge at the same point");
      defect.edges.push_back({v, w});
      for (Index c : a.edges.corners_of(e)) defect.faces.push_back(a.edges.corner_face[c]);
      defects.push_back(std::move(defect));
    }
  // … and faces that name one vertex twice in a row.
  for (Index c = 0; c < a.mesh.corners.size(); ++c) {
    if (a.edges.corner_edge[c] != no_index) continue;
    const Index v = a.mesh.corners[c];
    Defect defect = defect_around(families::zero_length_edges, {a.start_of(c)},
                                  "a face that uses one vertex twice in a row");
    defect.edges.push_back({v, v});
    defect.faces.push_back(a.edges.corner_face[c]);
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Edges whose ends are bit-equal.
const Family families::zero_length_edges = {"zero_length_edges",
                                            "Zero-length edges",
                                            "zero-length edge",
                                            "zero-length edges",
                                            Marker::dot,
                                            FamilyRole::defect,
                                            50,
                                            find_zero_length};

}  // namespace anvil
