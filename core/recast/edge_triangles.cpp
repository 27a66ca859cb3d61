// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/edge_triangles.h"

#include <tbb/parallel_sort.h>

#include <Eigen/LU>
#include <algorithm>
#include <unordered_set>

#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"

namespace anvil::recast {

namespace {

std::uint64_t edge_key(Index v, Index w) { return pair_key(std::min(v, w), std::max(v, w)); }

}  // namespace

bool PlacedVertices::is_edge(Index v, Index w) const {
  if (sides[v].empty() || sides[w].empty()) return false;
  constexpr double alike = 0.9, along = 0.3;
  const Vec3 way = (to[w] - to[v]).stableNormalized();
  int common = 0;
  for (const Vec3& n : sides[v]) common += std::abs(n.dot(way)) < along && std::any_of(sides[w].begin(), sides[w].end(), [&](const Vec3& m) { return n.dot(m) > alike; });
  return common >= 2;
}

EdgeTriangles::EdgeTriangles(const Mesh& mesh, PlacedVertices& moved, double usual, const Control& control) : mesh_(mesh), moved_(moved), usual_(usual), control_(control), cut_(mesh.face_count(), 0) {
  const TriangleList list = triangulate(mesh_);
  for (Index f = 0; f < mesh_.face_count(); ++f)
    for (Index v : mesh_.face(f)) cut_[f] = cut_[f] || !moved_.sides[v].empty();
  for (Index f = 0; f < mesh_.face_count(); ++f) {
    const auto face = mesh_.face(f);
    for (std::size_t k = 0; k < face.size() && !cut_[f]; ++k)
      edges_of_others_.push_back(edge_key(face[k], face[(k + 1) % face.size()]));
  }
  for (Index f = 0; f < mesh_.face_count(); ++f) {
    const auto face = mesh_.face(f);
    if (!cut_[f] || face.size() != 4) continue;
    const std::array<std::array<Triangle, 2>, 2> ways{{{Triangle{face[0], face[1], face[2]}, Triangle{face[0], face[2], face[3]}}, {Triangle{face[1], face[2], face[3]}, Triangle{face[1], face[3], face[0]}}}};
    const std::size_t way = score(ways[1][0], ways[1][1]) > score(ways[0][0], ways[0][1]) ? 1 : 0;
    for (const Triangle& t : ways[way]) triangles_.push_back(t), triangle_face_.push_back(f);
  }
  for (std::size_t t = 0; t < list.triangles.size(); ++t)
    if (cut_[list.face[t]] && mesh_.face(list.face[t]).size() != 4) triangles_.push_back(list.triangles[t]), triangle_face_.push_back(list.face[t]);
}

void EdgeTriangles::settle() {
  turn();
  constexpr int rounds = 4;
  for (int round = 0; round < rounds; ++round) {
    const bool any = fill_corners();
    if (!join_vertices() && !any) break;
    turn();
  }
}

/// How well a triangle lies in one of the sides that its moved vertices have: the cosine to the nearest; of one without area -1.
double EdgeTriangles::fit(const Triangle& t) const {
  const Vec3 normal = (moved_.to[t[1]] - moved_.to[t[0]]).cross(moved_.to[t[2]] - moved_.to[t[0]]);
  if (!(normal.norm() > 1e-6 * usual_ * usual_)) return -1;
  const Vec3 unit = normal.normalized();
  double best = -2;
  // All moved vertices must be able to lie on that side.
  for (std::size_t k = 0; k < 3; ++k)
    for (const Vec3& n : moved_.sides[t[k]]) {
      bool shared = true;
      for (std::size_t j = 0; j < 3 && shared; ++j)
        shared = moved_.sides[t[j]].empty() || std::any_of(moved_.sides[t[j]].begin(), moved_.sides[t[j]].end(), [&](const Vec3& m) { return n.dot(m) > 0.9; });
      best = std::max(best, shared ? unit.dot(n) : unit.dot(n) - 1);
    }
  constexpr double turned_over = -3;  // worse than any two that reach over an edge
  return best < -0.9 ? turned_over : best;
}

/// Triangles that cut off a corner, with a vertex on each of its three edges: the one that is nearest goes into the corner. @return whether there were any
bool EdgeTriangles::fill_corners() {
  bool any = false;
  for (const Triangle& t : triangles_) {
    if (moved_.sides[t[0]].size() != 2 || moved_.sides[t[1]].size() != 2 || moved_.sides[t[2]].size() != 2 || fit(t) > 0.3) continue;
    std::vector<std::pair<Vec3, Vec3>> planes;  // a point, and the normal
    for (Index v : t)
      for (const Vec3& n : moved_.sides[v])
        if (std::none_of(planes.begin(), planes.end(), [&](const auto& p) { return p.second.dot(n) > 0.8; })) planes.emplace_back(moved_.to[v], n);
    if (planes.size() != 3) continue;
    Eigen::Matrix3d rows;
    Vec3 values;
    for (Eigen::Index k = 0; k < 3; ++k) {
      const auto& [point, normal] = planes[static_cast<std::size_t>(k)];
      rows.row(k) = normal;
      values[k] = normal.dot(point);
    }
    if (std::abs(rows.determinant()) < 0.05) continue;
    const Vec3 corner = rows.inverse() * values;
    const Index nearest = *std::min_element(t.begin(), t.end(), [&](Index v, Index w) { return (moved_.to[v] - corner).norm() < (moved_.to[w] - corner).norm(); });
    if ((moved_.to[nearest] - corner).norm() > 2 * usual_) continue;
    moved_.stand(nearest, corner, {planes[0].second, planes[1].second, planes[2].second});
    any = true;
  }
  return any;
}

/// Of two vertices that came to stand close together on one edge, or in one corner, one goes. @return whether any did
bool EdgeTriangles::join_vertices() {
  constexpr double close = 0.6;  // usual edges
  std::vector<std::vector<Index>> at(mesh_.positions.size());  // triangles
  for (Index t = 0; t < triangles_.size(); ++t)
    for (Index v : triangles_[t]) at[v].push_back(t);
  const auto ring_of = [&](Index v) {
    std::vector<Index> ring;
    for (Index t : at[v])
      for (Index w : triangles_[t])
        if (w != v) ring.push_back(w);
    std::sort(ring.begin(), ring.end());
    ring.erase(std::unique(ring.begin(), ring.end()), ring.end());
    return ring;
  };
  std::vector<char> touched(mesh_.positions.size(), 0), gone(triangles_.size(), 0);
  bool any = false;
  for (Index v = 0; v < moved_.sides.size(); ++v) {
    if (moved_.sides[v].size() < 2 || touched[v] || at[v].empty()) continue;
    const std::vector<Index> ring = ring_of(v);
    if (std::any_of(ring.begin(), ring.end(), [&](Index w) { return touched[w] != 0; })) continue;
    for (Index w : ring) {
      // To one that has at least its sides.
      if (moved_.sides[w].size() < moved_.sides[v].size() || (moved_.sides[w].size() == moved_.sides[v].size() && w > v) || (moved_.to[v] - moved_.to[w]).norm() > close * usual_) continue;
      if (!std::all_of(moved_.sides[v].begin(), moved_.sides[v].end(), [&](const Vec3& n) { return std::any_of(moved_.sides[w].begin(), moved_.sides[w].end(), [&](const Vec3& m) { return n.dot(m) > 0.9; }); })) continue;
      const std::vector<Index> other = ring_of(w);
      std::vector<Index> common;
      std::set_intersection(ring.begin(), ring.end(), other.begin(), other.end(), std::back_inserter(common));
      if (common.size() != 2) continue;
      bool fits = true;
      for (Index t : at[v]) {
        if (std::find(triangles_[t].begin(), triangles_[t].end(), w) != triangles_[t].end()) continue;
        Triangle moved = triangles_[t];
        std::replace(moved.begin(), moved.end(), v, w);
        fits = fits && fit(moved) > std::min(fit(triangles_[t]), 0.7) - 0.05;
      }
      if (!fits) continue;
      for (Index t : at[v]) {
        if (std::find(triangles_[t].begin(), triangles_[t].end(), w) != triangles_[t].end())
          gone[t] = 1;
        else
          std::replace(triangles_[t].begin(), triangles_[t].end(), v, w);
      }
      for (Index u : ring) touched[u] = 1;
      for (Index u : other) touched[u] = 1;
      touched[v] = touched[w] = 1;
      any = true;
      break;
    }
  }
  std::size_t kept = 0;
  for (std::size_t t = 0; t < triangles_.size(); ++t)
    if (!gone[t]) triangles_[kept] = triangles_[t], triangle_face_[kept++] = triangle_face_[t];
  triangles_.resize(kept);
  triangle_face_.resize(kept);
  return any;
}

/// Turns edges between the triangles while the two lie better in the sides afterwards, together.
void EdgeTriangles::turn() {
  constexpr int rounds = 20;
  // Only what has changed, or was in the way of another, is looked at again.
  std::vector<char> look(triangles_.size(), 1);
  for (int round = 0; round < rounds; ++round) {
    check_stop(control_);
    const std::vector<Index> opposite = find_opposites(triangles_, {}, mesh_.positions.size());
    // Edges that there are, so that none is made twice.
    std::vector<std::uint64_t> known = edges_of_others_;
    for (const Triangle& t : triangles_)
      for (std::size_t k = 0; k < 3; ++k) known.push_back(edge_key(t[k], t[(k + 1) % 3]));
    tbb::parallel_sort(known.begin(), known.end());
    std::unordered_set<std::uint64_t> made;
    std::vector<char> touched(triangles_.size(), 0), look_again(triangles_.size(), 0);
    for (Index c = 0; c < opposite.size(); ++c) {
      const Index o = opposite[c];
      if (o == no_index || o < c || touched[c / 3] || touched[o / 3] || !(look[c / 3] || look[o / 3])) continue;
      Triangle &s = triangles_[c / 3], &t = triangles_[o / 3];
      const Index from = s[c % 3], to = s[(c % 3 + 1) % 3], left = s[(c % 3 + 2) % 3], right = t[(o % 3 + 2) % 3];
      const Triangle one{left, right, to}, other{right, left, from};
      if (score(one, other) <= score(s, t) + 1e-3) continue;
      look_again[c / 3] = look_again[o / 3] = 1;
      if (std::binary_search(known.begin(), known.end(), edge_key(left, right)) || made.contains(edge_key(left, right))) continue;
      s = one;
      t = other;
      touched[c / 3] = touched[o / 3] = 1;
      made.insert(edge_key(left, right));
    }
    if (made.empty()) return;
    look = std::move(look_again);
  }
}

}  // namespace anvil::recast
