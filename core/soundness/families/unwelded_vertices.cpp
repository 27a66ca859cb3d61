// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices at one position are a seam left open when they lie on open edges.
#include <fmt/format.h>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

std::vector<Defect> find_unwelded(const Analysis& a) {
  std::vector<Defect> defects;
  if (a.all_welded() || a.open_edge_count == 0) return defects;
  std::vector<char> on_open_edge(a.mesh.positions.size(), 0);
  for (Index e = 0; e < a.edges.size(); ++e)
    if (a.edges.corners_of(e).size() == 1)
      for (Index v : a.edges.vertices[e]) on_open_edge[v] = 1;
  std::vector<std::vector<Index>> open_here(a.positions.first.size());
  for (Index v = 0; v < a.mesh.positions.size(); ++v)
    if (on_open_edge[v]) open_here[a.positions.id[v]].push_back(v);
  for (auto& vertices : open_here) {
    if (vertices.size() < 2) continue;
    Defect defect = defect_around(families::unwelded_vertices, {a.mesh.positions[vertices[0]]},
                                  fmt::format("{} vertices at one point", vertices.size()));
    defect.count = vertices.size() - 1;
    defect.vertices = std::move(vertices);
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Vertices on open edges at the place of another such vertex.
const Family families::unwelded_vertices = {"unwelded_vertices",
                                            "Unwelded vertices",
                                            "unwelded vertex",
                                            "unwelded vertices",
                                            Marker::dot,
                                            FamilyRole::remark,
                                            90,
                                            find_unwelded};

}  // namespace anvil
