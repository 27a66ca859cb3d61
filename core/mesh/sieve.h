// SPDX-License-Identifier: GPL-3.0-or-later
// A coarse sieve before a hierarchy is built: most triangles of large parts are far from every other part.
#pragma once

#include "core/mesh/triangulate.h"

namespace anvil {

/// Tells which triangles may come within `margin` of one of another group; may say yes too often, never no.
/// Every triangle marks the cells of a uniform grid that its box touches, and stays when it shares a cell.
/// @param chosen  triangles in question, indices into `triangles`
/// @param groups  one for each of `chosen`; those of group no_index always stay, and meet all others
/// @return 1 or 0 for each of `chosen`
std::vector<char> near_other_group(std::span<const Vec3> positions, std::span<const Triangle> triangles,
                                   std::span<const Index> chosen, std::span<const Index> groups, double margin);

}  // namespace anvil
