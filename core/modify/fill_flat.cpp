// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/exact/predicates.h"
#include "core/modify/fill_hole.h"
#include "core/mesh/triangulate.h"

namespace anvil {

std::optional<HoleFilling> fill_flat(const std::vector<Vec3>& positions, std::span<const Index> ring, bool triangles) {
  std::vector<Vec3> points;
  std::vector<Index> own;
  for (Index v : ring) own.push_back(static_cast<Index>(points.size())), points.push_back(positions[v]);
  Vec3 normal = Vec3::Zero();
  for (std::size_t k = 1; k + 1 < points.size(); ++k) normal += (points[k] - points[0]).cross(points[k + 1] - points[0]);
  const Projection plane = Projection::along(normal);
  HoleFilling filling;
  for (const Triangle& t : triangulate(points, own)) {
    // Ear clipping gives a triangle that turns the other way where the ring crosses itself.
    if (orient2d(plane(points[t[0]]), plane(points[t[1]]), plane(points[t[2]])) < 0) return std::nullopt;
    filling.faces.push_back({t.begin(), t.end()});
  }
  if (!triangles) filling.faces = {own};
  return filling;
}

}  // namespace anvil
