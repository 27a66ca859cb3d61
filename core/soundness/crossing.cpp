// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <tbb/enumerable_thread_specific.h>

#include <algorithm>

#include "core/exact/predicates.h"
#include "core/mesh/bvh.h"
#include "core/mesh/union_find.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

struct Pair {
  Index a, b;
  bool operator<(const Pair& o) const { return a != o.a ? a < o.a : b < o.b; }
};

/// True when two triangles meet anywhere but at the corners they share by position.
class CrossingTest {
 public:
  explicit CrossingTest(const Analysis& a) : a_(a) {}

  bool operator()(Index i, Index j) const {
    if (a_.degenerate[i] || a_.degenerate[j]) return false;  // reported as zero-area faces
    Triangle s = a_.triangles.triangles[i], t = a_.triangles.triangles[j];
    // Rotate shared corners to the front of both; `shared` counts them.
    int shared = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      std::size_t l = static_cast<std::size_t>(shared);
      while (l < 3 && id(t[l]) != id(s[k])) ++l;
      if (l == 3) continue;
      std::swap(s[static_cast<std::size_t>(shared)], s[k]);
      std::swap(t[static_cast<std::size_t>(shared)], t[l]);
      ++shared;
    }
    switch (shared) {
      case 0:
        return apart(s, t);
      case 1:
        return at_corner(s, t);
      case 2:
        return at_edge(s, t);
      default:
        return false;  // the same triangle twice: reported as doubled faces
    }
  }

 private:
  Index id(Index vertex) const { return a_.positions.id[vertex]; }
  const Vec3& at(Index vertex) const { return a_.mesh.positions[vertex]; }

  bool apart(const Triangle& s, const Triangle& t) const {
    const Vec3 &a = at(s[0]), &b = at(s[1]), &c = at(s[2]), &p = at(t[0]), &q = at(t[1]), &r = at(t[2]);
    const int sp = orient3d(a, b, c, p), sq = orient3d(a, b, c, q), sr = orient3d(a, b, c, r);
    if ((sp > 0 && sq > 0 && sr > 0) || (sp < 0 && sq < 0 && sr < 0)) return false;
    const int sa = orient3d(p, q, r, a), sb = orient3d(p, q, r, b), sc = orient3d(p, q, r, c);
    if ((sa > 0 && sb > 0 && sc > 0) || (sa < 0 && sb < 0 && sc < 0)) return false;
    return (sp * sq <= 0 && segment_meets_triangle(p, q, a, b, c)) ||
           (sq * sr <= 0 && segment_meets_triangle(q, r, a, b, c)) ||
           (sr * sp <= 0 && segment_meets_triangle(r, p, a, b, c)) ||
           (sa * sb <= 0 && segment_meets_triangle(a, b, p, q, r)) ||
           (sb * sc <= 0 && segment_meets_triangle(b, c, p, q, r)) ||
           (sc * sa <= 0 && segment_meets_triangle(c, a, p, q, r));
  }

  /// One shared corner, first in both: they cross when the far edge of one meets the other.
  bool at_corner(const Triangle& s, const Triangle& t) const {
    const Vec3 &v = at(s[0]), &a = at(s[1]), &b = at(s[2]), &c = at(t[1]), &d = at(t[2]);
    const int sa = orient3d(v, c, d, a), sb = orient3d(v, c, d, b);
    if (sa * sb > 0) return false;
    const int sc = orient3d(v, a, b, c), sd = orient3d(v, a, b, d);
    if (sc * sd > 0) return false;
    return segment_meets_triangle(a, b, v, c, d) || segment_meets_triangle(c, d, v, a, b);
  }

  /// A shared edge, first in both: they cross only when folded flat onto each other.
  bool at_edge(const Triangle& s, const Triangle& t) const {
    const Vec3 &a = at(s[0]), &b = at(s[1]), &p = at(s[2]), &q = at(t[2]);
    Projection plane = Projection::along((b - a).cross(p - a));
    for (int k = 0; k < 3 && orient2d(plane(a), plane(b), plane(p)) == 0; ++k) plane = {k, (k + 1) % 3};
    // Opposite sides of the edge, seen along any axis, cannot be folded: cheaper than asking for the plane.
    if (orient2d(plane(a), plane(b), plane(p)) * orient2d(plane(a), plane(b), plane(q)) <= 0) return false;
    return orient3d(a, b, p, q) == 0;
  }

  const Analysis& a_;
};

}  // namespace

void find_crossings(const Analysis& a, SoundnessReport& report) {
  FamilyReport& family = report.of(Family::crossing_faces);
  const Bvh tree(a.mesh.positions, a.triangles.triangles);
  a.check_stop();
  const CrossingTest cross(a);
  tbb::enumerable_thread_specific<std::vector<Pair>> parts;
  tree.for_each_pair(
      [&](Index i, Index j) {
        if (cross(i, j)) {
          const Index f = a.triangles.face[i], g = a.triangles.face[j];
          if (f != g && same_ring(a, f, g)) return;
          parts.local().push_back({std::min(f, g), std::max(f, g)});
        }
      },
      a.stop);
  std::vector<Pair> pairs;
  for (const auto& part : parts) pairs.insert(pairs.end(), part.begin(), part.end());
  if (pairs.empty()) return;
  std::sort(pairs.begin(), pairs.end());

  std::vector<Index> faces;
  for (const Pair& pair : pairs) faces.insert(faces.end(), {pair.a, pair.b});
  std::sort(faces.begin(), faces.end());
  faces.erase(std::unique(faces.begin(), faces.end()), faces.end());
  family.count = faces.size();

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
  for (const auto& group : groups)
    family.places.push_back(place_of_faces(a, group, fmt::format("{} faces cross", group.size())));
}

}  // namespace anvil
