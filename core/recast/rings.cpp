// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/rings.h"

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <utility>

namespace anvil::recast {

Rings::Rings(const Mesh& mesh) : first_(mesh.positions.size() + 1, 0), next_(std::make_unique_for_overwrite<Index[]>(mesh.corners.size())), corners_(std::make_unique_for_overwrite<Corner[]>(mesh.corners.size())) {
  // Each share of the faces counts its corners at each vertex, and so knows where to put them.
  const std::size_t vertices = mesh.positions.size(), shares = static_cast<std::size_t>(std::clamp(tbb::this_task_arena::max_concurrency(), 1, 16));
  std::vector<std::vector<Index>> places(shares);
  const auto for_each_share = [&](const auto& visit) {
    tbb::parallel_for(std::size_t{0}, shares, [&](std::size_t share) {
      const std::size_t faces = mesh.face_count(), begin = faces * share / shares, end = faces * (share + 1) / shares;
      visit(places[share], static_cast<Index>(begin), static_cast<Index>(end));
    });
  };
  for_each_share([&](std::vector<Index>& place, Index begin, Index end) {
    place.assign(vertices, 0);
    for (Index f = begin; f < end; ++f)
      for (Index v : mesh.face(f)) ++place[v];
  });
  for (std::size_t v = 0; v < vertices; ++v) {
    first_[v + 1] = first_[v];
    for (std::vector<Index>& place : places) first_[v + 1] += std::exchange(place[v], first_[v + 1]);
  }
  for_each_share([&](std::vector<Index>& place, Index begin, Index end) {
    for (Index f = begin; f < end; ++f) {
      const auto ring = mesh.face(f);
      for (std::size_t k = 0; k < ring.size(); ++k) {
        const Index at = place[ring[k]]++;
        next_[at] = ring[k + 1 < ring.size() ? k + 1 : 0];
        corners_[at] = {ring[k > 0 ? k - 1 : ring.size() - 1], f};
      }
    }
  });
}

}  // namespace anvil::recast
