// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/mesh/union_find.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

Index previous_corner(const Mesh& mesh, Index face, Index corner) {
  return corner == mesh.face_offsets[face] ? mesh.face_offsets[face + 1] - 1 : corner - 1;
}

/// Walks the faces around the vertex of `start` over edges with two consistently oriented faces.
/// Returns how many corners it passed, or 0 when the walk met anything but a closed manifold fan.
Index closed_fan_size(const Analysis& a, Index start) {
  Index corner = start, passed = 0;
  do {
    const Index edge = a.edges.corner_edge[corner];
    if (edge == no_index) return 0;
    const auto uses = a.edges.corners_of(edge);
    if (uses.size() != 2) return 0;
    const Index other = uses[0] == corner ? uses[1] : uses[0];
    if (a.mesh.corners[other] == a.mesh.corners[corner]) return 0;
    corner = next_corner(a.mesh, a.edges.corner_face[other], other);
    if (++passed > 1'000'000) return 0;
  } while (corner != start);
  return passed;
}

/// Number of groups into which shared edges tie the corners at one vertex.
std::size_t fans(const Analysis& a, const std::vector<Index>& corners) {
  UnionFind sets(corners.size());
  std::vector<std::pair<Index, Index>> edges;  // edge at the vertex, place in `corners`
  for (Index i = 0; i < corners.size(); ++i) {
    const Index f = a.edges.corner_face[corners[i]];
    for (Index c : {corners[i], previous_corner(a.mesh, f, corners[i])})
      if (a.edges.corner_edge[c] != no_index) edges.emplace_back(a.edges.corner_edge[c], i);
  }
  std::sort(edges.begin(), edges.end());
  for (std::size_t k = 1; k < edges.size(); ++k)
    if (edges[k].first == edges[k - 1].first) sets.unite(edges[k].second, edges[k - 1].second);
  std::vector<Index> set_of;
  return sets.number(set_of);
}

std::vector<Defect> find_vertices(const Analysis& a) {
  const std::size_t vertices = a.mesh.positions.size();
  std::vector<Index> valence(vertices, 0), start(vertices, no_index);
  for (Index c = 0; c < a.mesh.corners.size(); ++c) {
    ++valence[a.mesh.corners[c]];
    start[a.mesh.corners[c]] = c;
  }
  // Nearly every vertex of a good mesh is one closed fan; only the others are looked at closely.
  tbb::enumerable_thread_specific<std::vector<Index>> doubtful_parts;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, vertices, 8192), [&](const auto& range) {
    auto& mine = doubtful_parts.local();
    for (std::size_t v = range.begin(); v < range.end(); ++v)
      if (valence[v] > 0 && closed_fan_size(a, start[v]) != valence[v]) mine.push_back(static_cast<Index>(v));
  });
  std::vector<char> doubtful(vertices, 0);
  bool any = false;
  for (const auto& part : doubtful_parts)
    for (Index v : part) {
      doubtful[v] = 1;
      any = true;
    }
  if (!any) return {};
  std::vector<std::pair<Index, Index>> corners;  // vertex, corner
  for (Index c = 0; c < a.mesh.corners.size(); ++c)
    if (doubtful[a.mesh.corners[c]]) corners.emplace_back(a.mesh.corners[c], c);
  std::sort(corners.begin(), corners.end());
  std::vector<Defect> defects;
  for (std::size_t k = 0; k < corners.size();) {
    const Index v = corners[k].first;
    std::vector<Index> here;
    for (; k < corners.size() && corners[k].first == v; ++k) here.push_back(corners[k].second);
    const std::size_t n = fans(a, here);
    if (n < 2) continue;
    Defect defect = defect_around(families::non_manifold_vertices, {a.mesh.positions[v]},
                                  fmt::format("vertex shared by {} separate fans", n));
    defect.vertices.push_back(v);
    for (Index c : here) defect.faces.push_back(a.edges.corner_face[c]);
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Vertices where separate fans of faces meet.
const Family families::non_manifold_vertices = {"non_manifold_vertices",
                                                "Non-manifold vertices",
                                                "non-manifold vertex",
                                                "non-manifold vertices",
                                                Marker::diamond,
                                                FamilyRole::defect,
                                                20,
                                                find_vertices};

}  // namespace anvil
