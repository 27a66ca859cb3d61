// SPDX-License-Identifier: GPL-3.0-or-later
// Lines through the cells: which winding numbers a face has in front of it, and what a line passes one after the other.
#pragma once

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "core/boolean/cell_complex.h"
#include "core/mesh/bucket_sort.h"

namespace anvil::boolean {

/// Winding numbers of all parts just beyond the front or the back of one face, by a line along an axis.
///
/// The line runs through a point with double coordinates; it counts only when every source triangle is
/// either clearly missed or clearly met, and every meeting is clearly before or behind the face. Otherwise
/// another point is tried.
class Probe {
 public:
  Probe(const Soup& soup, const Arrangement& arrangement)
      : soup_(soup), arrangement_(arrangement), faces_(soup, arrangement), untouched_(soup.seam) {
    blocks_.resize((soup.triangles.size() + block - 1) / block);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, blocks_.size(), 64), [&](const auto& range) {
      for (std::size_t b = range.begin(); b < range.end(); ++b)
        for (std::size_t i = b * block; i < std::min(soup.triangles.size(), (b + 1) * block); ++i)
          if (!soup.removed[i])
            for (Index v : soup.triangles[i]) blocks_[b].add(soup.points[v]);
    });
    for (Index f = 0; f < arrangement.faces.size(); ++f)
      for (const auto& source : arrangement.sources_of(f)) pieces_.push_back({source.triangle, f, source.same_way});
    first_piece_ = counting_sort(pieces_, soup.triangles.size(), [](const Piece& piece) { return piece.facet; });
  }

  /// @param winding  one number per part, beyond the face's front. @return false when no line was clear
  bool in_front_of(Index face, std::span<int> winding) const {
    return try_lines(face, [&](const Vec3& at, int axis) { return along(face, at, axis, winding); });
  }

  /// A patch that a line passes through, and whether it looks along the line's axis.
  struct Passed {
    Index patch;
    bool along;
  };
  /// All patches that a line through a face passes, in order along its axis. @return false when no line was clear
  bool passed_with(Index face, const Cells& cells, std::vector<Passed>& passed) const {
    return try_lines(face, [&](const Vec3& at, int axis) { return all_along(at, axis, cells, passed); });
  }

 private:
  /// Tries lines through a face along an axis that it is not edge-on to, until attempt(at, axis) succeeds.
  template <class Attempt>
  bool try_lines(Index face, Attempt&& attempt_with) const {
    const Triangle& f = faces_.corners(face);
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
      if (attempt_with(at, axes[static_cast<std::size_t>(attempt % 3 == 2 ? 1 : 0)])) return true;
    }
    return false;
  }

  /// Calls visit(triangle) of those in blocks that a line along an axis passes, until that returns false; returns that.
  bool for_each_on_line(const Vec3& at, int axis, auto&& visit) const {
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    for (std::size_t b = 0; b < blocks_.size(); ++b) {
      const Box3& box = blocks_[b];
      if (at[u] < box.lo[u] || at[u] > box.hi[u] || at[v] < box.lo[v] || at[v] > box.hi[v]) continue;
      for (auto i = static_cast<Index>(b * block); i < std::min(soup_.triangles.size(), (b + 1) * block); ++i)
        if (!soup_.removed[i] && !visit(i)) return false;
    }
    return true;
  }

  bool all_along(const Vec3& at, int axis, const Cells& cells, std::vector<Passed>& passed) const {
    struct Hit {
      Bounded depth;
      Plane plane;
      int facing;
      Index face;  // or behind all faces, a region of the seam
      Passed what;
    };
    std::vector<Hit> hits;
    auto clear = [&](const Plane& corners, auto&& add) {
      Bounded depth;
      int facing = 0;
      const int met = meet(corners, at, axis, depth, facing);
      if (met > 0) return add(depth, facing);
      return met == 0;
    };
    const bool all_found = for_each_on_line(at, axis, [&](Index t) {
      return clear(soup_.plane(t), [&](const Bounded& depth, int facing) {
        if (!arrangement_.touched[t]) {
          hits.push_back({depth, soup_.plane(t), facing, t, {cells.patch_of_triangle[t], facing > 0}});
          return true;
        }
        const Index facet = soup_.facet_of(t);
        for (Index k = first_piece_[facet]; k < first_piece_[facet + 1]; ++k) {
          const Piece& piece = pieces_[k];
          const Index face = faces_.triangles() + piece.face;
          if (!clearly_within(face, at, axis)) continue;
          hits.push_back({depth, soup_.plane(t), facing, face, {cells.patch_of_face[piece.face], (facing > 0) == piece.same_way}});
          return true;
        }
        return false;
      });
    });
    if (!all_found) return false;
    const auto behind = static_cast<Index>(faces_.triangles() + arrangement_.faces.size());
    if (!untouched_.for_each(at, axis, [&](const Plane& corners, std::span<const Index> regions) {
          return clear(corners, [&](const Bounded& depth, int facing) {
            for (Index r : regions)
              hits.push_back({depth, corners, facing, behind + r, {cells.patch_of_region[r], (facing > 0) != soup_.seam.regions[r].flipped}});
            return true;
          });
        }))
      return false;
    auto compare = [&](const Hit& a, const Hit& b) {
      const int sign = (a.depth - b.depth).sign();
      return sign != 0 ? sign : -exact_order(at, axis, a.plane, b.plane, b.facing);
    };
    std::sort(hits.begin(), hits.end(), [&](const Hit& a, const Hit& b) { return compare(a, b) < 0; });
    passed.clear();
    for (std::size_t k = 0; k < hits.size(); ++k) {
      if (k > 0 && compare(hits[k], hits[k - 1]) == 0) {
        if (hits[k].face != hits[k - 1].face) return false;
        continue;  // several triangles lie at the one face
      }
      passed.push_back(hits[k].what);
    }
    return true;
  }

  /// Where a line along `axis` through `at` meets a triangle: −1 unclear, 0 not, 1 it does at `depth`.
  /// @param facing  1 when the triangle looks along the axis
  int meet(const std::array<Vec3, 3>& t, const Vec3& at, int axis, Bounded& depth, int& facing) const {
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
    depth = depth_on_plane(t, at, axis);
    return std::isfinite(depth.error) ? 1 : -1;
  }

  /// Where a line along `axis` through `at` meets the plane of a triangle; of no bound where it is not sure that it does.
  static Bounded depth_on_plane(const Plane& t, const Vec3& at, int axis) {
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    // a + (n_u (a_u − p_u) + n_v (a_v − p_v)) / n_axis.
    const Bounded e1u = Bounded(t[1][u]) - Bounded(t[0][u]), e1v = Bounded(t[1][v]) - Bounded(t[0][v]), e1w = Bounded(t[1][axis]) - Bounded(t[0][axis]);
    const Bounded e2u = Bounded(t[2][u]) - Bounded(t[0][u]), e2v = Bounded(t[2][v]) - Bounded(t[0][v]), e2w = Bounded(t[2][axis]) - Bounded(t[0][axis]);
    const Bounded nu = e1v * e2w - e1w * e2v, nv = e1w * e2u - e1u * e2w, nw = e1u * e2v - e1v * e2u;
    return Bounded(t[0][axis]) + (nu * (Bounded(t[0][u]) - Bounded(at[u])) + nv * (Bounded(t[0][v]) - Bounded(at[v]))) / nw;
  }

  /// Where a line along `axis` through `at` meets a second plane, beyond the first (1), before it (−1), or at the same
  /// place (0); exact.
  /// @param facing  1 when the second looks along the axis
  static int exact_order(const Vec3& at, int axis, const Plane& first, const Plane& second, int facing) {
    Vec3 ahead = at;
    ahead[axis] += 1 + std::abs(at[axis]);
    PointSet met_at({});
    return -facing * met_at.side(second, met_at.add(at, ahead, first));
  }

  /// Does a line along `axis` through `at` certainly pass through the face itself?
  bool clearly_within(Index face, const Vec3& at, int axis) const {
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    int sum = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const Index a = faces_.corners(face)[k], b = faces_.corners(face)[(k + 1) % 3];
      const PointSet& p = arrangement_.points;
      const Bounded au = p.coordinate(a, u) - Bounded(at[u]), av = p.coordinate(a, v) - Bounded(at[v]);
      const Bounded bu = p.coordinate(b, u) - Bounded(at[u]), bv = p.coordinate(b, v) - Bounded(at[v]);
      sum += (au * bv - av * bu).sign();
    }
    return std::abs(sum) == 3;
  }

  bool along(Index face, const Vec3& at, int axis, std::span<int> winding) const {
    const auto own = faces_.source(face);
    const Plane plane = soup_.plane(own.triangle);
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    const Bounded here = depth_on_plane(plane, at, axis);
    int look = orient2d({plane[0][u], plane[0][v]}, {plane[1][u], plane[1][v]}, {plane[2][u], plane[2][v]});
    if (look == 0 || !std::isfinite(here.error) || !clearly_within(face, at, axis)) return false;
    if (!own.same_way) look = -look;
    std::fill(winding.begin(), winding.end(), 0);
    // By what a triangle's part winds more beyond it, in `turn`. @return false when that is not clear
    auto turn_at = [&](const Plane& t, int& turn) {
      Bounded depth;
      int facing = 0;
      turn = 0;
      const int met = meet(t, at, axis, depth, facing);
      if (met <= 0) return met == 0;
      int beyond = (depth - here).sign();
      if (beyond == 0) beyond = exact_order(at, axis, plane, t, facing);  // closer than the filter sees
      // Looking along the face's normal: faces met there turn the number by the way they look.
      if (beyond == look) turn = facing * look;
      return beyond != 0;
    };
    // A triangle of a facet that the face is of is met there, if at all, and not beyond.
    auto is_itself = [&](Index i) {
      bool itself = false;
      faces_.sources(face, [&](Index t, bool) { itself = itself || soup_.facet_of(t) == soup_.facet_of(i); });
      return itself;
    };
    auto count = [&](Index i) {
      int turn = 0;
      if (!turn_at(soup_.plane(i), turn)) return is_itself(i);
      if (turn != 0 && !is_itself(i)) winding[soup_.part[i]] += turn;
      return true;
    };
    if (!for_each_on_line(at, axis, [&](Index i) { return soup_.parts[soup_.part[i]].sheet || count(i); })) return false;
    return untouched_.for_each(at, axis, [&](const Plane& corners, std::span<const Index> regions) {
      int turn = 0;
      if (!turn_at(corners, turn)) return false;
      for (Index r : regions) {
        const UntouchedRegion& region = soup_.seam.regions[r];
        if (!soup_.parts[region.part].sheet) winding[region.part] += region.flipped ? -turn : turn;
      }
      return true;
    });
  }

  const Soup& soup_;
  const Arrangement& arrangement_;
  Faces faces_;
  static constexpr std::size_t block = 64;
  std::vector<Box3> blocks_;  ///< of so many near triangles in a row each, which mostly lie near each other
  struct Piece {
    Index facet, face;
    bool same_way;
  };
  std::vector<Piece> pieces_;       ///< of touched facets, by facet
  std::vector<Index> first_piece_;  ///< per facet
  UntouchedOnLine untouched_;
};

}  // namespace anvil::boolean
