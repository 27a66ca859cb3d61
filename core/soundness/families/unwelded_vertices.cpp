// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices at one place are a seam left open when they lie on open edges.
#include <fmt/format.h>

#include <tbb/parallel_for.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <unordered_map>
#include <unordered_set>

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

/// Cells of space around some points: tells of most other points at once that none of these is near.
class Neighbourhood {
 public:
  Neighbourhood(std::span<const Vec3> points, double distance) : distance_(distance) {
    for (const Vec3& p : points)
      for (int dx = -1; dx <= 1; ++dx)
        for (int dy = -1; dy <= 1; ++dy)
          for (int dz = -1; dz <= 1; ++dz) cells_.insert(key(p + distance * Vec3(dx, dy, dz)));
  }
  /// False: no point is near. True: one may be.
  bool may_hold(const Vec3& p) const { return cells_.contains(key(p)); }

 private:
  std::uint64_t key(const Vec3& p) const {
    std::uint64_t h = 0;
    for (double c : p) h = (h ^ std::bit_cast<std::uint64_t>(std::floor(c / distance_) + 0.0)) * 0x9E3779B97F4A7C15u, h ^= h >> 31;
    return h;
  }
  double distance_;
  std::unordered_set<std::uint64_t> cells_;
};

/// Edges with two faces that lie within the tolerance along an open one: the other side of the seam, which something else closes,
/// as a wall does that was left in one half of a mirrored part.
void add_closed_beyond(const Analysis& a, const std::vector<std::uint64_t>& joined, std::vector<Open>& open) {
  std::vector<Index> places;  // of open edges, by vertex
  for (const Open& end : open) places.push_back(end.vertex);
  std::sort(places.begin(), places.end());
  places.erase(std::unique(places.begin(), places.end()), places.end());
  std::vector<Vec3> points;
  for (Index v : places) points.push_back(a.mesh.positions[v]);
  const std::size_t open_places = places.size();
  const Neighbourhood around(points, a.tolerance);
  std::vector<char> asked(a.mesh.positions.size(), 0);
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(asked.size()), 8192), [&](const auto& range) {
    for (Index v = range.begin(); v < range.end(); ++v) asked[v] = a.used[v] && around.may_hold(a.mesh.positions[v]);
  });
  for (Index v : places) asked[v] = 2;
  for (Index v = 0; v < asked.size(); ++v)
    if (asked[v] == 1) places.push_back(v), points.push_back(a.mesh.positions[v]);
  if (places.size() == open_places) return;
  std::unordered_map<Index, std::vector<Index>> near;  // of each vertex that is asked about, those of open edges
  for (std::size_t k = 0; k < open_places; ++k) near[places[k]].push_back(places[k]);
  for_each_near_pair(points, a.tolerance, [&](Index i, Index j) {
    if (i < open_places) near[places[j]].push_back(places[i]);
    if (j < open_places) near[places[i]].push_back(places[j]);
  });
  std::vector<Index> closed;  // edges between two of them
  std::vector<std::uint64_t> tied;
  for (Index e = 0; e < a.edges.size(); ++e) {
    const auto [v, w] = a.edges.vertices[e];
    if (!asked[v] || !asked[w]) continue;
    tied.push_back(pair_key(std::min(v, w), std::max(v, w)));
    if (a.edges.corners_of(e).size() == 2 && (asked[v] == 1 || asked[w] == 1)) closed.push_back(e);
  }
  std::sort(tied.begin(), tied.end());
  const auto is_tied = [&](Index v, Index w) { return v != w && std::binary_search(tied.begin(), tied.end(), pair_key(std::min(v, w), std::max(v, w))); };
  // A face that lies on another one within the tolerance is no seam.
  const auto lie_on_each_other = [&](Index f, Index g) {
    const auto p = a.mesh.face(f), q = a.mesh.face(g);
    return p.size() == q.size() && std::all_of(p.begin(), p.end(), [&](Index v) {
      return std::any_of(q.begin(), q.end(), [&](Index w) { return (a.mesh.positions[v] - a.mesh.positions[w]).norm() <= a.tolerance; });
    });
  };
  for (Index e : closed) {
    const auto [v, w] = a.edges.vertices[e];
    const auto uses = a.edges.corners_of(e);
    bool beyond = false;
    for (Index p : near[v])
      for (Index q : near[w]) {
        if (p == q || is_tied(p, v) || is_tied(q, w)) continue;
        const auto [from, to] = std::minmax(a.positions.id[p], a.positions.id[q]);
        if (!std::binary_search(joined.begin(), joined.end(), pair_key(from, to))) continue;
        const auto at = std::lower_bound(a.edges.vertices.begin(), a.edges.vertices.end(), std::array{std::min(p, q), std::max(p, q)});
        if (at == a.edges.vertices.end() || *at != std::array{std::min(p, q), std::max(p, q)}) continue;
        const auto one_sided = a.edges.corners_of(static_cast<Index>(at - a.edges.vertices.begin()));
        if (one_sided.size() != 1) continue;
        const Index g = a.edges.corner_face[one_sided[0]];
        beyond = beyond || std::none_of(uses.begin(), uses.end(), [&](Index c) { return lie_on_each_other(a.edges.corner_face[c], g); });
      }
    if (!beyond) continue;
    for (Index c : uses) {
      const Index f = a.edges.corner_face[c];
      for (Index corner : {c, next_corner(a.mesh, f, c)}) open.push_back({a.positions.id[a.mesh.corners[corner]], a.mesh.corners[corner], f});
    }
  }
}

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
  if (a.tolerance > 0) {
    std::sort(joined.begin(), joined.end());
    add_closed_beyond(a, joined, open);
  }
  std::sort(open.begin(), open.end());
  if (a.tolerance > 0) {
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

/// Vertices on open edges at the place of another such vertex, or nearer to it than the tolerance, or as near to that of an edge
/// which something else closes; kinds "equal" and "near".
const Family families::unwelded_vertices = {"unwelded_vertices",
                                            "Unwelded vertices",
                                            "unwelded vertex",
                                            "unwelded vertices",
                                            Marker::dot,
                                            FamilyRole::remark,
                                            90,
                                            find_unwelded};

}  // namespace anvil
