// SPDX-License-Identifier: GPL-3.0-or-later
// Points that lie near each other, found by sorting them into cells.
#pragma once

#include <algorithm>
#include <cmath>
#include <span>
#include <vector>

#include "core/types.h"

namespace anvil {

/// Calls visit(i, j), i < j, once for every two points that lie no farther than `distance` from each other.
/// O(n log n) and the number of points in neighbouring cells. Points are finite, `distance` is positive.
template <class Visit>
void for_each_near_pair(std::span<const Vec3> points, double distance, Visit&& visit) {
  struct Item {
    std::array<double, 3> cell;
    Index point;
    bool operator<(const Item& other) const { return cell != other.cell ? cell < other.cell : point < other.point; }
  };
  std::vector<Item> items(points.size());
  for (Index i = 0; i < items.size(); ++i) {
    const Vec3 cell = (points[i] / distance).array().floor();
    items[i] = {{cell.x() + 0.0, cell.y() + 0.0, cell.z() + 0.0}, i};
  }
  std::sort(items.begin(), items.end());
  const auto try_pair = [&](Index i, Index j) {
    if ((points[i] - points[j]).norm() <= distance) visit(std::min(i, j), std::max(i, j));
  };
  for (std::size_t begin = 0, end = 0; begin < items.size(); begin = end) {
    const auto& cell = items[begin].cell;
    while (end < items.size() && items[end].cell == cell) ++end;
    for (std::size_t k = begin; k < end; ++k)
      for (std::size_t l = k + 1; l < end; ++l) try_pair(items[k].point, items[l].point);
    // Each neighbouring cell is met from the smaller one of the two.
    for (int dx = 0; dx <= 1; ++dx)
      for (int dy = dx == 0 ? 0 : -1; dy <= 1; ++dy) {
        // A column of up to three cells follows itself in the order.
        const double z = dx == 0 && dy == 0 ? cell[2] + 1 : cell[2] - 1;
        auto it = std::lower_bound(items.begin() + static_cast<std::ptrdiff_t>(end), items.end(), Item{{cell[0] + dx, cell[1] + dy, z}, 0});
        for (; it != items.end() && it->cell[0] == cell[0] + dx && it->cell[1] == cell[1] + dy && it->cell[2] <= cell[2] + 1; ++it)
          for (std::size_t k = begin; k < end; ++k) try_pair(items[k].point, it->point);
      }
  }
}

}  // namespace anvil
