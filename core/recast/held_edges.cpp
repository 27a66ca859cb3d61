// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/held_edges.h"

#include <tbb/parallel_for.h>

#include <cmath>
#include <numbers>

namespace anvil::recast {

std::vector<char> held_edges(const Mesh& mesh, const TriangleList& list, std::span<const Index> opposite, const HeldEdges& rule) {
  std::vector<Vec3> normals(list.triangles.size());
  tbb::parallel_for(std::size_t{0}, normals.size(), [&](std::size_t t) {
    const auto& [a, b, c] = list.triangles[t];
    normals[t] = (mesh.positions[b] - mesh.positions[a]).cross(mesh.positions[c] - mesh.positions[a]).stableNormalized();
  });
  const double least = std::cos(rule.sharper_than * std::numbers::pi / 180);
  const bool by_angle = rule.sharper_than < 180, by_material = rule.materials && !mesh.materials.of_face.empty(), by_region = rule.regions && !mesh.regions.empty();
  std::vector<char> held(opposite.size(), 0);
  tbb::parallel_for(std::size_t{0}, held.size(), [&](std::size_t c) {
    if (opposite[c] == no_index) return;
    const std::size_t t = c / 3, u = opposite[c] / 3;
    held[c] = (by_angle && normals[t].dot(normals[u]) < least && list.face[t] != list.face[u]) ||
              (by_material && mesh.materials.of_face[list.face[t]] != mesh.materials.of_face[list.face[u]]) || (by_region && mesh.regions[list.face[t]] != mesh.regions[list.face[u]]);
  });
  return held;
}

}  // namespace anvil::recast
