// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/held_edges.h"

#include <tbb/parallel_for.h>

#include <cmath>
#include <numbers>

namespace anvil::recast {

namespace {

/// Normals are rounded: edges that turn by the angle itself are not held, all around alike.
constexpr double well_beyond = 1e-5;  // radians

}  // namespace

EdgeHolder::EdgeHolder(const Mesh& mesh, const HeldEdges& rule)
    : mesh_(mesh),
      least_(std::cos(rule.sharper_than * std::numbers::pi / 180 + well_beyond)),
      by_angle_(rule.sharper_than < 180),
      by_material_(rule.materials && !mesh.materials.of_face.empty()),
      by_region_(rule.regions && !mesh.regions.empty()) {}

std::vector<char> held_edges(const Mesh& mesh, const TriangleList& list, std::span<const Index> opposite, const HeldEdges& rule) {
  std::vector<Vec3> normals(list.triangles.size());
  tbb::parallel_for(std::size_t{0}, normals.size(), [&](std::size_t t) {
    const auto& [a, b, c] = list.triangles[t];
    normals[t] = (mesh.positions[b] - mesh.positions[a]).cross(mesh.positions[c] - mesh.positions[a]).stableNormalized();
  });
  const EdgeHolder holds(mesh, rule);
  std::vector<char> held(opposite.size(), 0);
  tbb::parallel_for(std::size_t{0}, held.size(), [&](std::size_t c) {
    if (opposite[c] == no_index) return;
    const std::size_t t = c / 3, u = opposite[c] / 3;
    held[c] = holds(list.face[t], normals[t], list.face[u], normals[u]);
  });
  return held;
}

}  // namespace anvil::recast
