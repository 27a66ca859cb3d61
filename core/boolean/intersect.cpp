// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 3: in which points and segments triangles meet. Exact predicates on the given vertices only; the points
// that come out are numbered, made and welded at the end.
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/boolean/arrangement.h"
#include "core/boolean/contradiction.h"
#include "core/mesh/bucket_sort.h"

namespace anvil::boolean {
namespace {

/// Where a point lies in a triangle: corner 0–2, edge 3–5 (from corner k to k + 1), 6 the interior.
using Where = int;
constexpr Where interior = 6;

struct Local {
  Cut cut;
  Where in_s, in_t;
  bool stays;  ///< false: only a line inside a facet makes it
};
/// In which two facets meet, or a piece of it between lines inside them, where an end does not stay.
struct LocalSegment {
  Index first, second;  ///< facets
  Index edge_lo, edge_hi;
  bool in_first, in_second;  ///< it cuts that one; it does not where it runs along its border
  bool from_stays, to_stays;
  Cut from, to;

  auto key() const { return std::tuple(first, second, edge_lo, edge_hi, in_first, in_second); }
  /// By all but the facet it is in a bucket of.
  bool operator<(const LocalSegment& o) const { return std::tuple(key(), from, to) < std::tuple(o.key(), o.from, o.to); }
  bool operator==(const LocalSegment& o) const { return key() == o.key() && from == o.from && to == o.to; }
};
struct LocalEdgePoint {
  Index lo, hi;
  Cut cut;
};
struct LocalFacePoint {
  Index triangle;
  Cut cut;
};
struct Output {
  std::vector<LocalSegment> segments, pieces;
  std::vector<LocalEdgePoint> edge_points;
  std::vector<LocalFacePoint> face_points;
  std::vector<Index> touched, coplanar;
};

Cut vertex_cut(Index v) { return {Cut::vertex, {v, no_index, no_index, no_index}}; }
Cut edge_triangle_cut(Index p, Index q, Index t) {
  return {Cut::edge_triangle, {std::min(p, q), std::max(p, q), t, no_index}};
}
Cut edge_edge_cut(Index p, Index q, Index r, Index s) {
  std::array<Index, 2> a{std::min(p, q), std::max(p, q)}, b{std::min(r, s), std::max(r, s)};
  if (b < a) std::swap(a, b);
  return {Cut::edge_edge, {a[0], a[1], b[0], b[1]}};
}

std::size_t at(int k) { return static_cast<std::size_t>(k % 3); }

/// Works on one pair of triangles.
class Meeting {
 public:
  Meeting(const Soup& soup, Index s, Index t, Output& out)
      : soup_(soup), is_(s), it_(t), s_(soup.triangles[s]), t_(soup.triangles[t]), out_(out) {}

  void run() {
    if (soup_.facet_of(is_) == soup_.facet_of(it_)) return;
    int shared = 0;
    for (Index v : s_) shared += static_cast<int>(v == t_[0] || v == t_[1] || v == t_[2]);
    if (shared == 3) {
      overlapping();
      return along_common_edges();
    }
    std::array<int, 3> s_side{}, t_side{};
    if (all_on_one_side(s_, t_, s_side)) return;
    if (s_side == std::array{0, 0, 0}) return coplanar();
    if (shared == 2) return along_common_edges();  // and different planes: nothing else in common
    if (all_on_one_side(t_, s_, t_side)) return;
    for (int k = 0; k < 3; ++k) edge_against(true, k, s_side, t_side);
    for (int k = 0; k < 3; ++k) edge_against(false, k, t_side, s_side);
    emit();
  }

 private:
  const Vec3& p(Index v) const { return soup_.points[v]; }

  /// Sides of the corners of `of` seen from the plane of `plane`.
  bool all_on_one_side(const Triangle& of, const Triangle& plane, std::array<int, 3>& side) const {
    const Vec3 &a = p(plane[0]), &b = p(plane[1]), &c = p(plane[2]);
    const int axis = square_to(a, b, c);
    const Projection flat = seen_along(axis);
    const int turn = axis < 3 ? orient2d(flat(a), flat(b), flat(c)) : 0;
    for (int k = 0; k < 3; ++k) {
      const Index v = of[at(k)];
      if (axis < 3)
        side[at(k)] = p(v)[axis] > a[axis] ? turn : p(v)[axis] < a[axis] ? -turn : 0;
      else
        side[at(k)] = v == plane[0] || v == plane[1] || v == plane[2] ? 0 : orient3d(a, b, c, p(v));
    }
    return (side[0] > 0 && side[1] > 0 && side[2] > 0) || (side[0] < 0 && side[1] < 0 && side[2] < 0);
  }

  Projection projection(const Triangle& t) const {
    Projection plane = Projection::along((p(t[1]) - p(t[0])).cross(p(t[2]) - p(t[0])));
    for (int k = 0; k < 3 && orient2d(plane(p(t[0])), plane(p(t[1])), plane(p(t[2]))) == 0; ++k)
      plane = {k, (k + 1) % 3};
    return plane;
  }

  /// Where a vertex in the plane of `t` lies in it; −1 outside.
  Where locate(Index v, const Triangle& t, const Projection& plane) const {
    for (int k = 0; k < 3; ++k)
      if (t[at(k)] == v) return k;
    const int turn = orient2d(plane(p(t[0])), plane(p(t[1])), plane(p(t[2])));
    int on = -1, zeros = 0;
    for (int k = 0; k < 3; ++k) {
      const int o = orient2d(plane(p(t[at(k)])), plane(p(t[at(k + 1)])), plane(p(v))) * turn;
      if (o < 0) return -1;
      if (o == 0) {
        on = k;
        ++zeros;
      }
    }
    return zeros == 0 ? interior : 3 + on;  // two zeros would be a corner, which has the same id
  }

  void note(const Cut& cut, Where in_own, Where in_other, bool own_is_s, bool stays = true) {
    const Local local{cut, own_is_s ? in_own : in_other, own_is_s ? in_other : in_own, stays};
    for (int k = 0; k < found_; ++k)
      if (locals_[static_cast<std::size_t>(k)].cut == cut) return;
    locals_[static_cast<std::size_t>(found_++)] = local;
  }

  bool boxes_meet(const Vec3& a, const Vec3& b, const Triangle& t) const {
    const Vec3 &x = p(t[0]), &y = p(t[1]), &w = p(t[2]);
    for (int k = 0; k < 3; ++k)
      if (std::max(a[k], b[k]) < std::min({x[k], y[k], w[k]}) || std::min(a[k], b[k]) > std::max({x[k], y[k], w[k]})) return false;
    return true;
  }
  bool is_inner(bool of_s, int k) const { return soup_.is_inner(of_s ? is_ : it_, at(k)); }

  /// Edge k of one triangle, `own`, against the other, whose plane sees the corners of `own` on these sides.
  void edge_against(bool own_is_s, int k, const std::array<int, 3>& side, const std::array<int, 3>& other_side) {
    const Triangle &own = own_is_s ? s_ : t_, &other = own_is_s ? t_ : s_;
    const Index a = own[at(k)], b = own[at(k + 1)], other_id = own_is_s ? it_ : is_;
    const bool inner = is_inner(own_is_s, k);
    const int sa = side[at(k)], sb = side[at(k + 1)];
    if (sa == 0) {
      const Where w = locate(a, other, projection(other));
      if (w >= 0) note(vertex_cut(a), k, w, own_is_s);
    }
    if (sa == 0 && sb == 0) return along(own, other, k, own_is_s, projection(other), false);
    if (sa * sb >= 0 || !boxes_meet(p(a), p(b), other)) return;
    std::array<int, 3> o{};
    int positive = 0, negative = 0;
    for (int j = 0; j < 3; ++j) {
      o[at(j)] = orient3d(p(a), p(b), p(other[at(j)]), p(other[at(j + 1)]));
      positive += o[at(j)] > 0;
      negative += o[at(j)] < 0;
      if (positive > 0 && negative > 0) return;
    }
    if (positive + negative == 3) return note(edge_triangle_cut(a, b, other_id), 3 + k, interior, own_is_s, !inner);
    if (positive + negative == 2) {
      const int j = o[0] == 0 ? 0 : o[1] == 0 ? 1 : 2;
      // It stays where the edge of a facet goes through the other one. An edge in its plane only crosses lines there.
      const bool comes_through = !is_inner(!own_is_s, j) && (other_side[at(j)] != 0 || other_side[at(j + 1)] != 0);
      return note(edge_edge_cut(a, b, other[at(j)], other[at(j + 1)]), 3 + k, 3 + j, own_is_s, !inner || comes_through);
    }
    // Through a corner: the one that the two zero edges share.
    const int corner = o[0] != 0 ? 2 : o[1] != 0 ? 0 : 1;
    note(vertex_cut(other[at(corner)]), 3 + k, corner, own_is_s);
  }

  /// Edge k of `own` lies in the plane of `other`: where it crosses the edges and corners of `other`.
  /// @param both  so does all of `own`
  void along(const Triangle& own, const Triangle& other, int k, bool own_is_s, const Projection& plane, bool both) {
    const Index a = own[at(k)], b = own[at(k + 1)];
    const Point2 pa = plane(p(a)), pb = plane(p(b));
    std::array<int, 3> o{};
    for (int j = 0; j < 3; ++j) {
      const Index v = other[at(j)];
      o[at(j)] = v == a || v == b ? 0 : orient2d(pa, pb, plane(p(v)));
    }
    for (int j = 0; j < 3; ++j) {
      const Index c = other[at(j)], d = other[at(j + 1)];
      if (o[at(j)] == 0 && c != a && c != b && between(pa, pb, plane(p(c)))) note(vertex_cut(c), 3 + k, j, own_is_s);
      if (o[at(j)] * o[at(j + 1)] >= 0) continue;
      const int oa = orient2d(plane(p(c)), plane(p(d)), pa), ob = orient2d(plane(p(c)), plane(p(d)), pb);
      if (oa * ob < 0) note(edge_edge_cut(a, b, c, d), 3 + k, 3 + j, own_is_s, !is_inner(!own_is_s, j) && !(both && is_inner(own_is_s, k)));
    }
  }

  /// x, on the line ab, lies strictly between a and b.
  static bool between(const Point2& a, const Point2& b, const Point2& x) {
    return a.x != b.x ? (x.x > std::min(a.x, b.x) && x.x < std::max(a.x, b.x))
                      : (x.y > std::min(a.y, b.y) && x.y < std::max(a.y, b.y));
  }

  void emit_points() {
    for (int k = 0; k < found_; ++k) {
      const Local& local = locals_[static_cast<std::size_t>(k)];
      if (!local.stays) continue;
      emit_point(local.cut, local.in_s, s_, is_);
      emit_point(local.cut, local.in_t, t_, it_);
    }
  }
  void emit_point(const Cut& cut, Where where, const Triangle& t, Index id) {
    if (where < 3) return;
    out_.touched.push_back(soup_.facet_of(id));
    if (where == interior || soup_.is_inner(id, at(where))) return out_.face_points.push_back({soup_.facet_of(id), cut});
    const Index a = t[at(where - 3)], b = t[at(where - 2)];
    out_.edge_points.push_back({std::min(a, b), std::max(a, b), cut});
  }

  static bool on_edge(Where w, int k) { return w == 3 + k || w == k || w == (k + 1) % 3; }
  static bool on_one_edge(Where a, Where b) {
    for (int k = 0; k < 3; ++k)
      if (on_edge(a, k) && on_edge(b, k)) return true;
    return false;
  }
  /// Along an edge of the facet of s or t.
  bool on_border(bool of_s, Where a, Where b) const {
    for (int k = 0; k < 3; ++k)
      if (on_edge(a, k) && on_edge(b, k) && !is_inner(of_s, k)) return true;
    return false;
  }

  void emit() {
    emit_points();
    if (found_ != 2) return;
    const Local &a = locals_[0], &b = locals_[1];
    segment(!on_border(true, a.in_s, b.in_s), !on_border(false, a.in_t, b.in_t), a, b, no_index, no_index);
  }
  void segment(bool in_s, bool in_t, const Local& a, const Local& b, Index lo, Index hi) {
    if (!in_s && !in_t) return;
    LocalSegment segment{soup_.facet_of(is_), soup_.facet_of(it_), lo, hi, in_s, in_t, a.stays, b.stays, a.cut, b.cut};
    if (in_s) out_.touched.push_back(segment.first);
    if (in_t) out_.touched.push_back(segment.second);
    if (segment.second < segment.first) {
      std::swap(segment.first, segment.second);
      std::swap(segment.in_first, segment.in_second);
    }
    if (segment.to < segment.from) {
      std::swap(segment.from, segment.to);
      std::swap(segment.from_stays, segment.to_stays);
    }
    (a.stays && b.stays ? out_.segments : out_.pieces).push_back(segment);
  }
  /// What is an edge of one facet and a line inside the other cuts that one; what is inside both cuts both.
  void along_common_edges() {
    for (int k = 0; k < 3; ++k)
      for (int j = 0; j < 3; ++j) {
        const Index a = s_[at(k)], b = s_[at(k + 1)], c = t_[at(j)], d = t_[at(j + 1)];
        if (std::minmax(a, b) != std::minmax(c, d)) continue;
        const bool in_s = is_inner(true, k), in_t = is_inner(false, j), flat = coplanar_;
        if (flat && in_s == in_t) continue;
        const Local from{vertex_cut(a), 0, 0, true}, to{vertex_cut(b), 0, 0, true};
        const Index lo = flat ? std::min(a, b) : no_index, hi = flat ? std::max(a, b) : no_index;
        segment(in_s, in_t, from, to, lo, hi);
      }
  }
  /// Where they overlap both must come out in the same pieces, also one that nothing cuts.
  void overlapping() {
    coplanar_ = true;
    const Index s = soup_.facet_of(is_), t = soup_.facet_of(it_);
    out_.touched.insert(out_.touched.end(), {s, t});
    out_.coplanar.insert(out_.coplanar.end(), {s, t});
  }

  /// Has an edge of one, seen in their plane, surely all of the other beyond it?
  bool beyond_an_edge(const Triangle& one, const Triangle& other, const Projection& plane) const {
    for (int k = 0; k < 3; ++k) {
      const Point2 a = plane(p(one[at(k)])), b = plane(p(one[at(k + 1)]));
      const int inner = orient2d_if_sure(a, b, plane(p(one[at(k + 2)])));
      auto is_beyond = [&](Index v) { return orient2d_if_sure(a, b, plane(p(v))) == -inner; };
      if (inner != 0 && std::all_of(other.begin(), other.end(), is_beyond)) return true;
    }
    return false;
  }

  void coplanar() {
    const Projection plane = projection(s_);
    if (beyond_an_edge(s_, t_, plane) || beyond_an_edge(t_, s_, plane)) return;
    const auto before = out_.touched.size();
    bool overlap = false;
    for (const bool own_is_s : {true, false}) {
      const Triangle &own = own_is_s ? s_ : t_, &other = own_is_s ? t_ : s_;
      for (int k = 0; k < 3; ++k) {
        // A line inside a facet tells whether the two overlap, no more. A corner may have no other edges.
        const bool inner = is_inner(own_is_s, k);
        found_ = 0;
        for (int end = 0; end < 2; ++end) {
          const Where w = locate(own[at(k + end)], other, plane);
          if (w >= 0) note(vertex_cut(own[at(k + end)]), (k + end) % 3, w, own_is_s);
        }
        if (inner) emit_points();
        if (inner && overlap) continue;
        along(own, other, k, own_is_s, plane, true);
        if (!inner) emit_points();
        if (found_ != 2) continue;
        const Local &a = locals_[0], &b = locals_[1];
        const Where wa = own_is_s ? a.in_t : a.in_s, wb = own_is_s ? b.in_t : b.in_s;
        overlap = overlap || !on_one_edge(wa, wb);
        if (inner || on_border(!own_is_s, wa, wb)) continue;
        const Index lo = std::min(own[at(k)], own[at(k + 1)]), hi = std::max(own[at(k)], own[at(k + 1)]);
        segment(!own_is_s, own_is_s, a, b, lo, hi);
      }
    }
    if (overlap || out_.touched.size() != before) overlapping();
  }

  const Soup& soup_;
  Index is_, it_;
  Triangle s_, t_;
  Output& out_;
  std::array<Local, 16> locals_{};
  int found_ = 0;
  bool coplanar_ = false;
};

/// Joins pieces at their ends that do not stay: between two facets these are where they cross lines inside one of them.
void join_pieces(std::vector<LocalSegment>& pieces, std::size_t triangles, std::vector<LocalSegment>& joined) {
  sort_by_bucket(pieces, triangles, [](const LocalSegment& piece) { return piece.first; });
  pieces.erase(std::unique(pieces.begin(), pieces.end()), pieces.end());
  struct End {
    Cut cut;
    std::size_t piece;
    bool is_to;
  };
  std::vector<End> ends;
  std::vector<std::array<std::size_t, 2>> beyond;  // of each piece, the one that goes on at its ends
  constexpr std::size_t none = ~std::size_t{0};
  for (std::size_t begin = 0; begin < pieces.size();) {
    std::size_t end = begin;
    while (end < pieces.size() && pieces[end].key() == pieces[begin].key()) ++end;
    ends.clear();
    for (std::size_t i = begin; i < end; ++i) {
      if (!pieces[i].from_stays) ends.push_back({pieces[i].from, i, false});
      if (!pieces[i].to_stays) ends.push_back({pieces[i].to, i, true});
    }
    std::sort(ends.begin(), ends.end(), [](const End& a, const End& b) { return a.cut == b.cut ? a.piece < b.piece : a.cut < b.cut; });
    beyond.assign(end - begin, {none, none});
    for (std::size_t i = 0; i < ends.size(); i += 2) {
      if (i + 1 == ends.size() || !(ends[i].cut == ends[i + 1].cut) || (i + 2 < ends.size() && ends[i + 2].cut == ends[i].cut))
        throw Contradiction("a segment ends at a line inside a facet");
      beyond[ends[i].piece - begin][ends[i].is_to] = ends[i + 1].piece;
      beyond[ends[i + 1].piece - begin][ends[i + 1].is_to] = ends[i].piece;
    }
    std::vector<char> done(end - begin, 0);
    for (std::size_t i = begin; i < end; ++i) {
      if (done[i - begin] || (!pieces[i].from_stays && !pieces[i].to_stays)) continue;
      LocalSegment whole = pieces[i];
      std::size_t at = i;
      bool is_to = pieces[i].from_stays;  // the end to go on from
      if (!is_to) whole.from = whole.to;
      for (done[i - begin] = 1; beyond[at - begin][is_to] != none; done[at - begin] = 1) {
        const Cut here = is_to ? pieces[at].to : pieces[at].from;
        at = beyond[at - begin][is_to];
        is_to = pieces[at].from == here && !pieces[at].from_stays;
      }
      whole.to = is_to ? pieces[at].to : pieces[at].from;
      whole.from_stays = whole.to_stays = true;
      joined.push_back(whole);
    }
    if (std::find(done.begin(), done.end(), 0) != done.end()) throw Contradiction("a segment has no ends");
    begin = end;
  }
}

}  // namespace

Cuts intersect(const Soup& soup, const std::vector<TrianglePair>& pairs, PointSet& points, const Control& control) {
  constexpr std::size_t block = 1024;
  std::vector<Output> outputs((pairs.size() + block - 1) / block);
  tbb::parallel_for(std::size_t{0}, outputs.size(), [&](std::size_t k) {
    check_stop(control);
    for (std::size_t i = k * block; i < std::min(pairs.size(), (k + 1) * block); ++i)
      Meeting(soup, pairs[i].s, pairs[i].t, outputs[k]).run();
  });

  std::vector<LocalSegment> segments, pieces;
  for (const Output& o : outputs) {
    segments.insert(segments.end(), o.segments.begin(), o.segments.end());
    pieces.insert(pieces.end(), o.pieces.begin(), o.pieces.end());
  }
  join_pieces(pieces, soup.triangles.size(), segments);

  // Number the points. Equal keys are one point; points that are equal for other reasons are welded later.
  std::vector<Cut> cuts;
  for (const LocalSegment& s : segments) cuts.insert(cuts.end(), {s.from, s.to});
  for (const Output& o : outputs) {
    for (const auto& e : o.edge_points) cuts.push_back(e.cut);
    for (const auto& f : o.face_points) cuts.push_back(f.cut);
  }
  std::erase_if(cuts, [](const Cut& c) { return c.kind == Cut::vertex; });
  const std::vector<Index> at_vertex = bucket_sort(cuts, soup.points.size(), [](const Cut& cut) { return cut.ids[0]; });
  std::vector<Index> numbers(cuts.size());
  for (std::size_t k = 0; k < cuts.size(); ++k) {
    const Cut& cut = cuts[k];
    if (k == 0 || !(cut == cuts[k - 1])) {
      const Vec3 &p = soup.points[cut.ids[0]], &q = soup.points[cut.ids[1]];
      if (cut.kind == Cut::edge_triangle)
        points.add(p, q, soup.plane(cut.ids[2]));
      else
        points.add_crossing(p, q, soup.points[cut.ids[2]], soup.points[cut.ids[3]]);
    }
    numbers[k] = static_cast<Index>(points.size() - 1);
  }
  auto number = [&](const Cut& cut) {
    if (cut.kind == Cut::vertex) return cut.ids[0];
    const auto begin = cuts.begin() + at_vertex[cut.ids[0]], end = cuts.begin() + at_vertex[cut.ids[0] + 1];
    return numbers[static_cast<std::size_t>(std::lower_bound(begin, end, cut) - cuts.begin())];
  };

  Cuts result;
  result.touched.assign(soup.triangles.size(), 0);
  result.coplanar.assign(soup.triangles.size(), 0);
  for (const LocalSegment& s : segments) {
    const Index from = number(s.from), to = number(s.to);
    if (s.in_first) result.segments.push_back({s.first, from, to, s.second, s.edge_lo, s.edge_hi});
    if (s.in_second) result.segments.push_back({s.second, from, to, s.first, s.edge_lo, s.edge_hi});
  }
  for (const Output& o : outputs) {
    for (const auto& e : o.edge_points) result.edge_points.push_back({e.lo, e.hi, number(e.cut)});
    for (const auto& f : o.face_points) result.face_points.push_back({f.triangle, number(f.cut)});
    for (Index t : o.touched) result.touched[t] = 1;
    for (Index t : o.coplanar) result.coplanar[t] = 1;
  }
  for (Index t = 0; t < soup.facet.size(); ++t)
    if (result.touched[soup.facet[t]]) result.touched[t] = 1;
  bucket_sort(result.segments, soup.triangles.size(), [](const Cuts::Segment& s) { return s.triangle; });
  result.segments.erase(std::unique(result.segments.begin(), result.segments.end(), [](const auto& a, const auto& b) { return a.key() == b.key(); }),
                        result.segments.end());
  return result;
}

}  // namespace anvil::boolean
