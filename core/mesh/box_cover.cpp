// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/box_cover.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace anvil {

BoxCover::BoxCover(std::vector<Box3> boxes) {
  constexpr std::size_t few = 8;
  constexpr double most_cells = 64;  // along an axis
  std::erase_if(boxes, [](const Box3& box) { return box.empty(); });
  Vec3 mean = Vec3::Zero();
  for (const Box3& box : boxes) {
    all_.add(box);
    mean += box.size() / static_cast<double>(boxes.size());
  }
  if (boxes.size() <= few) {
    few_ = std::move(boxes);
    return;
  }
  // Cells about as large as the boxes.
  const Vec3 size = all_.size();
  for (int k = 0; k < 3; ++k) {
    count_[static_cast<std::size_t>(k)] = static_cast<Index>(std::clamp(std::ceil(size[k] / std::max(mean[k], 1e-300)), 1.0, most_cells));
    per_length_[k] = count_[static_cast<std::size_t>(k)] / std::max(size[k], 1e-300);
  }
  marked_.assign(std::size_t{count_[0]} * count_[1] * count_[2], 0);
  for (const Box3& box : boxes) {
    const auto [x0, y0, z0, x1, y1, z1] = cells_of(box);
    for (Index x = x0; x <= x1; ++x)
      for (Index y = y0; y <= y1; ++y) {
        const std::size_t row = (std::size_t{x} * count_[1] + y) * count_[2];
        std::fill(marked_.begin() + static_cast<std::ptrdiff_t>(row + z0), marked_.begin() + static_cast<std::ptrdiff_t>(row + z1 + 1), 1);
      }
  }
}

std::array<Index, 6> BoxCover::cells_of(const Box3& box) const {
  std::array<Index, 6> cells;
  for (int k = 0; k < 3; ++k) {
    const auto u = static_cast<std::size_t>(k);
    // Not negative, so that cutting the fraction off is rounding down.
    const auto cell = [&](double x) { return static_cast<Index>(std::clamp((x - all_.lo[k]) * per_length_[k], 0.0, count_[u] - 1.0)); };
    cells[u] = cell(box.lo[k]);
    cells[u + 3] = cell(box.hi[k]);
  }
  return cells;
}

bool BoxCover::may_overlap(const Box3& box) const {
  if (!overlap(all_, box)) return false;
  if (marked_.empty()) return std::any_of(few_.begin(), few_.end(), [&](const Box3& one) { return overlap(one, box); });
  const auto [x0, y0, z0, x1, y1, z1] = cells_of(box);
  for (Index x = x0; x <= x1; ++x)
    for (Index y = y0; y <= y1; ++y) {
      const std::size_t row = (std::size_t{x} * count_[1] + y) * count_[2];
      for (Index z = z0; z <= z1; ++z)
        if (marked_[row + z]) return true;
    }
  return false;
}

std::vector<std::vector<Box3>> common_boxes(std::span<const Box3> boxes, double margin) {
  std::vector<std::vector<Box3>> common(boxes.size());
  tbb::parallel_for(std::size_t{0}, boxes.size(), [&](std::size_t k) {
    for (std::size_t j = 0; j < boxes.size(); ++j) {
      if (j == k) continue;
      const Box3 both{boxes[k].lo.cwiseMax(boxes[j].lo).array() - margin, boxes[k].hi.cwiseMin(boxes[j].hi).array() + margin};
      if (!both.empty() && (both.lo.array() <= both.hi.array()).all()) common[k].push_back(both);
    }
  });
  return common;
}

}  // namespace anvil
