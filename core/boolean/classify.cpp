// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 6 to 8: patches, cells, winding numbers, and which faces bound the result.
#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>
#include <functional>
#include <stdexcept>

#include "core/boolean/stages.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

/// The faces as a mesh without positions, for the edge table.
Mesh as_mesh(const Arrangement& arrangement) {
  Mesh mesh;
  mesh.positions.resize(arrangement.points.size());
  mesh.corners.resize(3 * arrangement.faces.size());
  mesh.face_offsets.resize(arrangement.faces.size() + 1);
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, arrangement.faces.size(), 16384), [&](const auto& range) {
    for (std::size_t f = range.begin(); f < range.end(); ++f) {
      for (std::size_t k = 0; k < 3; ++k) mesh.corners[3 * f + k] = arrangement.faces[f][k];
      mesh.face_offsets[f + 1] = static_cast<Index>(3 * f + 3);
    }
  });
  return mesh;
}

/// One face at an edge u–v, for sorting around it.
struct Leaf {
  Index face;
  Index apex;     ///< its third vertex
  bool forward;   ///< it runs from u to v
  Index source;   ///< soup triangle whose plane it lies in
  bool same_way;  ///< it faces as that triangle does
};

class Around {
 public:
  Around(const Soup& soup, const PointSet& points, Index u, Index v) : soup_(soup), points_(points), u_(u), v_(v) {}

  /// Side of a point seen from the half-plane of `leaf`: 1 ahead, turning from its apex about u→v.
  int side(const Leaf& leaf, Index point) const {
    // The plane (u, v, apex) faces as the source does when the leaf runs forward and the same way round.
    const int sign = leaf.forward == leaf.same_way ? 1 : -1;
    return sign * points_.side(soup_.plane(leaf.source), point);
  }

  /// Sorts the leaves by angle about u→v, beginning with the first. Faces are distinct: no two at one angle.
  void sort(std::vector<Leaf>& leaves) const {
    const Leaf first = leaves[0];
    auto half = [&](const Leaf& l) {  // 0: ahead of the first by less than π, 1: π, 2: more
      const int s = side(first, l.apex);
      return s > 0 ? 0 : s == 0 ? 1 : 2;
    };
    std::vector<std::pair<int, Leaf>> rest;
    for (std::size_t k = 1; k < leaves.size(); ++k) rest.emplace_back(half(leaves[k]), leaves[k]);
    std::sort(rest.begin(), rest.end(), [&](const auto& a, const auto& b) {
      if (a.first != b.first) return a.first < b.first;
      if (a.first == 1) return false;
      return a.second.face != b.second.face && side(a.second, b.second.apex) > 0;
    });
    for (std::size_t k = 0; k < rest.size(); ++k) leaves[k + 1] = rest[k].second;
  }

 private:
  const Soup& soup_;
  const PointSet& points_;
  Index u_, v_;
};

/// Sides of patches are numbered 2 p (where the faces look to) and 2 p + 1 (behind).
struct Cells {
  std::vector<Index> patch;      ///< per face
  std::vector<Index> patch_face;  ///< the first face of each patch
  std::vector<Index> cell;       ///< per side
  Index count = 0;
};

Cells find_cells(const Soup& soup, const Arrangement& arrangement, const Control& control) {
  const auto& faces = arrangement.faces;
  const Mesh mesh = as_mesh(arrangement);
  const EdgeTable edges = build_edges(mesh);
  check_stop(control);
  Cells cells;
  std::vector<Index> junctions;  // edges that do not simply join two faces that agree
  {
    UnionFind sets(faces.size());
    for (Index e = 0; e < edges.size(); ++e) {
      const auto uses = edges.corners_of(e);
      if (uses.size() == 2 && mesh.corners[uses[0]] != mesh.corners[uses[1]])
        sets.unite(edges.corner_face[uses[0]], edges.corner_face[uses[1]]);
      else
        junctions.push_back(e);
    }
    const Index patches = sets.number(cells.patch);
    cells.patch_face.assign(patches, no_index);
    for (Index f = 0; f < faces.size(); ++f)
      if (cells.patch_face[cells.patch[f]] == no_index) cells.patch_face[cells.patch[f]] = f;
  }
  check_stop(control);

  std::vector<std::vector<std::array<Index, 2>>> joins((junctions.size() + 255) / 256);
  tbb::parallel_for(std::size_t{0}, joins.size(), [&](std::size_t block) {
    check_stop(control);
    std::vector<Leaf> leaves;
    for (std::size_t j = block * 256; j < std::min(junctions.size(), (block + 1) * 256); ++j) {
      const Index u = edges.vertices[junctions[j]][0], v = edges.vertices[junctions[j]][1];
      leaves.clear();
      for (Index c : edges.corners_of(junctions[j])) {
        const Index f = edges.corner_face[c];
        const auto& source = arrangement.sources_of(f)[0];
        leaves.push_back({f, mesh.corners[3 * f + (c - 3 * f + 2) % 3], mesh.corners[c] == u, source.triangle, source.same_way});
      }
      if (leaves.size() > 2) Around(soup, arrangement.points, u, v).sort(leaves);
      for (std::size_t k = 0; k < leaves.size(); ++k) {
        const Leaf &here = leaves[k], &then = leaves[(k + 1) % leaves.size()];
        const Index ahead = 2 * cells.patch[here.face] + (here.forward ? 0 : 1);
        const Index behind = 2 * cells.patch[then.face] + (then.forward ? 1 : 0);
        joins[block].push_back({ahead, behind});
      }
    }
  });
  UnionFind sides(2 * cells.patch_face.size());
  for (const auto& list : joins)
    for (const auto& [a, b] : list) sides.unite(a, b);
  cells.count = sides.number(cells.cell);
  return cells;
}

/// Winding numbers of all parts just beyond the front or the back of one face, by a line along an axis.
///
/// The line runs through a point with double coordinates; it counts only when every source triangle is
/// either clearly missed or clearly met, and every meeting is clearly before or behind the face. Otherwise
/// another point is tried.
class Probe {
 public:
  Probe(const Soup& soup, const Arrangement& arrangement) : soup_(soup), arrangement_(arrangement) {
    box_.resize(soup.parts());
    for (std::size_t k = 0; k < soup.parts(); ++k)
      for (Index i = soup.part_begin[k]; i < soup.part_begin[k + 1]; ++i)
        for (Index v : soup.triangles[i]) box_[k].add(soup.points[v]);
  }

  /// @param winding  one number per part, beyond the face's front. @return false when no line was clear
  bool in_front_of(Index face, std::span<int> winding) const {
    const Triangle& f = arrangement_.faces[face];
    const Vec3 a = arrangement_.points.approximate(f[0]), b = arrangement_.points.approximate(f[1]),
               c = arrangement_.points.approximate(f[2]);
    const Vec3 normal = (b - a).cross(c - a).cwiseAbs();
    std::array<int, 3> axes{0, 1, 2};
    std::sort(axes.begin(), axes.end(), [&](int i, int j) { return normal[i] > normal[j]; });
    std::uint32_t random = 12345;
    auto unit = [&] {
      random = random * 1664525u + 1013904223u;
      return 0.1 + 0.8 * (random >> 8) / 16777216.0;
    };
    for (int attempt = 0; attempt < 48; ++attempt) {
      const double x = attempt == 0 ? 1 : unit(), y = attempt == 0 ? 1 : unit(), w = attempt == 0 ? 1 : unit();
      const Vec3 at = (x * a + y * b + w * c) / (x + y + w);
      if (along(face, at, axes[static_cast<std::size_t>(attempt % 3 == 2 ? 1 : 0)], winding)) return true;
    }
    return false;
  }

 private:
  /// Where a line along `axis` through `at` meets a triangle: −1 unclear, 0 not, 1 it does at `depth`.
  /// @param facing  1 when the triangle looks along the axis
  int meet(const std::array<Vec3, 3>& t, const Vec3& at, int axis, Approx& depth, int& facing) const {
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    if ((t[0][u] < at[u] && t[1][u] < at[u] && t[2][u] < at[u]) || (t[0][u] > at[u] && t[1][u] > at[u] && t[2][u] > at[u]) ||
        (t[0][v] < at[v] && t[1][v] < at[v] && t[2][v] < at[v]) || (t[0][v] > at[v] && t[1][v] > at[v] && t[2][v] > at[v]))
      return 0;
    const Point2 p{at[u], at[v]};
    std::array<Point2, 3> q;
    for (std::size_t k = 0; k < 3; ++k) q[k] = {t[k][u], t[k][v]};
    const int o0 = orient2d(q[0], q[1], p), o1 = orient2d(q[1], q[2], p), o2 = orient2d(q[2], q[0], p);
    if (o0 == 0 || o1 == 0 || o2 == 0) {
      const bool outside = (o0 > 0 || o1 > 0 || o2 > 0) && (o0 < 0 || o1 < 0 || o2 < 0);
      return outside ? 0 : -1;
    }
    if (o0 != o1 || o1 != o2) return 0;
    facing = o0;
    // Depth on the plane: a + (n_u (a_u − p_u) + n_v (a_v − p_v)) / n_axis.
    const Approx e1u = Approx(t[1][u]) - Approx(t[0][u]), e1v = Approx(t[1][v]) - Approx(t[0][v]), e1w = Approx(t[1][axis]) - Approx(t[0][axis]);
    const Approx e2u = Approx(t[2][u]) - Approx(t[0][u]), e2v = Approx(t[2][v]) - Approx(t[0][v]), e2w = Approx(t[2][axis]) - Approx(t[0][axis]);
    const Approx nu = e1v * e2w - e1w * e2v, nv = e1w * e2u - e1u * e2w, nw = e1u * e2v - e1v * e2u;
    depth = Approx(t[0][axis]) + (nu * (Approx(t[0][u]) - Approx(p.x)) + nv * (Approx(t[0][v]) - Approx(p.y))) / nw;
    return std::isfinite(depth.error) ? 1 : -1;
  }

  /// Does a line along `axis` through `at` certainly pass through the face itself?
  bool clearly_within(Index face, const Vec3& at, int axis) const {
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    int sum = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const Index a = arrangement_.faces[face][k], b = arrangement_.faces[face][(k + 1) % 3];
      const PointSet& p = arrangement_.points;
      const Approx au = p.coordinate(a, u) - Approx(at[u]), av = p.coordinate(a, v) - Approx(at[v]);
      const Approx bu = p.coordinate(b, u) - Approx(at[u]), bv = p.coordinate(b, v) - Approx(at[v]);
      sum += (au * bv - av * bu).sign();
    }
    return std::abs(sum) == 3;
  }

  bool along(Index face, const Vec3& at, int axis, std::span<int> winding) const {
    const auto own = arrangement_.sources_of(face);
    Approx here;
    int look = 0;
    const Plane plane = soup_.plane(own[0].triangle);
    if (meet(plane, at, axis, here, look) != 1 || !clearly_within(face, at, axis)) return false;
    if (!own[0].same_way) look = -look;
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    std::fill(winding.begin(), winding.end(), 0);
    for (std::size_t k = 0; k < soup_.parts(); ++k) {
      if (at[u] < box_[k].lo[u] || at[u] > box_[k].hi[u] || at[v] < box_[k].lo[v] || at[v] > box_[k].hi[v]) continue;
      for (Index i = soup_.part_begin[k]; i < soup_.part_begin[k + 1]; ++i) {
        Approx depth;
        int facing = 0;
        const int met = meet(soup_.plane(i), at, axis, depth, facing);
        if (met == 0) continue;
        if (std::any_of(own.begin(), own.end(), [&](const auto& s) { return s.triangle == i; })) continue;
        if (met < 0) return false;
        int beyond = (depth - here).sign();
        if (beyond == 0) {
          // Closer than the filter sees: on which side of the triangle does the line meet the face? Exact.
          Vec3 ahead = at;
          ahead[axis] += 1 + std::abs(at[axis]);
          PointSet met_at({});
          beyond = -facing * met_at.side(soup_.plane(i), met_at.add(at, ahead, plane));
        }
        if (beyond == 0) return false;
        // Looking along the face's normal: faces met there turn the number by the way they look.
        if (beyond == look) winding[k] += facing * look;
      }
    }
    return true;
  }

  const Soup& soup_;
  const Arrangement& arrangement_;
  std::vector<Box3> box_;
};

}  // namespace

Selection classify(const Soup& soup, const Arrangement& arrangement, const Inside& inside, const Control& control) {
  const Cells cells = find_cells(soup, arrangement, control);
  const std::size_t patches = cells.patch_face.size(), parts = soup.parts();

  // Cells next to each other, and what the numbers change by on the way through a patch to its back.
  std::vector<std::vector<Index>> sides_of(cells.count);
  for (Index s = 0; s < 2 * patches; ++s) sides_of[cells.cell[s]].push_back(s);
  std::vector<int> winding(cells.count * parts, 0);
  auto of = [&](Index cell) { return std::span<int>(winding.data() + cell * parts, parts); };
  const Probe probe(soup, arrangement);
  std::vector<char> known(cells.count, 0);
  std::vector<int> number(parts);
  for (Index p = 0; p < patches; ++p) {
    if (known[cells.cell[2 * p]]) continue;
    check_stop(control);
    // A new component: one line tells where it lies among the others. Where no line through any of its faces
    // is clear, it is thinner than doubles can tell, and its cells stay unknown.
    bool clear = probe.in_front_of(cells.patch_face[p], number);
    for (Index f = cells.patch_face[p]; f < arrangement.faces.size() && !clear; ++f)
      if (cells.patch[f] == p) clear = probe.in_front_of(f, number);
    if (!clear) continue;
    std::vector<Index> queue{cells.cell[2 * p]};
    std::copy(number.begin(), number.end(), of(queue[0]).begin());
    known[queue[0]] = 1;
    for (std::size_t k = 0; k < queue.size(); ++k)
      for (Index side : sides_of[queue[k]]) {
        const Index other = cells.cell[side ^ 1u];
        const int way = side % 2 == 0 ? 1 : -1;  // from the front to the back, or out again
        std::copy(of(queue[k]).begin(), of(queue[k]).end(), number.begin());
        for (const auto& s : arrangement.sources_of(cells.patch_face[side / 2]))
          number[soup.part[s.triangle]] += s.same_way ? way : -way;
        const auto there = of(other);
        if (known[other]) {
          if (!std::equal(number.begin(), number.end(), there.begin()))
            throw std::logic_error("winding numbers disagree between neighbouring cells");
          continue;
        }
        std::copy(number.begin(), number.end(), there.begin());
        known[other] = 1;
        queue.push_back(other);
      }
  }

  std::vector<char> solid(cells.count);
  for (Index c = 0; c < cells.count; ++c) solid[c] = inside(of(c));
  Selection selection;
  selection.keep.resize(arrangement.faces.size());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, arrangement.faces.size(), 16384), [&](const auto& range) {
    for (std::size_t f = range.begin(); f < range.end(); ++f) {
      const Index p = cells.patch[f];
      if (!known[cells.cell[2 * p]]) continue;
      const bool front = solid[cells.cell[2 * p]], back = solid[cells.cell[2 * p + 1]];
      selection.keep[f] = front == back ? Selection::Keep::no : back ? Selection::Keep::as_is : Selection::Keep::turned;
    }
  });
  for (Index p = 0; p < patches; ++p)
    if (!known[cells.cell[2 * p]]) ++selection.patches_left_out;
  return selection;
}

}  // namespace anvil::boolean
