// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/near_marked.h"

#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/mesh/broad_phase.h"

namespace anvil {

NearMarked::NearMarked(std::span<const Vec3> points, std::span<const Triangle> all, std::span<const char> marked) {
  Box3 around;
  for (std::size_t i = 0; i < all.size(); ++i)
    if (marked[i])
      for (Index v : all[i]) around.add(points[v]);
  constexpr std::size_t block = 16384;
  struct Part {
    std::vector<Index> chosen;
    std::vector<Box3> boxes;
  };
  std::vector<Part> parts((all.size() + block - 1) / block);
  tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t n) {
    for (std::size_t i = n * block; i < std::min(all.size(), (n + 1) * block); ++i) {
      const Box3 box = box_of(points, all[i]);
      if (!overlap(box, around)) continue;
      parts[n].chosen.push_back(static_cast<Index>(i));
      parts[n].boxes.push_back(box);
    }
  });
  std::vector<Box3> boxes;
  for (const Part& part : parts) {
    chosen.insert(chosen.end(), part.chosen.begin(), part.chosen.end());
    boxes.insert(boxes.end(), part.boxes.begin(), part.boxes.end());
  }
  for (Index i : chosen) groups.push_back(marked[i] ? no_index : 0);
  const std::vector<char> close = broad_phase(boxes, groups, 0);
  std::size_t kept = 0;
  for (std::size_t k = 0; k < chosen.size(); ++k) {
    if (!close[k]) continue;
    triangles.push_back(all[chosen[k]]);
    groups[kept] = groups[k];
    chosen[kept++] = chosen[k];
  }
  chosen.resize(kept);
  groups.resize(kept);
}

}  // namespace anvil
