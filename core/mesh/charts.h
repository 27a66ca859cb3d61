// SPDX-License-Identifier: GPL-3.0-or-later
// Stretches of a surface that cannot cross themselves, so that a search for crossings need not look inside them.
#pragma once

#include <functional>
#include <stop_token>

#include "core/exact/predicates.h"
#include "core/mesh/triangulate.h"

namespace anvil {

struct Charts {
  std::vector<Index> chart;             ///< of each triangle, a number of the lists below, or no_index
  std::vector<std::vector<Index>> triangles;  ///< of each chart
  std::vector<Box3> boxes;              ///< of each chart
  std::vector<Projection> seen;         ///< of each chart, in which its triangles turn left and cover nothing twice
};
/// Finds charts: triangles connected over edges of which it is proven that no two meet anywhere but at common corners and
/// edges. May miss some, never claims too much.
///
/// Seen along one axis, all triangles of a chart turn the same way, those around each of its vertices cover no direction
/// twice, and its rim does not meet itself; then the projection is one to one (docs/decisions/charts.md has the proof).
/// The criterion is that of Volino and Magnenat-Thalmann, "Efficient self-collision detection on smoothly discretized
/// surface animations using geometrical shape regularity", Computer Graphics Forum 13(3), 1994; coordinates are only
/// dropped, never computed, and all tests are exact.
/// @param triangles  vertices at one position are one vertex, where that is not so less is found; degenerate ones are in
///                   no chart
/// @param opposite   of find_opposites (core/mesh/edges.h)
/// @param order      all triangles, near ones near each other; stretches of it are looked at one by one
/// Which charts there are does not depend on the number of threads, their numbers do. Throws Stopped.
Charts find_charts(std::span<const Vec3> positions, std::span<const Triangle> triangles,
                   std::span<const Index> opposite, std::span<const Index> order, const std::stop_token& stop);

/// Calls visit(i, j) once (where very many triangles meet in a vertex, more than once for some) for every pair i ≠ j of triangles that may meet anywhere but at common corners and edges: those
/// whose boxes overlap, but for pairs within one chart and pairs of a flat chart and what touches it in corners and edges only. Parameters as above. Calls come from several threads at once and in no particular
/// order. Throws Stopped.
void for_each_possible_crossing(std::span<const Vec3> positions, std::span<const Triangle> triangles,
                                std::span<const Index> opposite, const std::function<void(Index, Index)>& visit,
                                const std::stop_token& stop);

}  // namespace anvil
