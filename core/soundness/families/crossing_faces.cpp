// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/mesh/charts.h"
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
  const auto& offsets = a.mesh.face_offsets;
  const bool triangles_only = std::adjacent_find(offsets.begin(), offsets.end(), [](Index from, Index to) { return to - from != 3; }) == offsets.end();
  if (!triangles_only) return find_opposites(triangles, {}, a.mesh.positions.size());
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

std::vector<Defect> find_crossings(const Analysis& a) {
  const std::vector<Triangle> triangles = by_position(a);
  tbb::enumerable_thread_specific<std::vector<Pair>> parts;
  for_each_possible_crossing(
      a.mesh.positions, triangles, opposites(a, triangles),
      [&](Index i, Index j) {
        if (a.degenerate[i] || a.degenerate[j]) return;  // reported as zero-area faces
        if (!triangles_cross(a.mesh.positions, triangles[i], triangles[j])) return;
        const Index f = a.triangles.face[i], g = a.triangles.face[j];
        if (f != g && same_ring(a, f, g)) return;
        parts.local().push_back({std::min(f, g), std::max(f, g)});
      },
      a.stop);
  std::vector<Pair> pairs;
  for (const auto& part : parts) pairs.insert(pairs.end(), part.begin(), part.end());
  if (pairs.empty()) return {};
  std::sort(pairs.begin(), pairs.end());

  std::vector<Index> faces;
  for (const Pair& pair : pairs) faces.insert(faces.end(), {pair.a, pair.b});
  std::sort(faces.begin(), faces.end());
  faces.erase(std::unique(faces.begin(), faces.end()), faces.end());

  // One place for each connected stretch of crossing: faces tied by crossing each other or by a vertex.
  auto slot = [&](Index f) {
    return static_cast<Index>(std::lower_bound(faces.begin(), faces.end(), f) - faces.begin());
  };
  UnionFind sets(faces.size());
  for (const Pair& pair : pairs) sets.unite(slot(pair.a), slot(pair.b));
  for (const auto& group : connected_groups(a, faces))
    for (Index f : group) sets.unite(slot(group[0]), slot(f));
  std::vector<Index> set_of;
  std::vector<std::vector<Index>> groups(sets.number(set_of));
  for (Index i = 0; i < faces.size(); ++i) groups[set_of[i]].push_back(faces[i]);
  std::vector<Defect> defects;
  for (const auto& group : groups)
    defects.push_back(
        defect_of_faces(a, families::crossing_faces, group, fmt::format("{} faces cross", group.size())));
  return defects;
}

}  // namespace

/// Faces that meet another face anywhere but at shared edges and vertices.
const Family families::crossing_faces = {"crossing_faces",
                                         "Crossing faces",
                                         "crossing face",
                                         "crossing faces",
                                         Marker::bow_tie,
                                         FamilyRole::defect,
                                         40,
                                         find_crossings};

}  // namespace anvil
