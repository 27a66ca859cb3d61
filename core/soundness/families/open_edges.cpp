// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// Chains the edges that have one face. A chain that closes is a hole; one that ends at vertices where the
/// surface goes on over a non-manifold edge (the rim of a fin) stays an open chain.
std::vector<Defect> find_open_edges(const Analysis& a) {
  std::vector<Defect> defects;
  if (a.open_edge_count == 0) return defects;

  std::vector<Index> open;
  for (Index e = 0; e < a.edges.size(); ++e)
    if (a.edges.corners_of(e).size() == 1) open.push_back(e);
  std::vector<std::pair<Index, Index>> ends;  // vertex, place in `open`
  for (Index k = 0; k < open.size(); ++k)
    for (Index v : a.edges.vertices[open[k]]) ends.emplace_back(v, k);
  std::sort(ends.begin(), ends.end());
  auto edges_at = [&](Index v) {
    const auto begin = std::lower_bound(ends.begin(), ends.end(), std::pair<Index, Index>{v, 0});
    auto end = begin;
    while (end != ends.end() && end->first == v) ++end;
    return std::span(begin, end);
  };

  std::vector<char> taken(open.size(), 0);
  auto walk = [&](Index first, Index from) {
    std::vector<Index> chain{first};
    taken[first] = 1;
    const auto& vertices = a.edges.vertices[open[first]];
    Index at = vertices[0] == from ? vertices[1] : vertices[0];
    while (at != from) {
      const auto next = edges_at(at);
      const auto it =
          std::find_if(next.begin(), next.end(), [&](const auto& end) { return !taken[end.second]; });
      if (it == next.end()) break;
      taken[it->second] = 1;
      chain.push_back(it->second);
      const auto& pair = a.edges.vertices[open[it->second]];
      at = pair[0] == at ? pair[1] : pair[0];
    }
    const bool closed = at == from && chain.size() > 2;
    double length = 0;
    std::vector<Vec3> points;
    for (Index k : chain) {
      const auto [v, w] = a.edges.vertices[open[k]];
      points.insert(points.end(), {a.mesh.positions[v], a.mesh.positions[w]});
      length += (points.back() - points[points.size() - 2]).norm();
    }
    Defect defect = defect_around(
        families::open_edges, points,
        fmt::format("{}, {} edges, {:.4g} mm", closed ? "hole" : "open rim", chain.size(), length));
    defect.kind = closed ? "hole" : "open_rim";
    defect.count = chain.size();
    for (Index k : chain) {
      defect.edges.push_back(a.edges.vertices[open[k]]);
      defect.faces.push_back(a.edges.corner_face[a.edges.corners_of(open[k])[0]]);
    }
    defects.push_back(std::move(defect));
  };
  // Open chains first, from their ends (vertices with an odd number of open edges), then the loops.
  for (std::size_t k = 0; k < ends.size();) {
    const auto here = edges_at(ends[k].first);
    if (here.size() % 2 == 1)
      for (const auto& [v, edge] : here)
        if (!taken[edge]) {
          walk(edge, v);
          break;
        }
    k += here.size();
  }
  for (Index k = 0; k < open.size(); ++k)
    if (!taken[k]) walk(k, a.edges.vertices[open[k]][0]);
  return defects;
}

}  // namespace

/// Edges with one face, by holes and open rims.
const Family families::open_edges = {"open_edges", "Open edges and holes", "open edge", "open edges",
                                     Marker::ring, FamilyRole::defect,     0,           find_open_edges};

}  // namespace anvil
