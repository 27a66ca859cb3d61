// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <optional>

#include "core/mesh/bvh.h"
#include "core/mesh/charts.h"
#include "core/mesh/near_marked.h"
#include "core/mesh/shared_diagonals.h"
#include "core/mesh/triangles_cross.h"
#include "core/mesh/union_find.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

struct Pair {
  Index a, b;
  bool operator<(const Pair& o) const { return a != o.a ? a < o.a : b < o.b; }
};

/// The triangles, corners at one position counted as one.
std::vector<Triangle> by_position(const Analysis& a) {
  std::vector<Triangle> triangles = a.triangles.triangles;
  if (!a.all_welded())
    for (Triangle& t : triangles)
      for (Index& v : t) v = a.positions.first[a.positions.id[v]];
  return triangles;
}

/// Of triangles by position; what the edges tell already is not found out again.
std::vector<Index> opposites(const Analysis& a, const std::vector<Triangle>& triangles) {
  if (!a.triangles_only) return find_opposites(triangles, {}, a.mesh.positions.size());
  const EdgeTable& edges = a.position_edges();
  std::vector<Index> opposite(3 * triangles.size(), no_index);
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, edges.size(), 16384), [&](const auto& range) {
    for (std::size_t e = range.begin(); e < range.end(); ++e) {
      const auto uses = edges.corners_of(e);
      if (uses.size() != 2 || triangles[uses[0] / 3][uses[0] % 3] == triangles[uses[1] / 3][uses[1] % 3]) continue;
      opposite[uses[0]] = uses[1];
      opposite[uses[1]] = uses[0];
    }
  });
  return opposite;
}

bool on_same_corners(Triangle s, Triangle t) {
  std::sort(s.begin(), s.end());
  std::sort(t.begin(), t.end());
  return s == t;
}

/// Pairs that follow each other along one line: a pair goes on over an edge of one of its faces to the face beyond, which
/// crosses the same other face.
/// @param pairs  sorted
/// @return places in `pairs`
std::vector<std::vector<Index>> crossing_lines(const Analysis& a, const std::vector<Pair>& pairs) {
  const EdgeTable& edges = a.position_edges();
  UnionFind sets(pairs.size());
  for (Index k = 0; k < pairs.size(); ++k)
    for (const auto& [f, other] : {std::pair(pairs[k].a, pairs[k].b), std::pair(pairs[k].b, pairs[k].a)})
      for (Index c = a.mesh.face_offsets[f]; c < a.mesh.face_offsets[f + 1]; ++c) {
        if (edges.corner_edge[c] == no_index) continue;
        for (Index use : edges.corners_of(edges.corner_edge[c])) {
          const Index beyond = edges.corner_face[use];
          if (beyond == f || beyond == other) continue;
          const Pair next{std::min(beyond, other), std::max(beyond, other)};
          const auto it = std::lower_bound(pairs.begin(), pairs.end(), next);
          if (it != pairs.end() && it->a == next.a && it->b == next.b) sets.unite(k, static_cast<Index>(it - pairs.begin()));
        }
      }
  std::vector<Index> set_of;
  std::vector<std::vector<Index>> lines(sets.number(set_of));
  for (Index k = 0; k < pairs.size(); ++k) lines[set_of[k]].push_back(k);
  return lines;
}

/// Where very many faces have one edge, as in a file that holds the same faces over and over: the triangles without those that have another
/// on their corners before them. Nothing where that is not so.
std::optional<std::vector<Index>> without_copies(const Analysis& a, const std::vector<Triangle>& triangles) {
  constexpr std::size_t many = 96;
  const EdgeTable& edges = a.position_edges();
  bool any = false;
  for (Index e = 0; e < edges.size() && !any; ++e) any = edges.corners_of(e).size() > many;
  if (!any) return std::nullopt;
  std::vector<std::pair<Triangle, Index>> sorted;  // corners in order of their numbers, triangle
  std::vector<Index> chosen;
  for (Index t = 0; t < triangles.size(); ++t) {
    if (a.mesh.face(a.triangles.face[t]).size() != 3) {  // on the same corners as one of another polygon: these cross
      chosen.push_back(t);
      continue;
    }
    sorted.emplace_back(triangles[t], t);
    std::sort(sorted.back().first.begin(), sorted.back().first.end());
  }
  std::sort(sorted.begin(), sorted.end());
  for (std::size_t k = 0; k < sorted.size(); ++k)
    if (k == 0 || sorted[k].first != sorted[k - 1].first) chosen.push_back(sorted[k].second);
  std::sort(chosen.begin(), chosen.end());
  return chosen;
}

std::vector<Defect> find_crossings(const Analysis& a) {
  const std::vector<Triangle> triangles = by_position(a);
  tbb::enumerable_thread_specific<std::vector<Pair>> parts;
  const auto look = [&](Index i, Index j) {
    if (a.degenerate[i] || a.degenerate[j]) return;  // reported as zero-area faces
    // Triangles on the same corners are doubled faces, where they are whole faces.
    if (!on_same_corners(triangles[i], triangles[j]) && !triangles_cross(a.mesh.positions, triangles[i], triangles[j])) return;
    const Index f = a.triangles.face[i], g = a.triangles.face[j];
    if (f != g && same_ring(a, f, g)) return;
    parts.local().push_back({std::min(f, g), std::max(f, g)});
  };
  const auto chosen = a.crossings_of.empty() ? without_copies(a, triangles) : std::nullopt;
  if (chosen) {
    const std::vector<Index> opposite = opposites(a, triangles);
    std::vector<Triangle> some;
    std::vector<Index> place(triangles.size(), no_index), opposite_of_some;
    for (Index k = 0; k < chosen->size(); ++k) place[(*chosen)[k]] = k;
    for (Index t : *chosen) {
      some.push_back(triangles[t]);
      for (Index c = 3 * t; c < 3 * t + 3; ++c) {
        const Index other = opposite[c] == no_index ? no_index : place[opposite[c] / 3];
        opposite_of_some.push_back(other == no_index ? no_index : 3 * other + opposite[c] % 3);
      }
    }
    for_each_possible_crossing(
        a.mesh.positions, some, opposite_of_some, [&](Index i, Index j) { look((*chosen)[i], (*chosen)[j]); }, a.stop);
  } else if (a.crossings_of.empty()) {
    for_each_possible_crossing(a.mesh.positions, triangles, opposites(a, triangles), look, a.stop);
  } else {
    std::vector<char> marked;
    for (Index f : a.triangles.face) marked.push_back(a.crossings_of[f]);
    const NearMarked about(a.mesh.positions, triangles, marked);
    if (!about.triangles.empty())
      Bvh(a.mesh.positions, about.triangles, 0, about.groups).for_each_pair([&](Index i, Index j) { look(about.chosen[i], about.chosen[j]); }, a.stop);
  }
  std::vector<Pair> pairs;
  for (const auto& part : parts) pairs.insert(pairs.end(), part.begin(), part.end());
  for (const auto& [f, g] : shared_diagonals(a.mesh, a.triangles, a.all_welded() ? std::span<const Index>() : a.positions.id, a.crossings_of))
    if (!same_ring(a, f, g)) pairs.push_back({f, g});
  if (pairs.empty()) return {};
  // Of two faces of many triangles many pairs may cross.
  std::sort(pairs.begin(), pairs.end());
  pairs.erase(std::unique(pairs.begin(), pairs.end(), [](const Pair& p, const Pair& q) { return p.a == q.a && p.b == q.b; }), pairs.end());

  std::vector<Defect> defects;
  std::vector<char> told(a.mesh.face_count(), 0);
  for (const auto& line : crossing_lines(a, pairs)) {
    std::vector<Index> faces;
    for (Index k : line) faces.insert(faces.end(), {pairs[k].a, pairs[k].b});
    std::sort(faces.begin(), faces.end());
    faces.erase(std::unique(faces.begin(), faces.end()), faces.end());
    Defect defect = defect_of_faces(a, families::crossing_faces, faces, fmt::format("{} faces cross", faces.size()));
    // A face on several lines is counted once.
    defect.count = 0;
    for (Index f : faces) defect.count += told[f] == 0, told[f] = 1;
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Faces that meet another face anywhere but at shared edges and vertices; a line that one is only cut along into triangles is no edge.
const Family families::crossing_faces = {"crossing_faces",
                                         "Crossing faces",
                                         "crossing face",
                                         "crossing faces",
                                         Marker::bow_tie,
                                         FamilyRole::defect,
                                         40,
                                         find_crossings};

}  // namespace anvil
