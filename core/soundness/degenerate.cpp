// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void find_zero_length(const Analysis& a, FamilyReport& family) {
  // Edges between two vertices at one position …
  if (!a.all_welded())
    for (Index e = 0; e < a.edges.size(); ++e) {
      const auto [v, w] = a.edges.vertices[e];
      if (a.positions.id[v] != a.positions.id[w]) continue;
      ++family.count;
      Place place = place_around({a.mesh.positions[v]}, "two vertices of one edge at the same point");
      for (Index c : a.edges.corners_of(e)) place.faces.push_back(a.edges.corner_face[c]);
      family.places.push_back(std::move(place));
    }
  // … and faces that name one vertex twice in a row.
  for (Index c = 0; c < a.mesh.corners.size(); ++c) {
    if (a.edges.corner_edge[c] != no_index) continue;
    ++family.count;
    Place place = place_around({a.start_of(c)}, "a face that uses one vertex twice in a row");
    place.faces.push_back(a.edges.corner_face[c]);
    family.places.push_back(std::move(place));
  }
}

void find_zero_area(const Analysis& a, FamilyReport& family) {
  // A polygon has no area when all its triangles have none.
  const auto& face = a.triangles.face;
  std::vector<Index> found;
  for (std::size_t i = 0; i < face.size();) {
    bool flat = true;
    const Index f = face[i];
    for (; i < face.size() && face[i] == f; ++i) flat = flat && a.degenerate[i];
    if (flat) found.push_back(f);
  }
  family.count = found.size();
  for (Index f : found) family.places.push_back(place_of_faces(a, {f}, "face whose corners lie on one line"));
}

}  // namespace

void find_degenerate(const Analysis& a, SoundnessReport& report) {
  find_zero_length(a, report.of(Family::zero_length_edges));
  find_zero_area(a, report.of(Family::zero_area_faces));
}

}  // namespace anvil
