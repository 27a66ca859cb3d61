// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 6 to 8: patches, cells, winding numbers, and which faces bound the result.
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <numeric>
#include <tuple>

#include "core/boolean/contradiction.h"
#include "core/boolean/radial_sort.h"
#include "core/boolean/cells.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

/// One face at an edge u–v, for sorting around it.
struct RadialFace {
  Index face;
  Index apex;     ///< its third vertex
  bool forward;   ///< it runs from u to v
  Index source;   ///< soup triangle whose plane it lies in
  bool same_way;  ///< it faces as that triangle does
};

class RadialSort {
 public:
  RadialSort(const Soup& soup, const PointSet& points, Index u, Index v) : soup_(soup), points_(points), u_(u), v_(v) {}

  /// Side of a point seen from the half-plane of a face: 1 ahead, turning from its apex about u→v.
  int side(const RadialFace& radial_face, Index point) const {
    // The plane (u, v, apex) faces as the source does when the face runs forward and the same way round.
    const int sign = radial_face.forward == radial_face.same_way ? 1 : -1;
    return sign * points_.side(soup_.plane(radial_face.source), point);
  }

  /// Sorts faces by angle about u→v, beginning with the first. Faces are distinct: no two at one angle.
  void sort(std::vector<RadialFace>& faces) const {
    radial_sort(
        faces, [&](const RadialFace& a, const RadialFace& b) { return side(a, b.apex); },
        [](const RadialFace& a, const RadialFace& b) { return a.face == b.face; });
  }

 private:
  const Soup& soup_;
  const PointSet& points_;
  Index u_, v_;
};

/// Sides of patches are numbered 2 p (where the faces look to) and 2 p + 1 (behind).
struct Cells {
  std::vector<Index> patch_of_triangle, patch_of_face, patch_of_region;  ///< as in Selection
  std::vector<Index> first;  ///< of each patch: a soup triangle, or the number of triangles plus a face
  std::vector<Index> cell;   ///< per side
  Index count = 0;
  std::vector<std::pair<Index, unsigned char>> scored_triangles, scored_faces;
};

/// Faces of both kinds by one number: soup triangles first, then what the touched ones came apart into.
class Faces {
 public:
  Faces(const Soup& soup, const Arrangement& arrangement)
      : soup_(soup), arrangement_(arrangement), triangles_(static_cast<Index>(soup.triangles.size())) {}

  Index triangles() const { return triangles_; }
  const Triangle& corners(Index f) const {
    return f < triangles_ ? soup_.triangles[f] : arrangement_.faces[f - triangles_];
  }
  /// Calls visit(soup triangle, same way) for all that lies at a face.
  template <class Visit>
  void sources(Index f, Visit&& visit) const {
    if (f < triangles_)
      visit(f, true);
    else
      for (const auto& s : arrangement_.sources_of(f - triangles_)) visit(s.triangle, s.same_way);
  }
  Arrangement::Source source(Index f) const {
    return f < triangles_ ? Arrangement::Source{f, true, 0} : arrangement_.sources_of(f - triangles_)[0];
  }

 private:
  const Soup& soup_;
  const Arrangement& arrangement_;
  Index triangles_;
};

/// A face at an edge, by the edge's vertices.
struct EdgeUse {
  Index lo, hi, face;
  unsigned char corner;
  bool operator<(const EdgeUse& o) const {
    const std::uint64_t own = pair_key(lo, hi), other = pair_key(o.lo, o.hi);
    return own != other ? own < other : pair_key(face, corner) < pair_key(o.face, o.corner);
  }
};

/// One part's share of the numbering of untouched near triangles.
struct Flood {
  std::vector<Index> first;   ///< the first triangle of each region, which gives it its name for now
  std::vector<EdgeUse> uses;  ///< of edges where a region ends
  std::vector<std::pair<Index, Index>> beyond;  ///< first triangle of a region, and the region of the seam that it goes on into

  /// Goes through what can be reached from the triangles [begin, end).
  void run(const Soup& soup, const SeamLookup& seam, const std::vector<char>& touched, Index begin, Index end,
           std::vector<Index>& region, const Control& control) {
    std::vector<Index> queue;
    for (Index seed = begin; seed < end; ++seed) {
      if (region[seed] != no_index || touched[seed]) continue;
      check_stop(control);
      first.push_back(seed);
      region[seed] = seed;
      queue.assign(1, seed);
      while (!queue.empty()) {
        const Index t = queue.back();
        queue.pop_back();
        const Triangle& corners = soup.triangles[t];
        for (Index k = 0; k < 3; ++k) {
          const Index a = corners[k], b = corners[k == 2 ? 0 : k + 1], opposite = soup.opposite[3 * t + k];
          if (opposite == no_index) {
            if (const Index there = seam.beyond(soup.part[t], a, b); there != no_index) {
              beyond.emplace_back(seed, there);
              continue;
            }
          }
          if (opposite == no_index || touched[opposite / 3] || (soup.maybe_non_manifold[a] && soup.maybe_non_manifold[b])) {
            uses.push_back({std::min(a, b), std::max(a, b), t, static_cast<unsigned char>(k)});
          } else if (region[opposite / 3] == no_index) {
            region[opposite / 3] = seed;
            queue.push_back(opposite / 3);
          }
        }
      }
    }
  }
};

/// The untouched triangles by the region of surface they lie in: over edges where nothing else can be.
struct Regions {
  std::vector<Index> first;                     ///< triangle of each
  std::vector<std::pair<Index, Index>> beyond;  ///< region, region of the seam

  /// A region never leaves its part, so parts go side by side. Uses of edges where regions end are added to `uses`.
  Regions(const Soup& soup, const std::vector<char>& touched, std::vector<Index>& region, std::vector<EdgeUse>& uses,
          const Control& control) {
    region.assign(soup.triangles.size(), no_index);
    const SeamLookup seam(soup.seam);
    std::vector<Flood> floods(soup.parts.size() + 1);
    tbb::parallel_for(std::size_t{0}, soup.parts.size(), [&](std::size_t k) {
      floods[k].run(soup, seam, touched, soup.parts[k].first, soup.parts[k].end, region, control);
    });
    floods.back().run(soup, seam, touched, soup.first_added(), static_cast<Index>(soup.triangles.size()), region, control);
    std::vector<Index> number(soup.triangles.size());
    for (const Flood& f : floods) {
      for (Index seed : f.first) {
        number[seed] = static_cast<Index>(first.size());
        first.push_back(seed);
      }
      uses.insert(uses.end(), f.uses.begin(), f.uses.end());
      for (const auto& [seed, there] : f.beyond) beyond.emplace_back(number[seed], there);
    }
    for (Index& r : region)
      if (r != no_index) r = number[r];
    // An edge of the seam that something has cut or moved is not met.
    if (beyond.size() != soup.seam.edges.size()) throw ReachesUntouched{};
  }
};

Cells find_cells(const Soup& soup, const Arrangement& arrangement, const Control& control) {
  const Faces faces(soup, arrangement);
  Cells cells;
  std::vector<EdgeUse> uses;
  const Regions regions(soup, arrangement.touched, cells.patch_of_triangle, uses, control);
  for (Index j = 0; j < arrangement.faces.size(); ++j)
    for (std::size_t k = 0; k < 3; ++k) {
      const Index a = arrangement.faces[j][k], b = arrangement.faces[j][(k + 1) % 3];
      uses.push_back({std::min(a, b), std::max(a, b), faces.triangles() + j, static_cast<unsigned char>(k)});
    }
  tbb::parallel_sort(uses.begin(), uses.end());
  check_stop(control);

  // Patches: regions and faces of the arrangement, joined over edges with exactly two faces that agree, and the
  // untouched regions that regions go on into.
  const auto region_count = static_cast<Index>(regions.first.size());
  const auto near_count = static_cast<Index>(region_count + arrangement.faces.size());
  auto member = [&](Index f) {
    return f < faces.triangles() ? cells.patch_of_triangle[f] : region_count + f - faces.triangles();
  };
  auto forward = [&](const EdgeUse& use) { return faces.corners(use.face)[use.corner] == use.lo; };
  struct Junction {
    std::size_t begin, end;
  };
  std::vector<Junction> junctions;
  UnionFind sets(near_count + soup.seam.regions.size());
  for (const auto& [region, there] : regions.beyond) sets.unite(region, near_count + there);
  const bool any_scores = std::any_of(soup.parts.begin(), soup.parts.end(), [](const Soup::Part& part) { return part.scores; });
  for (std::size_t i = 0; i < uses.size();) {
    std::size_t j = i;
    while (j < uses.size() && uses[j].lo == uses[i].lo && uses[j].hi == uses[i].hi) ++j;
    if (j - i == 2 && forward(uses[i]) != forward(uses[i + 1]))
      sets.unite(member(uses[i].face), member(uses[i + 1].face));
    else
      junctions.push_back({i, j});
    if (any_scores) {
      bool drawn = false;
      for (std::size_t k = i; k < j; ++k)
        faces.sources(uses[k].face, [&](Index t, bool) { drawn = drawn || soup.parts[soup.part[t]].scores; });
      for (std::size_t k = i; k < j && drawn; ++k) {
        const auto bit = static_cast<unsigned char>(1u << uses[k].corner);
        if (uses[k].face < faces.triangles())
          cells.scored_triangles.emplace_back(uses[k].face, bit);
        else
          cells.scored_faces.emplace_back(uses[k].face - faces.triangles(), bit);
      }
    }
    i = j;
  }
  std::vector<Index> patch_of;
  const Index patches = sets.number(patch_of);
  cells.first.assign(patches, no_index);
  for (Index m = 0; m < near_count; ++m)
    if (cells.first[patch_of[m]] == no_index)
      cells.first[patch_of[m]] = m < region_count ? regions.first[m] : faces.triangles() + m - region_count;
  for (Index& p : cells.patch_of_triangle)
    if (p != no_index) p = patch_of[p];
  cells.patch_of_face.assign(patch_of.begin() + region_count, patch_of.begin() + near_count);
  cells.patch_of_region.assign(patch_of.begin() + near_count, patch_of.end());
  check_stop(control);

  std::vector<std::vector<std::array<Index, 2>>> joins((junctions.size() + 255) / 256);
  tbb::parallel_for(std::size_t{0}, joins.size(), [&](std::size_t block) {
    check_stop(control);
    std::vector<RadialFace> radial_faces;
    for (std::size_t j = block * 256; j < std::min(junctions.size(), (block + 1) * 256); ++j) {
      const Index u = uses[junctions[j].begin].lo, v = uses[junctions[j].begin].hi;
      radial_faces.clear();
      for (std::size_t k = junctions[j].begin; k < junctions[j].end; ++k) {
        const Index f = uses[k].face;
        const auto source = faces.source(f);
        radial_faces.push_back({f, faces.corners(f)[(uses[k].corner + 2u) % 3], forward(uses[k]), source.triangle, source.same_way});
      }
      RadialSort(soup, arrangement.points, u, v).sort(radial_faces);
      auto patch = [&](const RadialFace& l) {
        return l.face < faces.triangles() ? cells.patch_of_triangle[l.face] : cells.patch_of_face[l.face - faces.triangles()];
      };
      for (std::size_t k = 0; k < radial_faces.size(); ++k) {
        const RadialFace &here = radial_faces[k], &then = radial_faces[(k + 1) % radial_faces.size()];
        const Index ahead = 2 * patch(here) + (here.forward ? 0 : 1);
        const Index behind = 2 * patch(then) + (then.forward ? 1 : 0);
        joins[block].push_back({ahead, behind});
      }
    }
  });
  UnionFind sides(2 * std::size_t{patches});
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
  Probe(const Soup& soup, const Arrangement& arrangement)
      : soup_(soup), arrangement_(arrangement), faces_(soup, arrangement), untouched_(soup.seam) {
    box_.resize(soup.parts.size());
    for (Index i = 0; i < soup.triangles.size(); ++i)
      if (!soup.removed[i])
        for (Index v : soup.triangles[i]) box_[soup.part[i]].add(soup.points[v]);
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

  bool all_along(const Vec3& at, int axis, const Cells& cells, std::vector<Passed>& passed) const {
    struct Hit {
      Approx depth;
      Index face;  // or behind all faces, a region of the seam
      Passed what;
    };
    std::vector<Hit> hits;
    auto clear = [&](const Plane& corners, auto&& add) {
      Approx depth;
      int facing = 0;
      const int met = meet(corners, at, axis, depth, facing);
      if (met > 0) return add(depth, facing);
      return met == 0;
    };
    for (Index t = 0; t < soup_.triangles.size(); ++t) {
      if (soup_.removed[t]) continue;
      const bool found = clear(soup_.plane(t), [&](const Approx& depth, int facing) {
        if (!arrangement_.touched[t]) {
          hits.push_back({depth, t, {cells.patch_of_triangle[t], facing > 0}});
          return true;
        }
        for (Index f = 0; f < arrangement_.faces.size(); ++f)
          for (const auto& source : arrangement_.sources_of(f)) {
            const Index face = faces_.triangles() + f;
            if (source.triangle != t || !clearly_within(face, at, axis)) continue;
            hits.push_back({depth, face, {cells.patch_of_face[f], (facing > 0) == source.same_way}});
            return true;
          }
        return false;
      });
      if (!found) return false;
    }
    const auto behind = static_cast<Index>(faces_.triangles() + arrangement_.faces.size());
    if (!untouched_.for_each(at, axis, [&](const Plane& corners, std::span<const Index> regions) {
          return clear(corners, [&](const Approx& depth, int facing) {
            for (Index r : regions)
              hits.push_back({depth, behind + r, {cells.patch_of_region[r], (facing > 0) != soup_.seam.regions[r].flipped}});
            return true;
          });
        }))
      return false;
    std::sort(hits.begin(), hits.end(), [](const Hit& a, const Hit& b) { return a.depth.value < b.depth.value; });
    passed.clear();
    for (std::size_t k = 0; k < hits.size(); ++k) {
      if (k > 0 && (hits[k].depth - hits[k - 1].depth).sign() <= 0) {
        if (hits[k].face != hits[k - 1].face) return false;
        continue;  // several triangles lie at the one face
      }
      passed.push_back(hits[k].what);
    }
    return true;
  }

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
      const Index a = faces_.corners(face)[k], b = faces_.corners(face)[(k + 1) % 3];
      const PointSet& p = arrangement_.points;
      const Approx au = p.coordinate(a, u) - Approx(at[u]), av = p.coordinate(a, v) - Approx(at[v]);
      const Approx bu = p.coordinate(b, u) - Approx(at[u]), bv = p.coordinate(b, v) - Approx(at[v]);
      sum += (au * bv - av * bu).sign();
    }
    return std::abs(sum) == 3;
  }

  bool along(Index face, const Vec3& at, int axis, std::span<int> winding) const {
    const auto own = faces_.source(face);
    Approx here;
    int look = 0;
    const Plane plane = soup_.plane(own.triangle);
    if (meet(plane, at, axis, here, look) != 1 || !clearly_within(face, at, axis)) return false;
    if (!own.same_way) look = -look;
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    std::fill(winding.begin(), winding.end(), 0);
    // By what a triangle's part winds more beyond it, in `turn`. @return false when that is not clear
    auto turn_at = [&](const Plane& t, int& turn) {
      Approx depth;
      int facing = 0;
      turn = 0;
      const int met = meet(t, at, axis, depth, facing);
      if (met <= 0) return met == 0;
      int beyond = (depth - here).sign();
      if (beyond == 0) {
        // Closer than the filter sees: on which side of the triangle does the line meet the face? Exact.
        Vec3 ahead = at;
        ahead[axis] += 1 + std::abs(at[axis]);
        PointSet met_at({});
        beyond = -facing * met_at.side(t, met_at.add(at, ahead, plane));
      }
      // Looking along the face's normal: faces met there turn the number by the way they look.
      if (beyond == look) turn = facing * look;
      return beyond != 0;
    };
    auto count = [&](Index i) {
      int turn = 0;
      if (!turn_at(soup_.plane(i), turn)) {
        bool itself = false;
        faces_.sources(face, [&](Index t, bool) { itself = itself || t == i; });
        return itself;
      }
      if (turn == 0) return true;
      bool itself = false;
      faces_.sources(face, [&](Index t, bool) { itself = itself || t == i; });
      if (!itself) winding[soup_.part[i]] += turn;
      return true;
    };
    auto misses = [&](Index k) {
      return soup_.parts[k].sheet || at[u] < box_[k].lo[u] || at[u] > box_[k].hi[u] || at[v] < box_[k].lo[v] || at[v] > box_[k].hi[v];
    };
    for (Index k = 0; k < soup_.parts.size(); ++k)
      for (Index i = soup_.parts[k].first; i < soup_.parts[k].end && !misses(k); ++i)
        if (!soup_.removed[i] && !count(i)) return false;
    for (Index i = soup_.first_added(); i < soup_.triangles.size(); ++i)
      if (!soup_.removed[i] && !misses(soup_.part[i]) && !count(i)) return false;
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
  std::vector<Box3> box_;  ///< of the near triangles of each part
  UntouchedOnLine untouched_;
};


/// Words to numbers from 1 on, in the order of the words; 0 for the empty word.
std::vector<Index> number_labels(const std::vector<std::string>& words) {
  std::vector<std::string> sorted = words;
  std::sort(sorted.begin(), sorted.end());
  sorted.erase(std::unique(sorted.begin(), sorted.end()), sorted.end());
  const Index empty = !sorted.empty() && sorted.front().empty() ? 0 : 1;
  std::vector<Index> numbers;
  for (const std::string& word : words)
    numbers.push_back(empty + static_cast<Index>(std::lower_bound(sorted.begin(), sorted.end(), word) - sorted.begin()));
  return numbers;
}

/// Cells of different components that are one region of space: a component lies in a cell of another, or in the open.
/// A line along an axis through each component tells: what it passes next after the last patch of the component.
void unite_nested(const Cells& cells, const Faces& faces, const Probe& probe, const std::vector<char>& known, UnionFind& regions,
                  const Control& control) {
  const std::size_t patches = cells.first.size();
  UnionFind connected(cells.count);
  for (Index p = 0; p < patches; ++p) connected.unite(cells.cell[2 * p], cells.cell[2 * p + 1]);
  std::vector<char> done(cells.count, 0);
  std::vector<Probe::Passed> passed;
  for (Index p = 0; p < patches; ++p) {
    const Index component = connected.find(cells.cell[2 * p]);
    if (done[component] || !known[cells.cell[2 * p]]) continue;
    check_stop(control);
    bool clear = probe.passed_with(cells.first[p], cells, passed);
    for (Index t = 0; t < faces.triangles() && !clear; ++t)
      clear = cells.patch_of_triangle[t] == p && probe.passed_with(t, cells, passed);
    for (Index f = 0; f < cells.patch_of_face.size() && !clear; ++f)
      clear = cells.patch_of_face[f] == p && probe.passed_with(faces.triangles() + f, cells, passed);
    if (!clear) continue;  // another patch of the component may be clear
    done[component] = 1;
    auto last = passed.size();
    while (last > 0 && connected.find(cells.cell[2 * passed[last - 1].patch]) != component) --last;
    if (last == 0 || last == passed.size()) continue;
    const Probe::Passed &own = passed[last - 1], &next = passed[last];
    regions.unite(cells.cell[2 * own.patch + (own.along ? 0 : 1)], cells.cell[2 * next.patch + (next.along ? 1 : 0)]);
  }
}

}  // namespace

Selection classify(const Soup& soup, const Arrangement& arrangement, const CellClassifier& classifier, const Control& control) {
  Cells cells = find_cells(soup, arrangement, control);
  const Faces faces(soup, arrangement);
  const std::size_t patches = cells.first.size(), parts = soup.parts.size();

  // Cells next to each other, and what the numbers change by on the way through a patch to its back.
  std::vector<std::vector<Index>> sides_of(cells.count);
  for (Index s = 0; s < 2 * patches; ++s) sides_of[cells.cell[s]].push_back(s);
  std::vector<int> winding(cells.count * parts, 0);
  auto of = [&](Index cell) { return std::span<int>(winding.data() + cell * parts, parts); };
  const Probe probe(soup, arrangement);
  std::vector<char> known(cells.count, 0);
  std::vector<int> number(parts);
  auto clear_probe = [&](Index p) {
    if (probe.in_front_of(cells.first[p], number)) return true;
    for (Index t = 0; t < soup.triangles.size(); ++t)
      if (cells.patch_of_triangle[t] == p && probe.in_front_of(t, number)) return true;
    for (Index f = 0; f < arrangement.faces.size(); ++f)
      if (cells.patch_of_face[f] == p && probe.in_front_of(faces.triangles() + f, number)) return true;
    return false;
  };
  for (Index p = 0; p < patches; ++p) {
    if (known[cells.cell[2 * p]]) continue;
    check_stop(control);
    // A new component: one line tells where it lies among the others. Where no line through any of its faces
    // is clear, it is thinner than doubles can tell, and its cells stay unknown.
    if (!clear_probe(p)) continue;
    std::vector<Index> queue{cells.cell[2 * p]};
    std::copy(number.begin(), number.end(), of(queue[0]).begin());
    known[queue[0]] = 1;
    for (std::size_t k = 0; k < queue.size(); ++k)
      for (Index side : sides_of[queue[k]]) {
        const Index other = cells.cell[side ^ 1u];
        const int way = side % 2 == 0 ? 1 : -1;  // from the front to the back, or out again
        std::copy(of(queue[k]).begin(), of(queue[k]).end(), number.begin());
        faces.sources(cells.first[side / 2], [&](Index t, bool same_way) {
          if (!soup.parts[soup.part[t]].sheet) number[soup.part[t]] += same_way ? way : -way;
        });
        const auto there = of(other);
        if (known[other]) {
          if (!std::equal(number.begin(), number.end(), there.begin()))
            throw Contradiction("winding numbers disagree between neighbouring cells");
          continue;
        }
        std::copy(number.begin(), number.end(), there.begin());
        known[other] = 1;
        queue.push_back(other);
      }
  }

  std::vector<std::string> words(cells.count);
  std::vector<char> trimmed(cells.count, 0);
  Selection selection;
  selection.bounds.assign(parts, 0);
  for (const int n : classifier.neutral_winding) selection.idle.push_back(n != not_watched);
  for (Index c = 0; c < cells.count; ++c) {
    words[c] = classifier.label_of(of(c));
    trimmed[c] = classifier.trims_away && classifier.trims_away(of(c));
    for (std::size_t k = 0; k < parts; ++k) {
      if (of(c)[k] != 0) selection.bounds[k] = 1;
      if (selection.idle.empty() || !selection.idle[k] || (of(c)[k] != 0) == (classifier.neutral_winding[k] != 0)) continue;
      std::copy(of(c).begin(), of(c).end(), number.begin());
      number[k] = classifier.neutral_winding[k];
      if (classifier.label_of(number) != words[c]) selection.idle[k] = 0;
    }
  }
  const std::vector<Index> label_of = number_labels(words);

  // Regions: cells of one label; with pieces by place, only those that touch and have no sheet between them.
  UnionFind regions(cells.count);
  for (Index p = 0; p < patches; ++p) {
    const Index front = cells.cell[2 * p], back = cells.cell[2 * p + 1];
    bool sheet = false;
    faces.sources(cells.first[p], [&](Index t, bool) { sheet = sheet || soup.parts[soup.part[t]].sheet; });
    if (label_of[front] == label_of[back] && !sheet) regions.unite(front, back);
  }
  if (classifier.by_place) unite_nested(cells, faces, probe, known, regions, control);
  // Pieces are numbered by label, then by the first cell.
  std::vector<std::pair<Index, Index>> keys;  // label, region
  auto key_of_cell = [&](Index c) {
    return std::pair(classifier.makes_pieces ? label_of[c] : 1, classifier.by_place ? regions.find(c) : 0);
  };
  for (Index c = 0; c < cells.count; ++c)
    if (label_of[c] != 0) keys.push_back(key_of_cell(c));
  std::sort(keys.begin(), keys.end());
  keys.erase(std::unique(keys.begin(), keys.end()), keys.end());
  auto piece_of_cell = [&](Index c) {
    if (label_of[c] == 0) return no_index;
    return static_cast<Index>(std::lower_bound(keys.begin(), keys.end(), key_of_cell(c)) - keys.begin());
  };
  selection.pieces = static_cast<Index>(keys.size());
  selection.sides.resize(patches);
  for (Index p = 0; p < patches; ++p) {
    const Index front = cells.cell[2 * p], back = cells.cell[2 * p + 1];
    if (!known[front]) {
      ++selection.left_out;
      continue;
    }
    auto& sides = selection.sides[p];
    sides.in_front = piece_of_cell(front);
    sides.behind = piece_of_cell(back);
    if (sides.in_front == sides.behind) sides = {};
    sides.trimmed_behind = trimmed[back];
    sides.trimmed_in_front = trimmed[front];
  }
  selection.patch_of_triangle = std::move(cells.patch_of_triangle);
  selection.patch_of_face = std::move(cells.patch_of_face);
  selection.patch_of_region = std::move(cells.patch_of_region);
  selection.scored_triangles = std::move(cells.scored_triangles);
  selection.scored_faces = std::move(cells.scored_faces);
  return selection;
}

}  // namespace anvil::boolean
