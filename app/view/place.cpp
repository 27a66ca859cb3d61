// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/place.h"

namespace anvil::app {
namespace {

constexpr std::size_t max_segments = 2000;

}  // namespace

Place place_of(const Defect& defect, const Mesh& mesh) {
  Place place{defect.position, defect.size, defect.note, {}};
  auto add = [&](Index v, Index w) {
    if (place.segments.size() < max_segments && v < mesh.positions.size() && w < mesh.positions.size())
      place.segments.push_back({mesh.positions[v], mesh.positions[w]});
  };
  for (const auto& [v, w] : defect.edges) add(v, w);
  if (!defect.edges.empty() || !defect.vertices.empty()) return place;
  for (Index f : defect.faces) {
    if (f >= mesh.face_count() || place.segments.size() >= max_segments) break;
    const auto ring = mesh.face(f);
    for (std::size_t k = 0; k < ring.size(); ++k) add(ring[k], ring[(k + 1) % ring.size()]);
  }
  return place;
}

}  // namespace anvil::app
