// SPDX-License-Identifier: GPL-3.0-or-later
// Which triangle lies beyond each edge, and where the surface of a part is not one simple fan around a vertex.
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/boolean/stages.h"

namespace anvil::boolean {
namespace {

constexpr std::size_t block = 4096;

Index next(Index corner) { return corner % 3 == 2 ? corner - 2 : corner + 1; }

}  // namespace

std::vector<Index> find_opposites(std::span<const Triangle> triangles, std::span<const Index> part, std::size_t points) {
  struct Use {
    Index high, corner;
  };
  std::vector<Index> opposite(3 * triangles.size(), no_index);
  // Buckets by the smaller vertex.
  std::vector<Index> start(points + 2, 0);
  auto part_of = [&](Index corner) { return part.empty() ? 0 : part[corner / 3]; };
  for (const auto& [a, b, c] : triangles) {
    ++start[std::min(a, b) + 2];
    ++start[std::min(b, c) + 2];
    ++start[std::min(c, a) + 2];
  }
  for (std::size_t v = 2; v < start.size(); ++v) start[v] += start[v - 1];
  std::vector<Use> uses(opposite.size());
  Index corner = 0;
  auto add = [&](Index a, Index b) { uses[start[std::min(a, b) + 1]++] = {std::max(a, b), corner++}; };
  for (const auto& [a, b, c] : triangles) add(a, b), add(b, c), add(c, a);
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, points, block), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v) {
      const auto begin = uses.begin() + start[v], end = uses.begin() + start[v + 1];
      // A handful each: comparing all is quicker than sorting.
      for (auto it = begin; it != end; ++it) {
        if (opposite[it->corner] != no_index) continue;  // told by its twin
        const Index p = part_of(it->corner);
        auto twin = end;
        int others = 0;
        for (auto other = begin; other != end; ++other)
          if (other != it && other->high == it->high && part_of(other->corner) == p) twin = other, ++others;
        if (others != 1) continue;
        const Index a = it->corner, b = twin->corner;
        if (triangles[a / 3][a % 3] != triangles[b / 3][b % 3]) opposite[a] = b, opposite[b] = a;
      }
    }
  });
  return opposite;
}

void mark_maybe_non_manifold(std::span<const Triangle> triangles, std::span<const Index> opposite, std::vector<char>& maybe_non_manifold) {
  std::vector<Index> first(maybe_non_manifold.size(), no_index), degree(maybe_non_manifold.size(), 0);
  for (std::size_t t = 0; t < triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const Index v = triangles[t][k];
      first[v] = static_cast<Index>(3 * t + k);
      ++degree[v];
      if (opposite[3 * t + k] == no_index) maybe_non_manifold[v] = maybe_non_manifold[triangles[t][(k + 1) % 3]] = 1;
    }
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, maybe_non_manifold.size(), block), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v) {
      if (maybe_non_manifold[v] || first[v] == no_index) continue;
      Index fan = 0, c = first[v];
      do {
        c = next(opposite[c]);
        ++fan;
      } while (c != first[v]);
      if (fan != degree[v]) maybe_non_manifold[v] = 1;
    }
  });
}

}  // namespace anvil::boolean
