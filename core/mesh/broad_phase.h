// SPDX-License-Identifier: GPL-3.0-or-later
// A coarse broad phase before a hierarchy is built: most triangles of large parts are far from every other part.
#pragma once

#include "core/mesh/triangulate.h"

namespace anvil {

/// Tells which triangles may come within `margin` of one of another group; may say yes too often, never no.
/// Every triangle marks the cells of a uniform grid that its box touches, and stays when it shares a cell.
/// @param boxes   of the triangles
/// @param groups  one for each of them; those of group no_index always stay, and meet all others
/// @return 1 or 0 for each triangle
std::vector<char> broad_phase(std::span<const Box3> boxes, std::span<const Index> groups, double margin);

inline bool overlap(const Box3& a, const Box3& b) {
  return (a.lo.array() <= b.hi.array()).all() && (a.hi.array() >= b.lo.array()).all();
}
inline Box3 box_of(std::span<const Vec3> positions, const Triangle& t) {
  Box3 box;
  for (Index v : t) box.add(positions[v]);
  return box;
}

}  // namespace anvil
