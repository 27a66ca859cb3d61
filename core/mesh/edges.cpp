// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/edges.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>

namespace anvil {
namespace {

constexpr std::size_t block = 16384, small_block = 4096;

/// Directed edges by their smaller vertex.
struct EdgeBuckets {
  struct Use {
    Index high, corner;
  };
  std::vector<Index> start;  ///< bucket v is [start[v], start[v + 1])
  std::vector<Use> uses;

  auto begin(std::size_t v) { return uses.begin() + start[v]; }
  auto end(std::size_t v) { return uses.begin() + start[v + 1]; }
};

/// Edges from a vertex to itself are left out. The order within a bucket is that of the threads.
/// @param for_each_edge  for_each_edge(begin, end, visit) calls visit(corner, from, to) for the edges of faces [begin, end)
template <class ForEachEdge>
EdgeBuckets bucket_edges(std::size_t vertices, std::size_t faces, ForEachEdge&& for_each_edge) {
  EdgeBuckets buckets;
  std::vector<Index>& start = buckets.start;
  start.assign(vertices + 2, 0);
  // Faces that come one after the other mostly have vertices of their own, so that threads seldom wait for each other.
  const auto for_all = [&](auto&& visit) {
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, faces, block),
                      [&](const auto& range) { for_each_edge(static_cast<Index>(range.begin()), static_cast<Index>(range.end()), visit); });
  };
  for_all([&](Index, Index a, Index b) {
    if (a != b) std::atomic_ref(start[std::min(a, b) + 2]).fetch_add(1, std::memory_order_relaxed);
  });
  for (std::size_t v = 2; v < start.size(); ++v) start[v] += start[v - 1];
  buckets.uses.resize(start.back());
  // Filling a bucket moves start[v + 1] from its begin to its end, which is where the next one begins.
  for_all([&](Index c, Index a, Index b) {
    if (a != b) buckets.uses[std::atomic_ref(start[std::min(a, b) + 1]).fetch_add(1, std::memory_order_relaxed)] = {std::max(a, b), c};
  });
  return buckets;
}

}  // namespace

EdgeTable build_edges(const Mesh& mesh, std::span<const Index> vertex_id) {
  EdgeTable table;
  const std::size_t corner_count = mesh.corners.size();
  const std::size_t vertex_count = mesh.positions.size();
  table.corner_face.resize(corner_count);
  table.corner_edge.assign(corner_count, no_index);
  auto id = [&](Index corner) {
    const Index v = mesh.corners[corner];
    return vertex_id.empty() ? v : vertex_id[v];
  };

  EdgeBuckets buckets = bucket_edges(vertex_count, mesh.face_count(), [&](Index first_face, Index last_face, auto&& visit) {
    for (Index f = first_face; f < last_face; ++f) {
      const Index begin = mesh.face_offsets[f], end = mesh.face_offsets[f + 1];
      if (begin == end) continue;
      Index from = id(begin);
      const Index first = from;
      for (Index c = begin; c < end; ++c) {
        const Index to = c + 1 < end ? id(c + 1) : first;
        visit(c, from, to);
        from = to;
      }
    }
  });
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, mesh.face_count(), block), [&](const auto& range) {
    for (std::size_t f = range.begin(); f < range.end(); ++f)
      std::fill(table.corner_face.begin() + mesh.face_offsets[f], table.corner_face.begin() + mesh.face_offsets[f + 1], static_cast<Index>(f));
  });
  const std::vector<Index>& start = buckets.start;
  const std::vector<EdgeBuckets::Use>& bucketed = buckets.uses;

  const std::size_t blocks = (vertex_count + block - 1) / block;
  std::vector<Index> edges_in_block(blocks + 1, 0);
  tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t k) {
    Index edges = 0;
    for (std::size_t v = k * block; v < std::min(vertex_count, (k + 1) * block); ++v) {
      const auto begin = buckets.begin(v), end = buckets.end(v);
      std::sort(begin, end, [](const EdgeBuckets::Use& a, const EdgeBuckets::Use& b) {
        return a.high != b.high ? a.high < b.high : a.corner < b.corner;
      });
      for (auto it = begin; it != end; ++it)
        if (it == begin || it->high != (it - 1)->high) ++edges;
    }
    edges_in_block[k + 1] = edges;
  });
  for (std::size_t k = 1; k <= blocks; ++k) edges_in_block[k] += edges_in_block[k - 1];
  const std::size_t edge_count = edges_in_block[blocks];
  table.vertices.resize(edge_count);
  table.first_use.assign(edge_count + 1, 0);
  table.uses.resize(bucketed.size());
  tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t k) {
    Index e = edges_in_block[k];
    for (std::size_t v = k * block; v < std::min(vertex_count, (k + 1) * block); ++v) {
      for (Index u = start[v]; u < start[v + 1]; ++u) {
        const bool opens = u == start[v] || bucketed[u].high != bucketed[u - 1].high;
        if (opens) {
          table.vertices[e] = {static_cast<Index>(v), bucketed[u].high};
          table.first_use[e++] = u;
        }
        table.uses[u] = bucketed[u].corner;
        table.corner_edge[bucketed[u].corner] = e - 1;
      }
    }
  });
  table.first_use[edge_count] = static_cast<Index>(bucketed.size());
  return table;
}

std::vector<Index> find_opposites(std::span<const Triangle> triangles, std::span<const Index> part, std::size_t vertices) {
  std::vector<Index> opposite(3 * triangles.size(), no_index);
  auto part_of = [&](Index corner) { return part.empty() ? 0 : part[corner / 3]; };
  EdgeBuckets buckets = bucket_edges(vertices, triangles.size(), [&](Index first, Index last, auto&& visit) {
    for (Index t = first; t < last; ++t) {
      const auto& [a, b, c] = triangles[t];
      visit(3 * t, a, b);
      visit(3 * t + 1, b, c);
      visit(3 * t + 2, c, a);
    }
  });
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, vertices, small_block), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v) {
      const auto begin = buckets.begin(v), end = buckets.end(v);
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
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, maybe_non_manifold.size(), small_block), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v) {
      if (maybe_non_manifold[v] || first[v] == no_index) continue;
      Index fan = 0, c = first[v];
      do {
        c = next_in_triangle(opposite[c]);
        ++fan;
      } while (c != first[v]);
      if (fan != degree[v]) maybe_non_manifold[v] = 1;
    }
  });
}

}  // namespace anvil
