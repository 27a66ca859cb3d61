// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices at one position are a seam left open when they lie on open edges; where both fans are closed they are a
// contact: two walls of the same solid, or two shells, touch there on purpose.
#include <fmt/format.h>

#include <algorithm>

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

std::vector<Defect> find_contacts(const Analysis& a) {
  std::vector<Defect> defects;
  if (a.all_welded()) return defects;
  const EdgeTable& joined = a.position_edges();
  for (Index e = 0; e < joined.size(); ++e) {
    const auto uses = joined.corners_of(e);
    if (uses.size() < 4) continue;
    const bool closed = std::all_of(uses.begin(), uses.end(), [&](Index c) {
      return a.edges.corner_edge[c] != no_index && a.edges.corners_of(a.edges.corner_edge[c]).size() == 2;
    });
    if (!closed) continue;
    Defect defect = defect_around(families::contact_edges, {a.start_of(uses[0]), a.end_of(uses[0])},
                                  fmt::format("{} faces touch at one edge", uses.size()));
    for (Index c : uses) {
      defect.faces.push_back(a.edges.corner_face[c]);
      const auto edge = a.edges.vertices[a.edges.corner_edge[c]];
      if (std::find(defect.edges.begin(), defect.edges.end(), edge) == defect.edges.end()) defect.edges.push_back(edge);
    }
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

const Family families::unwelded_vertices = {"unwelded_vertices", "Unwelded vertices", "unwelded vertex", "unwelded vertices",
                                            Marker::dot, FamilyRole::remark, find_unwelded};
const Family families::contact_edges = {"contact_edges", "Contact edges", "contact edge", "contact edges",
                                        Marker::diamond, FamilyRole::note, find_contacts};

}  // namespace anvil
