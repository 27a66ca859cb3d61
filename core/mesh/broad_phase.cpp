// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/broad_phase.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>

namespace anvil {
namespace {

constexpr Index empty_cell = no_index - 1, shared_cell = no_index;
constexpr std::size_t block_size = 8192;
constexpr std::size_t worth_it = 512;    // below this the hierarchy itself is as cheap
constexpr std::size_t large_span = 512;  // cells; larger triangles are compared by their boxes
constexpr std::size_t max_large = 64;

}  // namespace

std::vector<char> broad_phase(std::span<const Box3> boxes, std::span<const Index> groups, double margin) {
  const std::size_t count = groups.size();
  std::vector<char> all(count, 1);
  if (count < worth_it) return all;
  std::vector<Box3> of_block((count + block_size - 1) / block_size);
  tbb::parallel_for(std::size_t{0}, of_block.size(), [&](std::size_t b) {
    for (std::size_t i = b * block_size; i < std::min(count, (b + 1) * block_size); ++i) {
      of_block[b].add(boxes[i].lo);
      of_block[b].add(boxes[i].hi);
    }
  });
  Box3 bounds;
  for (const Box3& box : of_block) {
    bounds.add(box.lo);
    bounds.add(box.hi);
  }
  bounds.lo.array() -= margin;
  bounds.hi.array() += margin;
  // As many cells as triangles, as near to cubes as may be.
  const Vec3 size = bounds.size();
  const double smallest = std::max(size.maxCoeff() * 1e-3, 1e-300);
  const double volume = std::max(size.x(), smallest) * std::max(size.y(), smallest) * std::max(size.z(), smallest);
  const double side = std::cbrt(volume / static_cast<double>(count));
  std::array<Index, 3> n{};
  for (int k = 0; k < 3; ++k) n[static_cast<std::size_t>(k)] = static_cast<Index>(std::clamp(size[k] / side, 1.0, 1023.0));
  using Range = std::array<Index, 6>;
  const Vec3 per(n[0] / std::max(size[0], 1e-300), n[1] / std::max(size[1], 1e-300), n[2] / std::max(size[2], 1e-300));
  auto range_of = [&](const Box3& box) {
    Range r{};
    for (int k = 0; k < 3; ++k) {
      const auto u = static_cast<std::size_t>(k);
      const double last = n[u] - 1;
      // Not negative, so that cutting the fraction off is rounding down.
      auto cell = [&](double x) { return static_cast<Index>(std::clamp((x - bounds.lo[k]) * per[k], 0.0, last)); };
      r[u] = cell(box.lo[k] - margin);
      r[u + 3] = cell(box.hi[k] + margin);
    }
    return r;
  };
  auto cells_in = [](const Range& r) {
    return std::size_t{r[3] - r[0] + 1} * std::size_t{r[4] - r[1] + 1} * std::size_t{r[5] - r[2] + 1};
  };
  std::vector<Range> range(count);
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, count, block_size), [&](const auto& block) {
    for (std::size_t i = block.begin(); i < block.end(); ++i) range[i] = range_of(boxes[i]);
  });
  std::vector<std::size_t> large;
  std::vector<Index> owner(std::size_t{n[0]} * n[1] * n[2], empty_cell);
  auto for_cells = [&](const Range& r, auto&& visit) {
    for (Index x = r[0]; x <= r[3]; ++x)
      for (Index y = r[1]; y <= r[4]; ++y)
        for (Index z = r[2]; z <= r[5]; ++z)
          if (!visit(owner[(std::size_t{x} * n[1] + y) * n[2] + z])) return;
  };
  for (std::size_t i = 0; i < count; ++i) {
    if (cells_in(range[i]) <= large_span) continue;
    large.push_back(i);
    if (large.size() > max_large) return all;
  }
  // What a cell holds in the end does not depend on the order.
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, count, block_size), [&](const auto& block) {
    for (std::size_t i = block.begin(); i < block.end(); ++i) {
      if (cells_in(range[i]) > large_span) continue;
      for_cells(range[i], [&](Index& cell) {
        const std::atomic_ref content(cell);
        Index held = content.load(std::memory_order_relaxed);
        if (held == empty_cell && content.compare_exchange_strong(held, groups[i], std::memory_order_relaxed)) return true;
        if (held != groups[i]) content.store(shared_cell, std::memory_order_relaxed);
        return true;
      });
    }
  });
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, count, block_size), [&](const auto& block) {
    for (std::size_t i = block.begin(); i < block.end(); ++i) {
      if (groups[i] == no_index || cells_in(range[i]) > large_span) continue;
      bool near = false;
      for_cells(range[i], [&](Index& cell) { return !(near = cell != groups[i]); });
      for (std::size_t k = 0; k < large.size() && !near; ++k) {
        const Range &a = range[i], &b = range[large[k]];
        near = (groups[large[k]] != groups[i] || groups[i] == no_index) && a[0] <= b[3] && b[0] <= a[3] && a[1] <= b[4] &&
               b[1] <= a[4] && a[2] <= b[5] && b[2] <= a[5];
      }
      all[i] = near;
    }
  });
  return all;
}

}  // namespace anvil
