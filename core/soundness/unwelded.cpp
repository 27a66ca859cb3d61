// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/soundness/analysis.h"

namespace anvil {

/// Vertices at one position are a seam left open when they lie on open edges; where both fans are closed
/// they are a contact: two walls of the same solid, or two shells, touch there on purpose.
void find_unwelded_and_contacts(const Analysis& a, SoundnessReport& report) {
  if (a.all_welded()) return;
  std::vector<char> on_open_edge(a.mesh.positions.size(), 0);
  for (Index e = 0; e < a.edges.size(); ++e)
    if (a.edges.corners_of(e).size() == 1)
      for (Index v : a.edges.vertices[e]) on_open_edge[v] = 1;

  FamilyReport& family = report.of(Family::unwelded_vertices);
  std::vector<Index> open_here(a.positions.first.size(), 0);
  for (Index v = 0; v < a.mesh.positions.size(); ++v)
    if (on_open_edge[v]) ++open_here[a.positions.id[v]];
  for (std::size_t p = 0; p < open_here.size(); ++p) {
    if (open_here[p] < 2) continue;
    family.count += open_here[p] - 1;
    family.places.push_back(place_around({a.mesh.positions[a.positions.first[p]]},
                                         fmt::format("{} vertices at one point", open_here[p])));
  }

  const EdgeTable& joined = a.position_edges();
  for (Index e = 0; e < joined.size(); ++e) {
    const auto uses = joined.corners_of(e);
    if (uses.size() < 4) continue;
    const bool closed = std::all_of(uses.begin(), uses.end(), [&](Index c) {
      return a.edges.corner_edge[c] != no_index && a.edges.corners_of(a.edges.corner_edge[c]).size() == 2;
    });
    if (!closed) continue;
    ++report.contact_edges;
    Place place = place_around({a.start_of(uses[0]), a.end_of(uses[0])},
                               fmt::format("{} faces touch at one edge", uses.size()));
    place.segments.push_back({a.start_of(uses[0]), a.end_of(uses[0])});
    report.contacts.push_back(std::move(place));
  }
}

}  // namespace anvil
