// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

std::vector<Defect> find_short_edges(const Analysis& a) {
  std::vector<Defect> defects;
  if (a.tolerance == 0) return defects;
  tbb::enumerable_thread_specific<std::vector<Index>> parts;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, a.edges.size(), 8192), [&](const auto& range) {
    for (std::size_t e = range.begin(); e < range.end(); ++e) {
      const auto [v, w] = a.edges.vertices[e];
      const double square = (a.mesh.positions[v] - a.mesh.positions[w]).squaredNorm();
      if (square <= a.tolerance * a.tolerance && square > 0) parts.local().push_back(static_cast<Index>(e));
    }
  });
  std::vector<Index> found;
  for (const auto& part : parts) found.insert(found.end(), part.begin(), part.end());
  std::sort(found.begin(), found.end());
  for (Index e : found) {
    const auto [v, w] = a.edges.vertices[e];
    const Vec3 &p = a.mesh.positions[v], &q = a.mesh.positions[w];
    defects.push_back(defect_around(families::short_edges, {p, q}, fmt::format("edge of {:.3g} mm", (p - q).norm())));
    defects.back().edges.push_back({v, w});
    for (Index c : a.edges.corners_of(e)) defects.back().faces.push_back(a.edges.corner_face[c]);
  }
  return defects;
}

}  // namespace

/// Edges no longer than the tolerance, but for those of no length.
const Family families::short_edges = {"short_edges", "Short edges", "short edge", "short edges", Marker::dot,
                                FamilyRole::note, 130, find_short_edges};

}  // namespace anvil
