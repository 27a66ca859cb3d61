// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices at one position where both fans are closed are a contact: two walls of the same solid, or two
// shells, touch there on purpose.
#include <fmt/format.h>

#include <algorithm>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

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
      if (std::find(defect.edges.begin(), defect.edges.end(), edge) == defect.edges.end())
        defect.edges.push_back(edge);
    }
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Edges where two closed fans touch without sharing vertices.
const Family families::contact_edges = {
    "contact_edges", "Contact edges", "contact edge", "contact edges", Marker::diamond, FamilyRole::note, 110,
    find_contacts};

}  // namespace anvil
