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

std::vector<Index> find_mates(std::span<const Triangle> triangles, std::span<const Index> part, std::size_t points) {
  struct Use {
    Index high, corner;
  };
  std::vector<Index> mate(3 * triangles.size(), no_index);
  // Buckets by the smaller vertex.
  std::vector<Index> start(points + 2, 0);
  auto ends = [&](Index corner) {
    const Triangle& t = triangles[corner / 3];
    return std::minmax(t[corner % 3], t[next(corner) % 3]);
  };
  auto part_of = [&](Index corner) { return part.empty() ? 0 : part[corner / 3]; };
  const auto corners = static_cast<Index>(3 * triangles.size());
  for (Index c = 0; c < corners; ++c) ++start[ends(c).first + 2];
  for (std::size_t v = 2; v < start.size(); ++v) start[v] += start[v - 1];
  std::vector<Use> uses(corners);
  for (Index c = 0; c < corners; ++c) {
    const auto [low, high] = ends(c);
    uses[start[low + 1]++] = {high, c};
  }
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, points, block), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v) {
      const auto begin = uses.begin() + start[v], end = uses.begin() + start[v + 1];
      // A handful each: comparing all is quicker than sorting.
      for (auto it = begin; it != end; ++it) {
        const Index p = part_of(it->corner);
        auto twin = end;
        int others = 0;
        for (auto other = begin; other != end; ++other)
          if (other != it && other->high == it->high && part_of(other->corner) == p) twin = other, ++others;
        if (others != 1) continue;
        const Index a = it->corner, b = twin->corner;
        if (triangles[a / 3][a % 3] != triangles[b / 3][b % 3]) mate[a] = b;
      }
    }
  });
  return mate;
}

void mark_crowded(std::span<const Triangle> triangles, std::span<const Index> mate, std::vector<char>& special) {
  const auto corners = static_cast<Index>(3 * triangles.size());
  std::vector<Index> first(special.size(), no_index), degree(special.size(), 0);
  for (Index c = corners; c-- > 0;) {
    const Index v = triangles[c / 3][c % 3];
    first[v] = c;
    ++degree[v];
    if (mate[c] == no_index) special[v] = special[triangles[c / 3][next(c) % 3]] = 1;
  }
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, special.size(), block), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v) {
      if (special[v] || first[v] == no_index) continue;
      Index fan = 0, c = first[v];
      do {
        c = next(mate[c]);
        ++fan;
      } while (c != first[v]);
      if (fan != degree[v]) special[v] = 1;
    }
  });
}

}  // namespace anvil::boolean
