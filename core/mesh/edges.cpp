// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/edges.h"

#include <tbb/parallel_for.h>

#include <algorithm>

namespace anvil {
namespace {

struct Use {
  Index high, corner;
};

constexpr std::size_t block = 16384;

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

  // Bucket the directed edges by their smaller vertex, in corner order.
  std::vector<Index> start(vertex_count + 2, 0);
  auto for_each_edge = [&](auto&& visit) {
    for (Index f = 0; f < mesh.face_count(); ++f) {
      const Index begin = mesh.face_offsets[f], end = mesh.face_offsets[f + 1];
      if (begin == end) continue;
      Index a = id(begin);
      const Index first = a;
      for (Index c = begin; c < end; ++c) {
        const Index b = c + 1 < end ? id(c + 1) : first;
        visit(f, c, a, b);
        a = b;
      }
    }
  };
  for_each_edge([&](Index f, Index c, Index a, Index b) {
    table.corner_face[c] = f;
    if (a != b) ++start[std::min(a, b) + 2];
  });
  for (std::size_t v = 2; v < start.size(); ++v) start[v] += start[v - 1];
  std::vector<Use> bucketed(start.back());
  for_each_edge([&](Index, Index c, Index a, Index b) {
    if (a != b) bucketed[start[std::min(a, b) + 1]++] = {std::max(a, b), c};
  });
  // start[v] now begins v's bucket and start[v + 1] ends it.

  const std::size_t blocks = (vertex_count + block - 1) / block;
  std::vector<Index> edges_in_block(blocks + 1, 0);
  tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t k) {
    Index edges = 0;
    for (std::size_t v = k * block; v < std::min(vertex_count, (k + 1) * block); ++v) {
      const auto begin = bucketed.begin() + start[v], end = bucketed.begin() + start[v + 1];
      std::sort(begin, end, [](const Use& a, const Use& b) {
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

}  // namespace anvil
