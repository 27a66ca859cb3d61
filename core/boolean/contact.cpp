// SPDX-License-Identifier: GPL-3.0-or-later
// Contact tolerance: what lies closer than a stated length is made to meet exactly, so that the exact stages
// see true contact where a person meant it. Vertices near each other become one; edges and faces get the
// vertices that lie near them; near edges that pass each other get a common vertex. Nothing moves farther
// than the tolerance. Closed parts stay closed: a split edge is split for all its faces.
#include <algorithm>
#include <map>
#include <numeric>

#include "core/boolean/stages.h"
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

/// Vertices nearer than the tolerance become the one with the smallest number.
std::size_t merge_vertices(Soup& soup, const std::vector<TrianglePair>& pairs, double tolerance, std::vector<Vec3>& places) {
  UnionFind sets(soup.points.size());
  const double most = tolerance * tolerance;
  for (const TrianglePair& pair : pairs)
    for (Index a : soup.triangles[pair.s])
      for (Index b : soup.triangles[pair.t])
        if (a != b && (soup.points[a] - soup.points[b]).squaredNorm() <= most) {
          // Chains of near points must not creep: only what is near the one that stays.
          const Index ra = sets.find(a), rb = sets.find(b);
          if (ra != rb && (soup.points[ra] - soup.points[rb]).squaredNorm() <= most) sets.unite(ra, rb);
        }
  std::size_t merged = 0;
  std::vector<char> changed(soup.points.size(), 0);
  for (Index v = 0; v < soup.points.size(); ++v)
    if (sets.find(v) != v) {
      changed[v] = 1;
      soup.special[sets.find(v)] = 1;
      if (places.size() < most_places) places.push_back(soup.points[v]);
      ++merged;
    }
  if (merged == 0) return 0;
  for (std::size_t i = 0; i < soup.triangles.size(); ++i)
    for (Index& v : soup.triangles[i])
      if (changed[v]) {
        v = sets.find(v);
        soup.moved[v] = 1;
        soup.trace[i].whole = false;
        soup.loose[i] = 1;
        if (!soup.tested.empty()) soup.tested[i] = 1;
      }
  return merged;
}

/// Drops what has collapsed and closes the gaps in the numbering; pairs are renumbered or dropped.
void drop_collapsed(Soup& soup, std::vector<TrianglePair>& pairs) {
  std::vector<Index> now(soup.triangles.size(), no_index);
  Soup kept;
  kept.points = std::move(soup.points);
  kept.moved = std::move(soup.moved);
  kept.special = std::move(soup.special);
  kept.crosses_itself = soup.crosses_itself;
  kept.sheet = soup.sheet;
  kept.scores = soup.scores;
  kept.part_begin.push_back(0);
  bool any_flattened = false;
  for (std::size_t part = 0; part < soup.parts(); ++part) {
    bool flattened = false;
    for (Index i = soup.part_begin[part]; i < soup.part_begin[part + 1]; ++i) {
      const Triangle& t = soup.triangles[i];
      if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) continue;
      if (soup.loose[i] && collinear(kept.points[t[0]], kept.points[t[1]], kept.points[t[2]])) {
        flattened = true;
        continue;
      }
      now[i] = static_cast<Index>(kept.triangles.size());
      kept.add(t, static_cast<Index>(part), soup, i);
    }
    // The long edge of a flattened triangle now passes through its third corner.
    if (flattened) kept.crosses_itself[part] = 1;
    any_flattened = any_flattened || flattened;
    kept.part_begin.push_back(static_cast<Index>(kept.triangles.size()));
  }
  if (any_flattened) kept.tested.clear();
  soup = std::move(kept);
  std::erase_if(pairs, [&](TrianglePair& pair) {
    pair = {now[pair.s], now[pair.t]};
    return pair.s == no_index || pair.t == no_index;
  });
}

class Contacts {
 public:
  Contacts(Soup& soup, double tolerance) : soup_(soup), tolerance_(tolerance) {}

  /// The vertices of one triangle against the edges and the inside of the other.
  void vertices_on(Index from, Index onto) {
    const Triangle &s = soup_.triangles[from], &t = soup_.triangles[onto];
    for (Index v : s) {
      if (v == t[0] || v == t[1] || v == t[2]) continue;
      const Vec3& p = soup_.points[v];
      bool at_edge = false;
      for (std::size_t k = 0; k < 3 && !at_edge; ++k) {
        const Index a = t[k], b = t[(k + 1) % 3];
        const double share = nearest_on(at(a), at(b), p);
        if (share <= 0 || share >= 1) continue;
        if ((at(a) + share * (at(b) - at(a)) - p).norm() > tolerance_) continue;
        at_edge = true;
        cuts_.edge_points.push_back({edge_key(a, b).first, edge_key(a, b).second, v});
      }
      if (at_edge) {
        touch(onto);
        continue;
      }
      const Vec3 normal = (at(t[1]) - at(t[0])).cross(at(t[2]) - at(t[0]));
      const double length = normal.norm();
      if (!(length > 0) || std::abs(normal.dot(p - at(t[0]))) > tolerance_ * length) continue;
      bool inside = true;
      for (std::size_t k = 0; k < 3; ++k)
        inside = inside && normal.dot((at(t[(k + 1) % 3]) - at(t[k])).cross(p - at(t[k]))) > 0;
      if (!inside) continue;
      cuts_.face_points.push_back({onto, v});
      touch(onto);
    }
  }

  /// Edges that pass each other nearer than the tolerance, away from their ends, get a common vertex.
  void edges_past(Index first, Index second) {
    const Triangle &s = soup_.triangles[first], &t = soup_.triangles[second];
    for (std::size_t j = 0; j < 3; ++j)
      for (std::size_t k = 0; k < 3; ++k) {
        const Index a = s[j], b = s[(j + 1) % 3], c = t[k], d = t[(k + 1) % 3];
        if (a == c || a == d || b == c || b == d) continue;
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
        const EdgeKey one = edge_key(a, b), two = edge_key(c, d);
        const EdgeKey here = std::min(one, two), there = std::max(one, two);
        auto [it, is_new] = crossings_.try_emplace({here, there}, static_cast<Index>(soup_.points.size()));
        if (is_new) {
          soup_.points.push_back(0.5 * (p + q));
          soup_.moved.push_back(1);
          soup_.special.push_back(1);
        }
        cuts_.edge_points.push_back({here.first, here.second, it->second});
        cuts_.edge_points.push_back({there.first, there.second, it->second});
        touch(first);
        touch(second);
      }
  }

  /// Pieces of the edges of one triangle that lie on the other become segments there.
  void edges_along(Index from, Index onto, const std::map<EdgeKey, std::vector<Index>>& along) {
    const Triangle &s = soup_.triangles[from], &t = soup_.triangles[onto];
    for (std::size_t k = 0; k < 3; ++k) {
      std::vector<Index> chain{edge_key(s[k], s[(k + 1) % 3]).first};
      if (const auto it = along.find(edge_key(s[k], s[(k + 1) % 3])); it != along.end())
        chain.insert(chain.end(), it->second.begin(), it->second.end());
      chain.push_back(edge_key(s[k], s[(k + 1) % 3]).second);
      for (std::size_t j = 1; j < chain.size(); ++j) {
        const int a = place_in(chain[j - 1], onto, t, along), b = place_in(chain[j], onto, t, along);
        if (a == 0 || b == 0 || (a & b & 7) != 0) continue;  // outside, or along one edge
        cuts_.segments.push_back({onto, chain[j - 1], chain[j], from, no_index, no_index});
        touch(from);
        touch(onto);
      }
    }
  }

  Cuts finish() {
    cuts_.touched.assign(soup_.triangles.size(), 0);
    cuts_.coplanar.assign(soup_.triangles.size(), 0);
    // Every triangle of a split edge is split.
    std::sort(split_.begin(), split_.end());
    for (Index i = 0; i < soup_.triangles.size(); ++i)
      for (std::size_t k = 0; k < 3; ++k)
        if (std::binary_search(split_.begin(), split_.end(), edge_key(soup_.triangles[i][k], soup_.triangles[i][(k + 1) % 3])))
          cuts_.touched[i] = 1;
    for (Index i : touched_) cuts_.touched[i] = 1;
    // Equal pieces are found among all that changed: two thin triangles may share a border.
    cuts_.coplanar = cuts_.touched;
    auto key = [](const Cuts::Segment& s) { return std::tuple(s.triangle, std::min(s.from, s.to), std::max(s.from, s.to)); };
    std::sort(cuts_.segments.begin(), cuts_.segments.end(), [&](const auto& a, const auto& b) { return key(a) < key(b); });
    cuts_.segments.erase(std::unique(cuts_.segments.begin(), cuts_.segments.end(),
                                     [&](const auto& a, const auto& b) { return key(a) == key(b); }),
                         cuts_.segments.end());
    return std::move(cuts_);
  }

  /// Points along each split edge from its smaller to its larger vertex. Also readies what edges_along needs.
  std::map<EdgeKey, std::vector<Index>> points_along() {
    std::map<EdgeKey, std::vector<Index>> along;
    for (const auto& e : cuts_.edge_points) along[{e.lo, e.hi}].push_back(e.point);
    for (auto& [edge, list] : along) {
      std::sort(list.begin(), list.end());
      list.erase(std::unique(list.begin(), list.end()), list.end());
      const Vec3 way = at(edge.second) - at(edge.first);
      std::sort(list.begin(), list.end(), [&](Index a, Index b) { return way.dot(at(a)) < way.dot(at(b)); });
      split_.push_back(edge);
    }
    std::sort(cuts_.face_points.begin(), cuts_.face_points.end(), [](const auto& a, const auto& b) {
      return std::tie(a.triangle, a.point) < std::tie(b.triangle, b.point);
    });
    return along;
  }

 private:
  const Vec3& at(Index v) const { return soup_.points[v]; }
  void touch(Index i) { touched_.push_back(i); }
  bool near(const Vec3& p, Index a, Index b) const {
    const double share = std::clamp(nearest_on(at(a), at(b), p), 0.0, 1.0);
    return (at(a) + share * (at(b) - at(a)) - p).norm() <= tolerance_;
  }
  /// Bits of the edges of t on which a point lies, 8 for the inside, 0 when it does not belong to t.
  int place_in(Index point, Index triangle, const Triangle& t, const std::map<EdgeKey, std::vector<Index>>& along) const {
    int bits = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const Index a = t[k], b = t[(k + 1) % 3];
      if (point == a || point == b) bits |= 1 << k;
      const auto it = along.find(edge_key(a, b));
      if (it != along.end() && std::find(it->second.begin(), it->second.end(), point) != it->second.end()) bits |= 1 << k;
    }
    if (bits != 0) return bits;
    const Cuts::FacePoint wanted{triangle, point};
    const bool inside = std::binary_search(cuts_.face_points.begin(), cuts_.face_points.end(), wanted, [](const auto& a, const auto& b) {
      return std::tie(a.triangle, a.point) < std::tie(b.triangle, b.point);
    });
    return inside ? 8 : 0;
  }

  Soup& soup_;
  double tolerance_;
  Cuts cuts_;
  std::vector<Index> touched_;
  std::vector<EdgeKey> split_;
  std::map<std::pair<EdgeKey, EdgeKey>, Index> crossings_;
};

}  // namespace

ContactCount make_contact(Soup& soup, std::vector<TrianglePair> pairs, double tolerance, const Control& control) {
  ContactCount count;
  const bool had_moved = !soup.moved.empty();
  if (!had_moved) soup.moved.assign(soup.points.size(), 0);
  soup.loose.assign(soup.triangles.size(), 0);
  count.vertices = merge_vertices(soup, pairs, tolerance, count.places);
  if (count.vertices > 0) drop_collapsed(soup, pairs);

  Contacts contacts(soup, tolerance);
  for (const TrianglePair& pair : pairs) {
    contacts.vertices_on(pair.s, pair.t);
    contacts.vertices_on(pair.t, pair.s);
    contacts.edges_past(pair.s, pair.t);
  }
  check_stop(control);
  const auto along = contacts.points_along();
  for (const TrianglePair& pair : pairs) {
    contacts.edges_along(pair.s, pair.t, along);
    contacts.edges_along(pair.t, pair.s, along);
  }
  Cuts cuts = contacts.finish();
  count.faces = static_cast<std::size_t>(std::count(cuts.touched.begin(), cuts.touched.end(), 1));
  for (std::size_t t = 0; t < cuts.touched.size() && count.places.size() < most_places; ++t)
    if (cuts.touched[t]) count.places.push_back((soup.points[soup.triangles[t][0]] + soup.points[soup.triangles[t][1]] + soup.points[soup.triangles[t][2]]) / 3);
  if (!count.any()) {
    soup.loose.clear();
    if (!had_moved) soup.moved.clear();
    return count;
  }
  if (count.faces > 0) {
    // Crossings of different edges may have come to the very same place.
    const WeldMap weld = weld_equal(soup.points);
    auto welded = [&](Index v) { return weld.first[weld.id[v]]; };
    Arrangement arrangement(soup.points);
    subdivide(soup, cuts, arrangement, control, true);
    Soup out;
    out.points = soup.points;
    out.moved = soup.moved;
    out.special = soup.special;
    out.crosses_itself = soup.crosses_itself;
    out.sheet = soup.sheet;
    out.scores = soup.scores;
    out.part_begin.push_back(0);
    bool flattened = false;
    std::vector<std::vector<std::pair<std::size_t, std::size_t>>> by_part(soup.parts());
    for (std::size_t f = 0; f < arrangement.faces.size(); ++f)
      for (std::size_t k = 0; k < arrangement.sources_of(f).size(); ++k)
        by_part[soup.part[arrangement.sources_of(f)[k].triangle]].emplace_back(f, k);
    auto pass_on = [&](Triangle t, Index part, Index from, bool touched, unsigned char scored) {
      bool same = true;
      for (Index& v : t) {
        const Index to = welded(v);
        if (to != v) out.special[to] = 1, same = false;
        v = to;
      }
      if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) return;
      if ((touched || !same) && collinear(out.points[t[0]], out.points[t[1]], out.points[t[2]])) {
        out.crosses_itself[part] = 1;
        flattened = true;
        return;
      }
      out.add(t, part, soup, from);
      if (!touched) return;
      out.trace.back().whole = false;
      out.trace.back().scored = scored;
      out.loose.back() = 1;
      if (!out.tested.empty()) out.tested.back() = 1;
    };
    for (Index part = 0; part < soup.parts(); ++part) {
      for (Index i = soup.part_begin[part]; i < soup.part_begin[part + 1]; ++i)
        if (!cuts.touched[i]) pass_on(soup.triangles[i], part, i, false, 0);
      for (const auto& [f, k] : by_part[part]) {
        const auto source = arrangement.sources_of(f)[k];
        Triangle t = arrangement.faces[f];
        unsigned bits = source.scored;
        if (!source.same_way) {
          std::swap(t[1], t[2]);
          bits = (bits >> 2 & 1u) | (bits & 2u) | (bits & 1u) << 2;
        }
        pass_on(t, part, source.triangle, true, static_cast<unsigned char>(bits));
      }
      out.part_begin.push_back(static_cast<Index>(out.triangles.size()));
    }
    if (flattened) out.tested.clear();
    soup = std::move(out);
  }
  soup.mate = find_mates(soup.triangles, soup.part, soup.points.size());
  mark_crowded(soup.triangles, soup.mate, soup.special);
  return count;
}

}  // namespace anvil::boolean
