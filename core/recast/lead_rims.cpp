// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/lead_rims.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <unordered_map>
#include <utility>

#include "core/mesh/bvh.h"
#include "core/mesh/edges.h"
#include "core/mesh/nearest.h"
#include "core/recast/move_vertices.h"
#include "core/recast/open_border.h"

namespace anvil::recast {
namespace {

/// Per vertex: is it between both kinds of faces?
std::vector<char> rims_of(const Recast& made) {
  enum : char { by_part = 1, by_span = 2 };
  const Mesh& mesh = made.result.mesh;
  std::vector<char> by(mesh.positions.size(), 0);
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) by[v] |= made.spanned[f] ? by_span : by_part;
  for (char& b : by) b = b == (by_part | by_span);
  return by;
}

/// Per vertex of a rim: triangles of the parts that its faces come from.
class Origins {
 public:
  Origins(const Recast& made, const Soup& soup) {
    const std::vector<char> on_rim = rims_of(made);
    std::unordered_map<std::uint64_t, Index> triangle;  // one of each face
    for (Index t = 0; t < soup.triangles.size(); ++t) triangle.emplace(key(soup.part[t], soup.face[t]), t);
    const FaceSources& sources = made.result.sources;
    for (Index f = 0; f < made.result.mesh.face_count(); ++f)
      if (!made.spanned[f])
        for (Index v : made.result.mesh.face(f))
          if (on_rim[v]) of_[v].push_back(triangle.at(key(sources.input[f], sources.face[f])));
  }
  std::span<const Index> operator[](Index v) const {
    const auto found = of_.find(v);
    return found == of_.end() ? std::span<const Index>() : found->second;
  }

 private:
  static std::uint64_t key(Index part, Index face) { return static_cast<std::uint64_t>(part) << 32 | face; }
  std::unordered_map<Index, std::vector<Index>> of_;
};

/// Triangles with two sides on a rim would have no area where it is straight: the third is turned over.
/// @param movable  per vertex; the others stay as they are, and so do triangles at them
void turn_ears(Recast& made, const std::vector<char>& movable) {
  Mesh& mesh = made.result.mesh;
  const EdgeTable edges = build_edges(mesh);
  const auto corner_of = [&](Index f, Index k) { return mesh.face_offsets[f] + k % 3; };
  const auto across = [&](Index corner) {
    const auto uses = edges.corners_of(edges.corner_edge[corner]);
    return uses.size() != 2 ? no_index : uses[0] == corner ? uses[1] : uses[0];
  };
  const auto normal = [&](Index a, Index b, Index c) { return Vec3((mesh.positions[b] - mesh.positions[a]).cross(mesh.positions[c] - mesh.positions[a])); };
  std::vector<char> changed(mesh.face_count(), 0);
  std::set<std::array<Index, 2>> new_edges;
  for (Index f = 0; f < mesh.face_count(); ++f) {
    const auto ears = mesh.face(f);
    if (changed[f] || ears.size() != 3 || !movable[ears[0]] || !movable[ears[1]] || !movable[ears[2]]) continue;
    Index inner = 0;  // the only side that is not on a rim
    int sides = 0;
    for (Index k = 0; k < 3; ++k)
      if (const Index o = across(corner_of(f, k)); o != no_index && made.spanned[edges.corner_face[o]] == made.spanned[f]) {
        inner = k;
        ++sides;
      }
    const Index other = across(corner_of(f, inner));
    if (sides != 1 || changed[edges.corner_face[other]] || mesh.face(edges.corner_face[other]).size() != 3) continue;
    const Index g = edges.corner_face[other], p = ears[inner], q = ears[(inner + 1) % 3], v = ears[(inner + 2) % 3], w = mesh.corners[corner_of(g, other - corner_of(g, 0) + 2)];
    const std::array<Index, 2> edge{std::min(v, w), std::max(v, w)};
    if (movable[w] || std::binary_search(edges.vertices.begin(), edges.vertices.end(), edge)) continue;
    // What spans is drawn taut afterwards; what lies on a part has to go on lying there.
    const double alike = made.spanned[f] ? 0.2 : 0.99;
    const Vec3 before[] = {normal(p, q, v).stableNormalized(), normal(q, p, w).stableNormalized()}, after[] = {normal(p, w, v), normal(w, q, v)};
    const bool goes_on = std::all_of(std::begin(after), std::end(after), [&](const Vec3& n) { return n.dot(before[0]) > alike * n.norm() && n.dot(before[1]) > alike * n.norm(); });
    if (!goes_on || !new_edges.insert(edge).second) continue;
    const Index one[] = {p, w, v}, two[] = {w, q, v};
    std::copy(one, one + 3, mesh.corners.begin() + corner_of(f, 0));
    std::copy(two, two + 3, mesh.corners.begin() + corner_of(g, 0));
    changed[f] = changed[g] = 1;
  }
}

/// Where vertices of rims go.
class Targets {
 public:
  Targets(const Recast& made, const Soup& soup, double detail) : soup_(soup), border_(open_border(soup.triangles)), segments_(segments_of(border_)), tree_(soup.positions, segments_), origins_(made, soup), detail_(detail) {}

  void find(const Recast& made) {
    wanted = made.result.mesh.positions;
    movable = rims_of(made);
    tbb::parallel_for(Index{0}, static_cast<Index>(wanted.size()), [&](Index v) {
      if (movable[v]) movable[v] = put_on_border(wanted[v], origins_[v]);
    });
    spread(made);
  }
  std::vector<Vec3> wanted;
  std::vector<char> movable;

 private:
  static std::vector<Triangle> segments_of(const std::vector<OpenEdge>& border) {
    std::vector<Triangle> segments;
    for (const OpenEdge& e : border) segments.push_back({e.from, e.to, e.to});
    return segments;
  }

  /// @param own  triangles that the faces about come from
  bool put_on_border(Vec3& p, std::span<const Index> own) const {
    constexpr double reach = 2;  // details
    const Index segment = segments_.empty() ? no_index : tree_.nearest(soup_.positions, segments_, p, reach * reach * detail_ * detail_).triangle;
    if (segment == no_index) return false;
    const auto& [from, to, triangle] = border_[segment];
    // Another surface may end near, which the faces here do not lie on.
    constexpr double alike = 0.8, beside = 0.25, on_it = 0.01;
    const Vec3& normal = soup_.normals[triangle];
    const bool faces_alike = std::any_of(own.begin(), own.end(), [&](Index t) { return std::abs(normal.dot(soup_.normals[t])) >= alike; });
    if (std::abs(normal.dot(p - soup_.positions[from])) > (faces_alike ? beside : on_it) * detail_) return false;
    p = nearest_on_segment(p, soup_.positions[from], soup_.positions[to]);
    return true;
  }

  /// Of neighbours that would come to stand in one place, such as a corner, the farther goes half way on to the one beyond.
  void spread(const Recast& made) {
    const Mesh& mesh = made.result.mesh;
    const EdgeTable edges = build_edges(mesh);
    std::vector<std::array<Index, 2>> along;  // rims
    std::unordered_map<Index, std::vector<Index>> beside;
    for (Index e = 0; e < edges.size(); ++e) {
      const auto uses = edges.corners_of(e);
      const auto [a, b] = edges.vertices[e];
      if (uses.size() != 2 || made.spanned[edges.corner_face[uses[0]]] == made.spanned[edges.corner_face[uses[1]]] || !movable[a] || !movable[b]) continue;
      along.push_back({a, b});
      beside[a].push_back(b);
      beside[b].push_back(a);
    }
    constexpr int rounds = 3;
    constexpr double much_nearer = 0.05;
    for (int round = 0; round < rounds; ++round)
      for (auto [a, b] : along) {
        if ((wanted[a] - wanted[b]).norm() > much_nearer * (mesh.positions[a] - mesh.positions[b]).norm()) continue;
        if ((wanted[a] - mesh.positions[a]).squaredNorm() > (wanted[b] - mesh.positions[b]).squaredNorm()) std::swap(a, b);
        const std::vector<Index>& around = beside[b];
        if (around.size() != 2) continue;
        Vec3 between = (wanted[b] + wanted[around[0] == a ? around[1] : around[0]]) / 2;
        if (put_on_border(between, origins_[b])) wanted[b] = between;
      }
  }

  const Soup& soup_;
  std::vector<OpenEdge> border_;
  std::vector<Triangle> segments_;
  Bvh tree_;
  Origins origins_;
  double detail_;
};

}  // namespace

std::vector<char> lead_rims(Recast& made, const Soup& soup, double detail, const Control& control) {
  Mesh& mesh = made.result.mesh;
  std::vector<char> led(mesh.positions.size(), 0);
  Targets targets(made, soup, detail);
  constexpr int rounds = 2;
  for (int round = 0; round < rounds; ++round) {
    targets.find(made);
    if (std::find(targets.movable.begin(), targets.movable.end(), 1) == targets.movable.end()) break;
    const std::vector<Index> before = mesh.corners;
    turn_ears(made, targets.movable);
    MovedVertices moved = move_vertices(mesh, targets.wanted, targets.movable, control);
    if (!moved.is_sound) {
      mesh.corners = before;
      break;
    }
    mesh.positions = std::move(moved.positions);
    for (std::size_t v = 0; v < led.size(); ++v) led[v] |= targets.movable[v];
    if (std::find(moved.held_back.begin(), moved.held_back.end(), 1) == moved.held_back.end()) break;
  }
  return led;
}

}  // namespace anvil::recast
