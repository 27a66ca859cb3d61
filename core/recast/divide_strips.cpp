// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/divide_strips.h"

#include <algorithm>

#include "core/mesh/attributes.h"

namespace anvil::recast {

DividedStrips divide_strips(const Mesh& mesh, std::span<const std::array<Index, 2>> edges) {
  DividedStrips divided;
  divided.mesh.positions = mesh.positions;
  for (const auto& [v, w] : edges) divided.mesh.add_vertex((mesh.positions[v] + mesh.positions[w]) / 2);
  const auto middle_of = [&](Index v, Index w) {
    const std::array<Index, 2> key{std::min(v, w), std::max(v, w)};
    const auto found = std::lower_bound(edges.begin(), edges.end(), key);
    return found != edges.end() && *found == key ? static_cast<Index>(mesh.positions.size() + static_cast<std::size_t>(found - edges.begin())) : no_index;
  };
  std::vector<Index> ring, corner;
  std::vector<std::size_t> middles;  // places in the ring
  for (Index f = 0; f < mesh.face_count(); ++f) {
    const auto add = [&](std::span<const Index> face) {
      divided.mesh.add_face(face);
      divided.source.push_back(f);
    };
    ring.clear();
    middles.clear();
    const auto face = mesh.face(f);
    for (std::size_t k = 0; k < face.size(); ++k) {
      ring.push_back(face[k]);
      const Index middle = middle_of(face[k], face[(k + 1) % face.size()]);
      if (middle == no_index) continue;
      middles.push_back(ring.size());
      ring.push_back(middle);
    }
    if (middles.empty()) {
      add(ring);
    } else if (middles.size() == 1) {
      // A fan from it.
      for (std::size_t k = 1; k + 1 < ring.size(); ++k) {
        const auto at = [&](std::size_t i) { return ring[(middles[0] + i) % ring.size()]; };
        add(Triangle{at(0), at(k), at(k + 1)});
      }
    } else {
      // What lies between each two of them, and what is left amid more than two.
      const std::size_t parts = middles.size() == 2 ? 1 : middles.size();
      std::vector<Index> amid;
      for (std::size_t i = 0; i < middles.size(); ++i) {
        corner.clear();
        for (std::size_t k = middles[i]; k != middles[(i + 1) % middles.size()]; k = (k + 1) % ring.size()) corner.push_back(ring[k]);
        corner.push_back(ring[middles[(i + 1) % middles.size()]]);
        add(corner);
        amid.push_back(ring[middles[i]]);
      }
      if (parts > 1) add(amid);
    }
  }
  carry_attributes(mesh, divided.source, divided.mesh);
  return divided;
}

}  // namespace anvil::recast
