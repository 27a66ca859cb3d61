// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices at one place are a seam left open when they lie on open edges.
#include <fmt/format.h>

#include <algorithm>

#include "core/mesh/near_points.h"
#include "core/mesh/union_find.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// A vertex of an open edge, with one of its faces.
struct Open {
  Index group, vertex, face;
  auto operator<=>(const Open&) const = default;
};

std::vector<Defect> find_unwelded(const Analysis& a) {
  std::vector<Defect> defects;
  if (a.open_edge_count == 0 || (a.all_welded() && a.tolerance == 0)) return defects;
  std::vector<Open> open;
  std::vector<std::uint64_t> joined;  // by an open edge: near each other without being one place
  for (Index e = 0; e < a.edges.size(); ++e) {
    const auto uses = a.edges.corners_of(e);
    if (uses.size() != 1) continue;
    const auto [v, w] = a.edges.vertices[e];
    const auto [p, q] = std::minmax(a.positions.id[v], a.positions.id[w]);
    joined.push_back(pair_key(p, q));
    for (Index end : {v, w}) open.push_back({a.positions.id[end], end, a.edges.corner_face[uses[0]]});
    // An edge at the same place that is closed by something else, as by a fin, is the other side of the seam all the same.
    std::vector<Index> beyond;
    if (const Index joined_edge = a.position_edges().corner_edge[uses[0]]; joined_edge != no_index)
      for (Index c : a.position_edges().corners_of(joined_edge)) {
        const Index f = a.edges.corner_face[c];
        if (a.edges.corner_edge[c] == no_index || a.edges.corners_of(a.edges.corner_edge[c]).size() == 1) continue;
        if (same_ring(a, f, a.edges.corner_face[uses[0]])) {  // a doubled face is no seam
          beyond.clear();
          break;
        }
        beyond.push_back(c);
      }
    for (Index c : beyond)
      for (const Index f = a.edges.corner_face[c]; Index corner : {c, next_corner(a.mesh, f, c)})
        open.push_back({a.positions.id[a.mesh.corners[corner]], a.mesh.corners[corner], f});
  }
  std::sort(open.begin(), open.end());
  if (a.tolerance > 0) {
    std::sort(joined.begin(), joined.end());
    std::vector<Index> places;
    std::vector<Vec3> points;
    for (const Open& end : open)
      if (places.empty() || places.back() != end.group) places.push_back(end.group), points.push_back(a.mesh.positions[end.vertex]);
    UnionFind groups(places.size());
    for_each_near_pair(points, a.tolerance, [&](Index i, Index j) {
      if (!std::binary_search(joined.begin(), joined.end(), pair_key(places[i], places[j]))) groups.unite(i, j);
    });
    for (Open& end : open)
      end.group = places[groups.find(static_cast<Index>(std::lower_bound(places.begin(), places.end(), end.group) - places.begin()))];
    std::sort(open.begin(), open.end());
  }
  for (std::size_t k = 0; k < open.size();) {
    std::vector<Index> vertices, faces;
    bool equal = true;
    for (const Index group = open[k].group; k < open.size() && open[k].group == group; ++k) {
      if (vertices.empty() || vertices.back() != open[k].vertex) vertices.push_back(open[k].vertex);
      equal = equal && a.positions.id[open[k].vertex] == a.positions.id[vertices[0]];
      faces.push_back(open[k].face);
    }
    if (vertices.size() < 2) continue;
    Defect defect = defect_around(families::unwelded_vertices, {a.mesh.positions[vertices[0]]},
                                  fmt::format("{} vertices {}", vertices.size(), equal ? "at one point" : "within the tolerance"));
    defect.kind = equal ? "equal" : "near";
    defect.count = vertices.size() - 1;
    defect.vertices = std::move(vertices);
    defect.faces = std::move(faces);
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Vertices on open edges at the place of another such vertex, or nearer to it than the tolerance, or at that of an edge which
/// something else closes; kinds "equal" and "near".
const Family families::unwelded_vertices = {"unwelded_vertices",
                                            "Unwelded vertices",
                                            "unwelded vertex",
                                            "unwelded vertices",
                                            Marker::dot,
                                            FamilyRole::remark,
                                            90,
                                            find_unwelded};

}  // namespace anvil
