// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/open_border.h"

#include <tbb/parallel_sort.h>

#include <algorithm>
#include <tuple>

namespace anvil::recast {

std::vector<OpenEdge> open_border(std::span<const Triangle> triangles) {
  struct Side {
    Index low, high;
    int way;
    Index triangle;
    auto key() const { return std::tie(low, high, triangle); }
  };
  std::vector<Side> sides;
  for (Index t = 0; t < triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const Index a = triangles[t][k], b = triangles[t][(k + 1) % 3];
      sides.push_back({std::min(a, b), std::max(a, b), a < b ? 1 : -1, t});
    }
  tbb::parallel_sort(sides.begin(), sides.end(), [](const Side& a, const Side& b) { return a.key() < b.key(); });
  std::vector<OpenEdge> border;
  for (std::size_t i = 0, j = 0; i < sides.size(); i = j) {
    int net = 0;
    for (j = i; j < sides.size() && sides[j].low == sides[i].low && sides[j].high == sides[i].high; ++j) net += sides[j].way;
    for (std::size_t k = i; net != 0; ++k) {
      const Side& side = sides[k];
      if (side.way * net < 0) continue;
      border.push_back(net > 0 ? OpenEdge{side.high, side.low, side.triangle} : OpenEdge{side.low, side.high, side.triangle});
      net -= side.way;
    }
  }
  return border;
}

}  // namespace anvil::recast
