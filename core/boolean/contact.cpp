// SPDX-License-Identifier: GPL-3.0-or-later
// Contact tolerance: what lies closer than a stated length is made to meet exactly, so that the exact stages
// see true contact where a person meant it. Vertices near each other become one; edges and faces get the
// vertices that lie near them; near edges that pass each other get a common vertex. Nothing moves farther
// than the tolerance. Closed parts stay closed: a split edge is split for all its faces.
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <map>
#include <set>
#include <numeric>

#include "core/boolean/contradiction.h"
#include "core/boolean/arrangement.h"
#include "core/boolean/facets.h"
#include "core/mesh/broad_phase.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/union_find.h"
#include "core/mesh/weld.h"

namespace anvil::boolean {
namespace {

using EdgeKey = std::pair<Index, Index>;
EdgeKey edge_key(Index a, Index b) { return {std::min(a, b), std::max(a, b)}; }

/// Closest point of segment ab to p, as a share of the way from a to b.
double nearest_on(const Vec3& a, const Vec3& b, const Vec3& p) {
  const Vec3 ab = b - a;
  const double length = ab.squaredNorm();
  return length > 0 ? (p - a).dot(ab) / length : 0;
}

/// The points along each split edge, from its smaller to its larger vertex.
class PointsAlong {
 public:
  /// @param edge_points  of split edges, in any order, some more than once
  PointsAlong(std::vector<Cuts::EdgePoint> edge_points, std::span<const Vec3> at) : list_(std::move(edge_points)) {
    first_ = bucket_sort(list_, at.size(), [](const Cuts::EdgePoint& e) { return e.lo; });
    // Of equal ones the first of each bucket stays; the others are passed over.
    std::size_t kept = 0;
    for (std::size_t v = 0, i = 0; v + 1 < first_.size(); ++v) {
      const std::size_t end = first_[v + 1];
      first_[v] = static_cast<Index>(kept);
      for (; i < end; ++i)
        if (kept == first_[v] || !(list_[kept - 1] == list_[i])) list_[kept++] = list_[i];
    }
    first_.back() = static_cast<Index>(kept);
    list_.resize(kept);
    for (std::size_t i = 0; i < list_.size();) {
      std::size_t j = i;
      const auto [lo, hi] = std::pair(list_[i].lo, list_[i].hi);
      while (j < list_.size() && list_[j].lo == lo && list_[j].hi == hi) ++j;
      const Vec3 way = at[hi] - at[lo];
      std::sort(list_.begin() + static_cast<std::ptrdiff_t>(i), list_.begin() + static_cast<std::ptrdiff_t>(j),
                [&](const auto& a, const auto& b) { return way.dot(at[a.point]) < way.dot(at[b.point]); });
      i = j;
    }
  }
  /// Empty for an edge that nothing has split.
  std::span<const Cuts::EdgePoint> of(const EdgeKey& edge) const {
    const Cuts::EdgePoint *begin = list_.data() + first_[edge.first], *end = list_.data() + first_[edge.first + 1];
    while (begin != end && begin->hi != edge.second) ++begin;
    const Cuts::EdgePoint* last = begin;
    while (last != end && last->hi == edge.second) ++last;
    return {begin, last};
  }

 private:
  std::vector<Cuts::EdgePoint> list_;
  std::vector<Index> first_;  ///< per vertex, of the edges whose smaller one it is
};

/// Vertices nearer than the tolerance become one of them, where possible the one with the smallest number. What others have been moved
/// to stays: chains of near vertices do not creep.
class Merging {
 public:
  Merging(Soup& soup, double tolerance, double farthest) : soup_(soup), tolerance_(tolerance), farthest_(farthest), to_(soup.points.size(), no_index) {}

  void meet(Index a, Index b) {
    if (!((soup_.points[a] - soup_.points[b]).squaredNorm() <= tolerance_ * tolerance_)) return;
    const Index lo = std::min(place_of(a), place_of(b)), hi = std::max(place_of(a), place_of(b));
    if (lo == hi) return;
    const double apart = (soup_.points[lo] - soup_.points[hi]).norm();
    if (!(apart <= tolerance_)) return;
    if (may_move(hi, apart))
      move(hi, lo, apart);
    else if (may_move(lo, apart))
      move(lo, hi, apart);
  }
  std::size_t count() const { return count_; }
  bool is_moved(Index v) const { return to_[v] != no_index; }
  /// Where a vertex is now; what it was moved to may have been moved on.
  Index place_of(Index v) const {
    while (to_[v] != no_index) v = to_[v];
    return v;
  }

 private:
  bool may_move(Index v, double by) const { return soup_.reach[v] == 0 || soup_.reach[v] + by <= farthest_; }
  void move(Index v, Index to, double by) {
    to_[v] = to;
    soup_.reach.raise(to, by + soup_.reach[v]);
    soup_.maybe_non_manifold[to] = 1;
    ++count_;
  }
  Soup& soup_;
  double tolerance_, farthest_;
  std::vector<Index> to_;
  std::size_t count_ = 0;
};

/// @param may_meet  per pair; of the others no vertices are as near
/// @return how many vertices are no more
std::size_t merge_vertices(Soup& soup, const std::vector<TrianglePair>& pairs, const std::vector<char>& may_meet, const std::vector<Index>& involved,
                           double tolerance, double farthest, const Control& control) {
  Merging merging(soup, tolerance, farthest);
  for (std::size_t k = 0; k < pairs.size(); ++k) {
    if (!may_meet[k]) continue;
    check_stop(control);
    for (Index a : soup.triangles[pairs[k].s])
      for (Index b : soup.triangles[pairs[k].t])
        if (a != b) merging.meet(a, b);
  }
  if (merging.count() == 0) return 0;
  for (Index i : involved)
    for (Index& v : soup.triangles[i])
      if (merging.is_moved(v)) {
        v = merging.place_of(v);
        soup.moved.set(v);
        soup.provenance[i].whole = false;
        soup.needs_self_test.set(i);
      }
  return merging.count();
}

class Contacts {
 public:
  /// What some pairs of triangles have to tell of each other.
  struct Found {
    struct Crossing {
      EdgeKey here, there;
      Vec3 at;
      double off;  ///< of each edge
    };
    struct Bend {
      Index point;
      double off;
    };
    std::vector<Cuts::EdgePoint> edge_points;
    std::vector<Cuts::FacePoint> face_points;
    std::vector<Cuts::Segment> segments;
    std::vector<Crossing> crossings;
    std::vector<Bend> bends;  ///< edges and faces that go through a point beside them from now on
    std::vector<Index> touched, nearly;
    bool any_inexact = false;

    void touch(Index i) { touched.push_back(i); }
    void note_moved(Index i, double by) {
      if (by > 0) nearly.push_back(i);
    }
  };

  Contacts(Soup& soup, double tolerance, const Control& control) : soup_(soup), tolerance_(tolerance), control_(control), given_points_(soup.points.size()) {}
  std::size_t given_points() const { return given_points_; }

  /// Looks at pairs on all cores and takes what was found in their order. Throws Stopped.
  /// @param look  look(number of the pair, Found&)
  void for_each(std::size_t pairs, auto&& look) {
    constexpr std::size_t chunk = 4096;
    std::vector<Found> found((pairs + chunk - 1) / chunk);
    MetPlaces places;
    tbb::parallel_for(std::size_t{0}, found.size(), [&](std::size_t n) {
      check_stop(control_);
      for (std::size_t k = n * chunk; k < std::min(pairs, (n + 1) * chunk); ++k) look(k, found[n]);
      places.add(found[n].edge_points.size() + found[n].face_points.size() + found[n].segments.size() + found[n].crossings.size());
    });
    const auto take = [](auto& all, const auto& some) { all.insert(all.end(), some.begin(), some.end()); };
    for (const Found& some : found) {
      take(cuts_.edge_points, some.edge_points);
      take(cuts_.face_points, some.face_points);
      take(cuts_.segments, some.segments);
      take(touched_, some.touched);
      take(nearly_, some.nearly);
      take(bends_, some.bends);
      any_inexact_ = any_inexact_ || some.any_inexact;
      for (const auto& [here, there, p, off] : some.crossings) {
        const auto [it, is_new] = crossings_.try_emplace({here, there}, static_cast<Index>(given_points_ + new_points_.size()));
        if (is_new) new_points_.push_back(p);
        bends_.push_back({it->second, off});
        cuts_.edge_points.push_back({here.first, here.second, it->second});
        cuts_.edge_points.push_back({there.first, there.second, it->second});
      }
    }
  }

  /// False when a first look tells that vertices_on and edges_past have nothing to do with the triangles of these two.
  bool may_meet(const Face& s, const Face& t) const {
    const Look of_s = look(s, t), of_t = look(t, s);
    if (of_s.is == Look::beyond || of_t.is == Look::beyond) return false;
    if (of_s.is == Look::near || of_t.is == Look::near) return s.size() != 3 || t.size() != 3 || comes_near(s, t);
    for (std::size_t i = 0; i < of_s.crossing; ++i)
      for (std::size_t j = 0; j < of_t.crossing; ++j) {
        const Index a = s[of_s.edges[i]], b = s[of_s.edges[i] + 1], c = t[of_t.edges[j]], d = t[of_t.edges[j] + 1];
        if (overlap(edge_box(a, b, tolerance_), edge_box(c, d, tolerance_)) && lines_are_near(a, b, c, d)) return true;
      }
    return false;
  }
  Face face(Index t) const { return {soup_.triangles[t], t, false}; }

  /// The vertices of one triangle against the edges and the inside of the other.
  void vertices_on(Index from, Index onto, Found& found) const {
    const Triangle &s = soup_.triangles[from], &t = soup_.triangles[onto];
    const Plane plane = plane_of(t);
    const auto& [origin, normal, length] = plane;
    for (Index v : s) {
      if (is_corner(t, v)) continue;
      const Vec3& p = soup_.points[v];
      if (!is_near(plane, p)) continue;
      bool at_edge = false;
      for (std::size_t k = 0; k < 3 && !at_edge; ++k) {
        if (soup_.is_inner(onto, k)) continue;
        const Index a = t[k], b = t[(k + 1) % 3];
        const double share = nearest_on(at(a), at(b), p);
        if (share <= 0 || share >= 1) continue;
        const double off = (at(a) + share * (at(b) - at(a)) - p).norm();
        if (off > tolerance_) continue;
        at_edge = true;
        found.any_inexact = found.any_inexact || !collinear(at(a), at(b), p);
        // On a line that only cuts a flat face into triangles, what counts is how far it lay from the face.
        found.note_moved(onto, is_seen(onto, k) || !(length > 0) ? off : std::abs(normal.dot(p - origin)) / length);
        found.edge_points.push_back({edge_key(a, b).first, edge_key(a, b).second, v});
        found.bends.push_back({v, off});
      }
      if (at_edge) {
        found.touch(onto);
        continue;
      }
      if (!(length > 0) || !is_inside(onto, plane, p, 0)) continue;
      found.face_points.push_back({soup_.facet_of(onto), v});
      found.any_inexact = found.any_inexact || orient3d(at(t[0]), at(t[1]), at(t[2]), p) != 0;
      const double off = std::abs(normal.dot(p - origin)) / length;
      found.bends.push_back({v, off});
      found.note_moved(onto, off);
      found.touch(onto);
    }
  }

  /// Triangles of two facets that lie on each other at a common edge: the facets must come out in the same pieces even where
  /// they have all corners in common, and nothing else is found.
  void lies_on(Index first, Index second, Found& found) const {
    const Triangle &s = soup_.triangles[first], &t = soup_.triangles[second];
    if (std::count_if(s.begin(), s.end(), [&](Index v) { return is_corner(t, v); }) != 2) return;
    const Plane plane = plane_of(s);
    const auto own = static_cast<std::size_t>(std::find_if(s.begin(), s.end(), [&](Index v) { return !is_corner(t, v); }) - s.begin());
    const Vec3& other = at(*std::find_if(t.begin(), t.end(), [&](Index v) { return !is_corner(s, v); }));
    const Vec3 &a = at(s[(own + 1) % 3]), &b = at(s[(own + 2) % 3]);
    if (!is_near(plane, other) || !(plane.normal.dot((b - a).cross(other - a)) > 0)) return;
    auto is_alone = [&](Index i) { return !soup_.is_inner(i, 0) && !soup_.is_inner(i, 1) && !soup_.is_inner(i, 2); };
    if (is_alone(first) && is_alone(second)) return;
    found.any_inexact = found.any_inexact || orient3d(at(s[0]), at(s[1]), at(s[2]), other) != 0;
    found.touch(first);
    found.touch(second);
  }

  /// Edges that pass each other nearer than the tolerance, away from their ends, get a common vertex.
  void edges_past(Index first, Index second, Found& found) const {
    const Triangle &s = soup_.triangles[first], &t = soup_.triangles[second];
    for (std::size_t j = 0; j < 3; ++j)
      for (std::size_t k = 0; k < 3; ++k) {
        const Index a = s[j], b = s[(j + 1) % 3], c = t[k], d = t[(k + 1) % 3];
        if (soup_.is_inner(first, j) || soup_.is_inner(second, k) || !lines_are_near(a, b, c, d)) continue;
        const Vec3 u = at(b) - at(a), v = at(d) - at(c), w = at(a) - at(c);
        const double uu = u.dot(u), uv = u.dot(v), vv = v.dot(v), det = uu * vv - uv * uv;
        if (!(det > 1e-14 * uu * vv)) continue;  // along each other: their ends see to it
        const double x = (uv * v.dot(w) - vv * u.dot(w)) / det, y = (uu * v.dot(w) - uv * u.dot(w)) / det;
        if (x <= 0 || x >= 1 || y <= 0 || y >= 1) continue;
        const Vec3 p = at(a) + x * u, q = at(c) + y * v;
        if ((p - q).norm() > tolerance_) continue;
        bool near_end = false;
        for (Index e : {a, b}) near_end = near_end || near(at(e), c, d);
        for (Index e : {c, d}) near_end = near_end || near(at(e), a, b);
        if (near_end) continue;
        found.any_inexact = found.any_inexact || orient3d(at(a), at(b), at(c), at(d)) != 0;
        const EdgeKey one = edge_key(a, b), two = edge_key(c, d);
        const EdgeKey here = std::min(one, two), there = std::max(one, two);
        found.crossings.push_back({here, there, 0.5 * (p + q), 0.5 * (p - q).norm()});
        if (is_seen(first, j) && is_seen(second, k)) found.note_moved(first, (p - q).norm());
        found.touch(first);
        found.touch(second);
      }
  }

  /// Pieces of the edges of one triangle that lie on the facet of the other become segments there.
  void edges_along(Index from, Index onto, const PointsAlong& along, Found& found) const {
    const Triangle& s = soup_.triangles[from];
    const Index facet = soup_.facet_of(onto);
    const bool by_itself = !soup_.is_inner(onto, 0) && !soup_.is_inner(onto, 1) && !soup_.is_inner(onto, 2);
    const Plane plane = plane_of(soup_.triangles[onto]);
    for (std::size_t k = 0; k < 3; ++k) {
      if (soup_.is_inner(from, k)) continue;
      const EdgeKey edge = edge_key(s[k], s[(k + 1) % 3]);
      Index last = edge.first;
      std::span<const Place> a = places(facet, last);
      auto go_to = [&](Index next) {
        const std::span<const Place> b = places(facet, next);
        // Neither outside nor along one edge; between two places of a facet that is not convex there may be none of it.
        if (!a.empty() && !b.empty() && !on_one_edge(a, b) && (by_itself || is_inside(onto, plane, 0.5 * (at(last) + at(next)), tolerance_))) {
          found.segments.push_back({facet, last, next, soup_.facet_of(from), no_index, no_index});
          found.touch(from);
          found.touch(onto);
        }
        last = next;
        a = b;
      };
      for (const auto& point : along.of(edge)) go_to(point.point);
      go_to(edge.second);
    }
  }

  /// Marks what the points found so far cut: facets with a point on them, and every one at a split edge. Readies edges_along.
  /// @param involved  all triangles that may be; whole facets come to it
  void mark_touched(std::vector<Index>& involved, const PointsAlong& along) {
    cuts_.touched.assign(soup_.triangles.size(), 0);
    for (Index i : involved)
      for (std::size_t k = 0; k < 3 && !soup_.removed[i]; ++k)
        if (!soup_.is_inner(i, k) && !along.of(edge_key(soup_.triangles[i][k], soup_.triangles[i][(k + 1) % 3])).empty())
          cuts_.touched[soup_.facet_of(i)] = 1;
    spread_touched(involved);
    for (Index i : involved) {
      if (!cuts_.touched[i] || soup_.removed[i]) continue;
      const Triangle& t = soup_.triangles[i];
      const Index facet = soup_.facet_of(i);
      for (std::size_t k = 0; k < 3; ++k) {
        if (soup_.is_inner(i, k)) continue;
        const Index edge = 3 * i + static_cast<Index>(k);
        places_.push_back({facet, t[k], edge});
        places_.push_back({facet, t[(k + 1) % 3], edge});
        for (const auto& p : along.of(edge_key(t[k], t[(k + 1) % 3]))) places_.push_back({facet, p.point, edge});
      }
      for (std::size_t k = 0; k < 3; ++k)
        if (soup_.is_inner(i, k) && soup_.is_inner(i, (k + 2) % 3)) places_.push_back({facet, t[k], no_index});
    }
    for (const auto& p : cuts_.face_points) places_.push_back({p.triangle, p.point, no_index});
    first_place_ = bucket_sort(places_, soup_.triangles.size(), [](const Place& place) { return place.facet; });
  }
  /// Puts the points at which edges pass each other into the soup, and notes how far edges and faces are bent to points.
  void add_points() {
    for (const Vec3& p : new_points_) {
      soup_.points.push_back(p);
      soup_.moved.append(true);
      soup_.maybe_non_manifold.push_back(1);
    }
    for (const auto& [point, off] : bends_) soup_.reach.raise(point, off);
  }
  /// Of all that is near, something does not meet exactly already.
  bool any_inexact() const { return any_inexact_; }
  bool is_touched(Index i) const { return cuts_.touched[i]; }
  /// Triangles that met another nearly, not exactly.
  std::vector<Index> nearly() {
    std::sort(nearly_.begin(), nearly_.end());
    nearly_.erase(std::unique(nearly_.begin(), nearly_.end()), nearly_.end());
    return nearly_;
  }

  /// @param involved  as mark_touched has it
  Cuts finish(std::vector<Index>& involved) {
    spread_touched(involved);
    // Equal pieces are found among all that changed: two thin triangles may share a border.
    cuts_.coplanar = cuts_.touched;
    auto key = [](const Cuts::Segment& s) { return std::tuple(s.triangle, std::min(s.from, s.to), std::max(s.from, s.to)); };
    std::sort(cuts_.segments.begin(), cuts_.segments.end(), [&](const auto& a, const auto& b) { return key(a) < key(b); });
    cuts_.segments.erase(std::unique(cuts_.segments.begin(), cuts_.segments.end(),
                                     [&](const auto& a, const auto& b) { return key(a) == key(b); }),
                         cuts_.segments.end());
    return std::move(cuts_);
  }

  /// Also readies what edges_along needs.
  PointsAlong points_along() {
    std::sort(cuts_.face_points.begin(), cuts_.face_points.end(), [](const auto& a, const auto& b) {
      return std::tie(a.triangle, a.point) < std::tie(b.triangle, b.point);
    });
    return PointsAlong(cuts_.edge_points, soup_.points);
  }

 private:
  /// How the corners of one face lie to the plane of another, and which edges go through it where none is near.
  struct Look {
    enum { beyond, through, near } is;
    std::array<int, 8> edges{};
    std::size_t crossing = 0;
  };
  Look look(const Face& face, const Face& other) const {
    const auto& [origin, normal, length] = plane_of(soup_.triangles[other.triangle]);
    const double most = tolerance_ * length;
    bool any_above = false, any_below = false, all_on = true;
    Look look{Look::through};
    const int n = face.size();
    auto side_of = [&](Index v) {
      const double height = normal.dot(at(v) - origin);
      return height > most ? 1 : height < -most ? -1 : 0;
    };
    int here = side_of(face[n - 1]);
    for (int k = 0; k < n; ++k) {
      const int before = here;
      here = side_of(face[k]);
      any_above = any_above || here > 0;
      any_below = any_below || here < 0;
      if (here == 0) {
        if (!other.has(face[k])) return {Look::near};
        any_above = any_below = true;
      } else {
        all_on = false;
      }
      if (before * here > 0) continue;
      if (look.crossing == look.edges.size()) {
        if (!all_on) return {Look::near};
        continue;
      }
      look.edges[look.crossing++] = k == 0 ? n - 1 : k - 1;
    }
    if (all_on) return {Look::near};
    if (!(any_above && any_below)) return {Look::beyond};
    return look;
  }
  /// Of two triangles: has one a corner near the other, or do edges of theirs pass near each other?
  bool comes_near(const Face& s, const Face& t) const {
    if (has_corner_near(s.triangle, t.triangle) || has_corner_near(t.triangle, s.triangle)) return true;
    for (int j = 0; j < 3; ++j)
      for (int k = 0; k < 3; ++k) {
        const Index a = s[j], b = s[j + 1], c = t[k], d = t[k + 1];
        if (overlap(edge_box(a, b, tolerance_), edge_box(c, d, tolerance_)) && lines_are_near(a, b, c, d)) return true;
      }
    return false;
  }
  /// Near is what is within twice the tolerance, so that rounding leaves nothing out; next to corners, whatever the plane of a sliver is.
  bool has_corner_near(Index triangle, Index of) const {
    const Triangle& t = soup_.triangles[triangle];
    const Plane plane = plane_of(t);
    return std::ranges::any_of(soup_.triangles[of], [&](Index v) {
      if (std::ranges::any_of(t, [&](Index corner) { return (at(v) - at(corner)).squaredNorm() <= 4 * tolerance_ * tolerance_; })) return true;
      if (std::abs(plane.normal.dot(at(v) - plane.origin)) > 2 * tolerance_ * plane.length) return false;
      for (std::size_t k = 0; k < 3; ++k) {
        const Vec3 edge = at(t[(k + 1) % 3]) - at(t[k]);
        if (plane.normal.dot(edge.cross(at(v) - at(t[k]))) < -2 * tolerance_ * plane.length * edge.norm()) return false;
      }
      return true;
    });
  }
  Box3 edge_box(Index a, Index b, double margin) const {
    Box3 box;
    box.lo = at(a).cwiseMin(at(b)).array() - margin;
    box.hi = at(a).cwiseMax(at(b)).array() + margin;
    return box;
  }
  /// Plane of a triangle; the normal is not of length one.
  struct Plane {
    Vec3 origin, normal;
    double length;
  };
  Plane plane_of(const Triangle& t) const {
    const Vec3 normal = (at(t[1]) - at(t[0])).cross(at(t[2]) - at(t[0]));
    return {at(t[0]), normal, normal.norm()};
  }
  bool is_near(const Plane& plane, const Vec3& p) const {
    return std::abs(plane.normal.dot(p - plane.origin)) <= tolerance_ * plane.length;
  }
  /// Is the edge (k, k + 1) one that people see, and not a line that cuts a flat face into triangles?
  bool is_seen(Index t, std::size_t k) const {
    const Index corner = 3 * t + static_cast<Index>(k);
    if (corner >= soup_.opposite.size() || soup_.opposite[corner] == no_index) return true;
    const Index other = soup_.opposite[corner];
    return !is_near(plane_of(soup_.triangles[t]), at(soup_.triangles[other / 3][(other % 3 + 2) % 3]));
  }
  static bool is_corner(const Triangle& t, Index v) { return v == t[0] || v == t[1] || v == t[2]; }
  /// The lines of two edges without a common end pass each other near enough.
  bool lines_are_near(Index a, Index b, Index c, Index d) const {
    if (a == c || a == d || b == c || b == d) return false;
    const Vec3 across = (at(b) - at(a)).cross(at(d) - at(c));
    const double apart = (at(a) - at(c)).dot(across);
    return apart * apart <= tolerance_ * tolerance_ * across.squaredNorm() * (1 + 1e-9);
  }
  const Vec3& at(Index v) const { return soup_.points[v]; }
  bool near(const Vec3& p, Index a, Index b) const {
    const double share = std::clamp(nearest_on(at(a), at(b), p), 0.0, 1.0);
    return (at(a) + share * (at(b) - at(a)) - p).norm() <= tolerance_;
  }
  /// Does a point near the plane of a triangle lie in it, seen along its normal?
  /// @param beyond  how far it may lie beyond an edge of its facet; beyond a line inside, as far as the tolerance in any case
  bool is_inside(Index triangle, const Plane& plane, const Vec3& p, double beyond) const {
    const Triangle& t = soup_.triangles[triangle];
    bool inside = true;
    for (std::size_t k = 0; k < 3 && inside; ++k) {
      const Vec3 edge = at(t[(k + 1) % 3]) - at(t[k]);
      const double most = soup_.is_inner(triangle, k) ? tolerance_ : beyond, area = plane.normal.dot(edge.cross(p - at(t[k])));
      inside = most > 0 ? area >= -most * plane.length * edge.norm() : area > 0;
    }
    return inside;
  }
  /// Makes all triangles of a facet with a touched one touched and involved.
  void spread_touched(std::vector<Index>& involved) {
    for (Index i : touched_) cuts_.touched[soup_.facet_of(i)] = 1;
    if (soup_.facet.empty()) return;
    std::vector<char> is_involved(soup_.triangles.size(), 0);
    for (Index i : involved) is_involved[i] = 1;
    for (Index t = 0; t < soup_.facet.size(); ++t) {
      if (!cuts_.touched[soup_.facet[t]] || soup_.removed[t]) continue;
      cuts_.touched[t] = 1;
      is_involved[t] = 1;
    }
    involved.clear();
    for (Index t = 0; t < is_involved.size(); ++t)
      if (is_involved[t]) involved.push_back(t);
  }

  /// A point that belongs to a touched facet, and a corner from which an edge of the facet runs that it lies on; no_index when
  /// it lies inside.
  struct Place {
    Index facet, point, edge;
    bool operator<(const Place& o) const { return std::tie(point, edge) < std::tie(o.point, o.edge); }
  };
  std::span<const Place> places(Index facet, Index point) const {
    const Place *begin = places_.data() + first_place_[facet], *end = places_.data() + first_place_[facet + 1];
    const auto [first, last] = std::equal_range(begin, end, Place{facet, point, 0}, [](const Place& a, const Place& b) { return a.point < b.point; });
    return {first, last};
  }
  static bool on_one_edge(std::span<const Place> a, std::span<const Place> b) {
    for (const Place& p : a)
      for (const Place& q : b)
        if (p.edge == q.edge && p.edge != no_index) return true;
    return false;
  }

  Soup& soup_;
  double tolerance_;
  const Control& control_;
  std::size_t given_points_;
  Cuts cuts_;
  std::vector<Index> touched_, nearly_;
  std::vector<Found::Bend> bends_;
  bool any_inexact_ = false;
  std::vector<Place> places_;       ///< by facet, point and edge
  std::vector<Index> first_place_;  ///< per facet
  std::map<std::pair<EdgeKey, EdgeKey>, Index> crossings_;
  std::vector<Vec3> new_points_;  ///< at crossings, numbered on from the given ones
};

/// The soup while contact changes it: which triangles are new or changed, and what lay against them.
class Changes {
 public:
  Changes(Soup& soup, std::vector<Index>& involved) : soup_(soup), involved_(involved) {}

  /// A triangle leaves its place in the surface.
  void leave(Index t) {
    changed_.push_back(t);
    for (Index k = 0; k < 3; ++k) {
      Index& opposite = soup_.opposite[3 * t + k];
      if (!soup_.inner.empty()) soup_.inner[3 * t + k] = 0;
      if (opposite == no_index) continue;
      if (!soup_.inner.empty()) soup_.inner[opposite] = 0;
      old_opposites_.push_back(opposite);
      opposite = no_index;
    }
    soup_.needs_self_test.set(t);
  }
  void drop(Index t) {
    soup_.removed.spread(soup_.triangles.size());
    leave(t);
    soup_.removed.set(t);
  }
  void replace(Index t, const Triangle& corners, const FaceProvenance& provenance) {
    leave(t);
    soup_.triangles[t] = corners;
    soup_.provenance[t] = provenance;
  }
  /// One more triangle out of another. @return its number
  Index add(Index from, const Triangle& corners, const FaceProvenance& provenance) {
    const auto t = static_cast<Index>(soup_.triangles.size());
    soup_.triangles.push_back(corners);
    soup_.provenance.push_back(provenance);
    soup_.part.push_back(soup_.part[from]);
    soup_.needs_self_test.append(true);
    soup_.active.append(true);
    soup_.removed.append(false);
    soup_.opposite.insert(soup_.opposite.end(), 3, no_index);
    if (!soup_.inner.empty()) soup_.inner.insert(soup_.inner.end(), 3, 0);
    changed_.push_back(t);
    involved_.push_back(t);
    return t;
  }

  /// Takes triangles without area out of the surface and keeps it closed: one with its corners on a line goes, and all
  /// others at its long edge are cut there in its middle corner.
  /// @param queue  triangles that may have no area
  /// @return new triangles and what each was cut from
  std::vector<std::pair<Index, Index>> flatten(std::vector<Index> queue) {
    std::vector<std::pair<Index, Index>> added;
    std::map<EdgeKey, std::vector<Index>> at_edge;
    const std::size_t most = 16 * queue.size() + 1'000;
    for (std::size_t k = 0; k < queue.size(); ++k) {
      if (queue.size() > most) throw Contradiction("flat faces come back");
      const Index t = queue[k];
      if (soup_.removed[t]) continue;
      const Triangle corners = soup_.triangles[t];
      if (corners[0] == corners[1] || corners[1] == corners[2] || corners[2] == corners[0]) {
        drop(t);
        continue;
      }
      const Vec3 p[] = {soup_.points[corners[0]], soup_.points[corners[1]], soup_.points[corners[2]]};
      if (!collinear(p[0], p[1], p[2])) continue;
      if (at_edge.empty())
        for (Index i : involved_)
          if (!soup_.removed[i]) note_edges(i, at_edge);
      std::size_t middle = 0;
      for (std::size_t c = 1; c < 3; ++c)
        if ((p[(c + 1) % 3] - p[(c + 2) % 3]).squaredNorm() > (p[(middle + 1) % 3] - p[(middle + 2) % 3]).squaredNorm()) middle = c;
      const Index m = corners[middle], a = corners[(middle + 1) % 3], b = corners[(middle + 2) % 3];
      drop(t);
      const std::vector<Index> others = at_edge[edge_key(a, b)];
      for (Index other : others) {
        if (soup_.removed[other]) continue;
        Triangle now = soup_.triangles[other];
        FaceProvenance provenance = soup_.provenance[other];
        std::size_t e = 0;
        while (e < 3 && edge_key(now[e], now[(e + 1) % 3]) != edge_key(a, b)) ++e;
        if (e == 3) continue;  // cut before
        std::rotate(now.begin(), now.begin() + static_cast<std::ptrdiff_t>(e), now.end());
        const unsigned bits = (provenance.scored >> e | static_cast<unsigned>(provenance.scored) << (3 - e)) & 7u;
        provenance.whole = false;
        provenance.scored = static_cast<unsigned char>(bits & 5u);
        replace(other, {now[0], m, now[2]}, provenance);
        provenance.scored = static_cast<unsigned char>(bits & 3u);
        const Index piece = add(other, {m, now[1], now[2]}, provenance);
        added.emplace_back(piece, other);
        for (Index i : {other, piece}) {
          note_edges(i, at_edge);
          queue.push_back(i);
        }
      }
    }
    return added;
  }

  /// Joins edges of changed triangles, and those that lay against them, to opposites anew.
  void mend_opposites() {
    std::sort(changed_.begin(), changed_.end());
    changed_.erase(std::unique(changed_.begin(), changed_.end()), changed_.end());
    struct Use {
      Index part, lo, hi, corner;
      auto operator<=>(const Use&) const = default;
    };
    std::vector<Use> uses;
    auto add_use = [&](Index corner) {
      const Triangle& t = soup_.triangles[corner / 3];
      const Index a = t[corner % 3], b = t[(corner % 3 + 1) % 3];
      uses.push_back({soup_.part[corner / 3], std::min(a, b), std::max(a, b), corner});
    };
    for (Index t : changed_)
      for (Index k = 0; k < 3 && !soup_.removed[t]; ++k) add_use(3 * t + k);
    for (Index corner : old_opposites_)
      if (!soup_.removed[corner / 3]) add_use(corner);
    std::sort(uses.begin(), uses.end());
    uses.erase(std::unique(uses.begin(), uses.end()), uses.end());
    for (std::size_t i = 0; i < uses.size();) {
      std::size_t j = i;
      while (j < uses.size() && uses[j].part == uses[i].part && uses[j].lo == uses[i].lo && uses[j].hi == uses[i].hi)
        soup_.opposite[uses[j++].corner] = no_index;
      if (j - i == 2) {
        const Index a = uses[i].corner, b = uses[i + 1].corner;
        if (soup_.triangles[a / 3][a % 3] != soup_.triangles[b / 3][b % 3]) soup_.opposite[a] = b, soup_.opposite[b] = a;
      }
      i = j;
    }
    for (Index t : changed_)
      for (Index v : soup_.triangles[t]) soup_.maybe_non_manifold[v] = 1;
  }

 private:
  void note_edges(Index t, std::map<EdgeKey, std::vector<Index>>& at_edge) const {
    const Triangle& c = soup_.triangles[t];
    for (std::size_t k = 0; k < 3; ++k) at_edge[edge_key(c[k], c[(k + 1) % 3])].push_back(t);
  }

  Soup& soup_;
  std::vector<Index>& involved_;
  std::vector<Index> changed_, old_opposites_;
};

/// Adds to each pair those of what was cut off the two.
/// @param cut  new triangles and what each was cut from, which may be a new one
void pair_pieces(const std::vector<std::pair<Index, Index>>& cut, std::vector<TrianglePair>& pairs) {
  if (cut.empty()) return;
  std::map<Index, Index> given;  // of a new triangle: the one that it was part of in the beginning
  std::map<Index, std::vector<Index>> pieces_of;
  for (const auto& [piece, from] : cut) {
    const auto it = given.find(from);
    const Index first = it == given.end() ? from : it->second;
    given.emplace(piece, first);
    pieces_of[first].push_back(piece);
  }
  const std::vector<Index> none;
  auto pieces = [&](Index t) -> const std::vector<Index>& {
    const auto it = pieces_of.find(t);
    return it == pieces_of.end() ? none : it->second;
  };
  const std::size_t before = pairs.size();
  for (std::size_t k = 0; k < before; ++k) {
    const TrianglePair pair = pairs[k];
    for (Index piece : pieces(pair.s)) {
      pairs.push_back({piece, pair.t});
      for (Index other : pieces(pair.t)) pairs.push_back({piece, other});
    }
    for (Index other : pieces(pair.t)) pairs.push_back({pair.s, other});
  }
}

/// What a person sees as one place, an edge or a face, is many triangles: those that hang together count once.
void count_places(const std::vector<Triangle>& met, const std::vector<Vec3>& points, ContactCount& count) {
  if (met.empty()) return;
  UnionFind sets(points.size());
  for (const auto& [a, b, c] : met) sets.unite(a, b), sets.unite(b, c);
  std::set<Index> seen;
  for (const auto& [a, b, c] : met) {
    if (!seen.insert(sets.find(a)).second) continue;
    ++count.places;
    if (count.places_at.size() < OperationReport::max_places) count.places_at.push_back((points[a] + points[b] + points[c]) / 3);
  }
}

/// On the facets that the soup has.
/// @param all_exact  they are all exactly flat
ContactCount make_facets_meet(Soup& soup, std::vector<TrianglePair> pairs, double tolerance, double farthest, bool all_exact, const Control& control) {
  ContactCount count;
  const bool none_moved = soup.moved.uniform();
  soup.moved.spread(soup.points.size());
  soup.needs_self_test = Flags::none();
  soup.needs_self_test.spread(soup.triangles.size());
  // All that can change lies in pairs, unless only some triangles were asked for.
  std::vector<Index> involved;
  const bool all_active = soup.active.uniform();
  if (all_active) {
    for (const TrianglePair& pair : pairs) involved.insert(involved.end(), {pair.s, pair.t});
    tbb::parallel_sort(involved.begin(), involved.end());
    involved.erase(std::unique(involved.begin(), involved.end()), involved.end());
  } else {
    involved.resize(soup.triangles.size());
    std::iota(involved.begin(), involved.end(), Index{0});
  }
  // Most pairs are nowhere near contact, which all cores tell.
  std::vector<char> may_meet;
  auto look_at_pairs = [&] {
    const Contacts contacts(soup, tolerance, control);
    may_meet.assign(pairs.size(), 0);
    const FacePairs faces(soup, pairs);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, faces.size(), 64), [&](const auto& range) {
      check_stop(control);
      for (std::size_t k = range.begin(); k < range.end(); ++k) {
        const auto [s, t] = faces[k];
        if ((s.is_facet || t.is_facet) && !contacts.may_meet(s, t)) continue;
        faces.for_each_of(k, [&](Index pair) { may_meet[pair] = contacts.may_meet(contacts.face(pairs[pair].s), contacts.face(pairs[pair].t)); });
      }
    });
  };
  look_at_pairs();
  const bool merged = merge_vertices(soup, pairs, may_meet, involved, tolerance, farthest, control) > 0;
  std::vector<Triangle> met;
  for (Index i : involved)
    if (soup.needs_self_test[i]) met.push_back(soup.triangles[i]);

  Changes changes(soup, involved);
  std::vector<Index> maybe_flat;
  for (Index i : involved) {
    if (soup.needs_self_test[i]) changes.leave(i);
    if (soup.needs_self_test[i] || (!all_active && soup.active[i])) maybe_flat.push_back(i);
  }
  if (!maybe_flat.empty()) {
    // What is cut off a triangle meets what that met.
    pair_pieces(changes.flatten(std::move(maybe_flat)), pairs);
    std::erase_if(pairs, [&](const TrianglePair& pair) { return soup.removed[pair.s] || soup.removed[pair.t]; });
    find_facets(soup);
    look_at_pairs();
  }

  Contacts contacts(soup, tolerance, control);
  contacts.for_each(pairs.size(), [&](std::size_t k, Contacts::Found& found) {
    if (!may_meet[k]) return;
    const TrianglePair& pair = pairs[k];
    contacts.vertices_on(pair.s, pair.t, found);
    contacts.vertices_on(pair.t, pair.s, found);
    contacts.edges_past(pair.s, pair.t, found);
    contacts.lies_on(pair.s, pair.t, found);
  });
  auto unchanged = [&] {
    soup.needs_self_test = Flags::none();
    if (none_moved) soup.moved = Flags::none();
    return count;
  };
  // What meets exactly is left to the exact stages: they need no rounded points for it.
  if (!merged && soup.removed.uniform() && all_exact && !contacts.any_inexact()) return unchanged();
  contacts.add_points();
  const auto along = contacts.points_along();
  contacts.mark_touched(involved, along);
  // Only where a triangle has points can an edge of another that is near run along it.
  contacts.for_each(pairs.size(), [&](std::size_t k, Contacts::Found& found) {
    if (!may_meet[k]) return;
    const TrianglePair& pair = pairs[k];
    if (contacts.is_touched(pair.t)) contacts.edges_along(pair.s, pair.t, along, found);
    if (contacts.is_touched(pair.s)) contacts.edges_along(pair.t, pair.s, along, found);
  });
  check_stop(control);
  Cuts cuts = contacts.finish(involved);
  check_stop(control);
  std::vector<Index> touched;
  for (Index i : involved)
    if (cuts.touched[i]) touched.push_back(i);
  const std::vector<Index> nearly = contacts.nearly();
  for (Index t : nearly) met.push_back(soup.triangles[t]);
  count_places(met, soup.points, count);
  count.changed = merged || !touched.empty() || !soup.removed.uniform();
  if (!count.changed) return unchanged();
  if (!touched.empty()) {
    // Crossings of different edges may have come to the very same place.
    std::vector<Index> ids;
    for (Index t : touched) ids.insert(ids.end(), soup.triangles[t].begin(), soup.triangles[t].end());
    for (auto v = static_cast<Index>(contacts.given_points()); v < soup.points.size(); ++v) ids.push_back(v);
    std::sort(ids.begin(), ids.end());
    ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
    std::vector<Vec3> places;
    for (Index v : ids) places.push_back(soup.points[v]);
    const WeldMap weld = weld_equal(places);
    auto welded = [&](Index v) {
      const auto at = std::lower_bound(ids.begin(), ids.end(), v);
      return at == ids.end() || *at != v ? v : ids[weld.first[weld.id[static_cast<std::size_t>(at - ids.begin())]]];
    };
    const std::vector<Vec3> given = soup.points;
    Arrangement arrangement(given);
    subdivide(soup, cuts, arrangement, control, true);
    std::vector<char> placed(soup.triangles.size(), 0);
    std::vector<Index> cut;
    for (std::size_t f = 0; f < arrangement.faces.size(); ++f)
      for (const auto& source : arrangement.sources_of(f)) {
        const Index from = source.triangle;
        Triangle t = arrangement.faces[f];
        unsigned bits = source.scored;
        if (!source.same_way) {
          std::swap(t[1], t[2]);
          bits = (bits >> 2 & 1u) | (bits & 2u) | (bits & 1u) << 2;
        }
        for (Index& v : t) v = welded(v);
        FaceProvenance provenance = soup.provenance[from];
        provenance.whole = false;
        provenance.scored = static_cast<unsigned char>(bits);
        if (placed[from]) {
          cut.push_back(changes.add(from, t, provenance));
        } else {
          placed[from] = 1;
          changes.replace(from, t, provenance);
          cut.push_back(from);
        }
      }
    for (Index t : touched)
      if (!placed[t]) changes.drop(t);
    changes.flatten(std::move(cut));
  }
  changes.mend_opposites();
  find_facets(soup);
  for (std::size_t i = 0; i < soup.triangles.size() && !all_active; ++i)
    if (soup.needs_self_test[i]) soup.active.set(i);
  return count;
}

}  // namespace

ContactCount make_contact(Soup& soup, std::vector<TrianglePair> pairs, double tolerance, double flat_within, double farthest, const Control& control) {
  NearlyFlat nearly_flat(soup, flat_within);
  ContactCount count = make_facets_meet(soup, std::move(pairs), tolerance, farthest, nearly_flat.none(), control);
  nearly_flat.part_again();
  return count;
}

}  // namespace anvil::boolean
