// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 3: in which points and segments faces meet. Exact predicates on the given vertices only; the points
// that come out are numbered, made and welded at the end.
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/boolean/arrangement.h"
#include "core/boolean/contradiction.h"
#include "core/boolean/facets.h"
#include "core/mesh/bucket_sort.h"

namespace anvil::boolean {
namespace {

/// Where a point lies in a face: corner k is k, the edge from there to the next corner is on_edges + k.
using Where = int;
constexpr Where outside = -1, on_edges = 1 << 24, interior = 2 * on_edges;

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
struct Findings {
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

std::size_t at(int k) { return static_cast<std::size_t>(k); }
/// The corner after k.
std::size_t after(int k, const Face& face) { return at(k + 1 < face.size() ? k + 1 : 0); }

/// Works on pairs of faces, one after the other.
class Meeting {
 public:
  Meeting(const Soup& soup, Findings& out) : soup_(soup), out_(out) {}

  void run(const Face& s, const Face& t) {
    s_ = s;
    t_ = t;
    found_ = 0;
    coplanar_ = false;
    if (soup_.facet_of(s.triangle) == soup_.facet_of(t.triangle)) return;
    const auto shared = std::count_if(s.corners.begin(), s.corners.end(), [&](Index v) { return t.has(v); });
    if (shared == s.size() && shared == t.size()) {
      overlapping();
      return along_common_edges();
    }
    if (all_on_one_side(s_, t_, s_side_)) return;
    if (std::all_of(s_side_.begin(), s_side_.end(), [](int side) { return side == 0; })) return coplanar();
    if (shared == 2 && s.size() == 3 && t.size() == 3) return along_common_edges();  // and different planes: nothing else in common
    if (all_on_one_side(t_, s_, t_side_)) return;
    for (int k = 0; k < s.size(); ++k) edge_against(true, k, s_side_, t_side_);
    for (int k = 0; k < t.size(); ++k) edge_against(false, k, t_side_, s_side_);
    emit();
  }

 private:
  const Vec3& p(Index v) const { return soup_.points[v]; }

  /// Sides of the corners of `of` seen from the plane of `face`.
  bool all_on_one_side(const Face& of, const Face& face, std::vector<int>& side) const {
    const Triangle& plane = soup_.triangles[face.triangle];
    const Vec3 &a = p(plane[0]), &b = p(plane[1]), &c = p(plane[2]);
    const int axis = square_to(a, b, c);
    const Projection flat = seen_along(axis);
    const int turn = axis < 3 ? orient2d(flat(a), flat(b), flat(c)) : 0;
    side.resize(of.corners.size());
    bool above = false, below = false, on = false;
    for (int k = 0; k < of.size(); ++k) {
      const Index v = of[k];
      int& here = side[at(k)];
      if (axis < 3) {
        here = p(v)[axis] > a[axis] ? turn : p(v)[axis] < a[axis] ? -turn : 0;
      } else {
        here = orient3d_if_sure(a, b, c, p(v));
        if (here == 0 && !face.has(v)) here = orient3d(a, b, c, p(v));
      }
      above = above || here > 0;
      below = below || here < 0;
      on = on || here == 0;
    }
    return !on && !(above && below);
  }

  Projection projection(const Face& face) const {
    const auto& [a, b, c] = soup_.triangles[face.triangle];
    return projection_of(p(a), p(b), p(c));
  }

  /// Where a vertex in the plane of a face lies in it.
  Where locate(Index v, const Face& face, const Projection& plane) const {
    for (int k = 0; k < face.size(); ++k)
      if (face[k] == v) return k;
    const auto& [a, b, c] = soup_.triangles[face.triangle];
    const int turn = orient2d(plane(p(a)), plane(p(b)), plane(p(c)));
    Where where = interior;
    for (int k = 0; k < face.size(); ++k) {
      const int o = orient2d(plane(p(face[k])), plane(p(face[k + 1])), plane(p(v))) * turn;
      if (o < 0) return outside;
      if (o == 0) where = on_edges + k;  // on two would be a corner, which has the same number
    }
    return where;
  }

  void note(const Cut& cut, Where in_own, Where in_other, bool own_is_s, bool stays = true) {
    const Local local{cut, own_is_s ? in_own : in_other, own_is_s ? in_other : in_own, stays};
    for (int k = 0; k < found_; ++k)
      if (locals_[at(k)].cut == cut) return;
    locals_[at(found_++)] = local;
  }

  bool boxes_meet(const Vec3& a, const Vec3& b, const Face& face) const {
    for (int k = 0; k < 3; ++k) {
      const double lo = std::min(a[k], b[k]), hi = std::max(a[k], b[k]);
      bool all_above = true, all_below = true;
      for (Index v : face.corners) {
        all_above = all_above && p(v)[k] > hi;
        all_below = all_below && p(v)[k] < lo;
      }
      if (all_above || all_below) return false;
    }
    return true;
  }
  bool is_inner(bool of_s, int k) const {
    const Face& face = of_s ? s_ : t_;
    return !face.is_facet && soup_.is_inner(face.triangle, at(k));
  }

  /// Edge k of one face, `own`, against the other, whose plane sees the corners of `own` on these sides.
  void edge_against(bool own_is_s, int k, const std::vector<int>& side, const std::vector<int>& other_side) {
    const Face &own = own_is_s ? s_ : t_, &other = own_is_s ? t_ : s_;
    const int sa = side[at(k)], sb = side[after(k, own)];
    if (sa * sb > 0) return;
    const Index a = own[k], b = own[k + 1];
    const bool inner = is_inner(own_is_s, k);
    if (sa == 0) {
      const Where w = locate(a, other, projection(other));
      if (w != outside) note(vertex_cut(a), k, w, own_is_s);
    }
    if (sa == 0 && sb == 0) return along(own, other, k, own_is_s, projection(other), false);
    if (sa * sb >= 0 || !boxes_meet(p(a), p(b), other)) return;
    // The line in which the two planes meet leaves the other face over edges with ends on either side, or on the plane.
    bool positive = false, negative = false;
    std::array<int, 4> on{};
    std::size_t zeros = 0;
    for (int j = 0; j < other.size(); ++j) {
      if (other_side[at(j)] * other_side[after(j, other)] > 0) continue;
      const int o = orient3d(p(a), p(b), p(other[j]), p(other[j + 1]));
      positive = positive || o > 0;
      negative = negative || o < 0;
      if (positive && negative) return;
      if (o == 0 && zeros < on.size()) on[zeros++] = j;
    }
    if (zeros == 0) return note(edge_triangle_cut(a, b, other.triangle), on_edges + k, interior, own_is_s, !inner);
    if (zeros == 1) {
      const int j = on[0];
      // It stays where the edge of a facet goes through the other one. An edge in its plane only crosses lines there.
      const bool comes_through = !is_inner(!own_is_s, j) && (other_side[at(j)] != 0 || other_side[after(j, other)] != 0);
      return note(edge_edge_cut(a, b, other[j], other[j + 1]), on_edges + k, on_edges + j, own_is_s, !inner || comes_through);
    }
    // Through the corner that two edges share.
    const int corner = on[1] == on[0] + 1 ? on[1] : on[0];
    note(vertex_cut(other[corner]), on_edges + k, corner, own_is_s);
  }

  /// Edge k of `own` lies in the plane of `other`: where it crosses the edges and corners of `other`.
  /// @param both  so does all of `own`
  void along(const Face& own, const Face& other, int k, bool own_is_s, const Projection& plane, bool both) {
    const Index a = own[k], b = own[k + 1];
    const Point2 pa = plane(p(a)), pb = plane(p(b));
    auto side_of = [&](Index v) { return v == a || v == b ? 0 : orient2d(pa, pb, plane(p(v))); };
    const int first = side_of(other[0]);
    int next = first;
    for (int j = 0; j < other.size(); ++j) {
      const Index c = other[j], d = other[j + 1];
      const int here = next;
      next = j + 1 < other.size() ? side_of(d) : first;
      if (here == 0 && c != a && c != b && between(pa, pb, plane(p(c)))) note(vertex_cut(c), on_edges + k, j, own_is_s);
      if (here * next >= 0) continue;
      const int oa = orient2d(plane(p(c)), plane(p(d)), pa), ob = orient2d(plane(p(c)), plane(p(d)), pb);
      if (oa * ob < 0) note(edge_edge_cut(a, b, c, d), on_edges + k, on_edges + j, own_is_s, !is_inner(!own_is_s, j) && !(both && is_inner(own_is_s, k)));
    }
  }

  /// x, on the line ab, lies strictly between a and b.
  static bool between(const Point2& a, const Point2& b, const Point2& x) {
    return a.x != b.x ? (x.x > std::min(a.x, b.x) && x.x < std::max(a.x, b.x))
                      : (x.y > std::min(a.y, b.y) && x.y < std::max(a.y, b.y));
  }

  void emit_points() {
    for (int k = 0; k < found_; ++k) {
      const Local& local = locals_[at(k)];
      if (!local.stays) continue;
      emit_point(local.cut, local.in_s, true);
      emit_point(local.cut, local.in_t, false);
    }
  }
  void emit_point(const Cut& cut, Where where, bool of_s) {
    if (where < on_edges) return;
    const Face& face = of_s ? s_ : t_;
    const Index facet = soup_.facet_of(face.triangle);
    out_.touched.push_back(facet);
    if (where == interior || is_inner(of_s, where - on_edges)) return out_.face_points.push_back({facet, cut});
    const Index a = face[where - on_edges], b = face[where - on_edges + 1];
    out_.edge_points.push_back({std::min(a, b), std::max(a, b), cut});
  }

  /// The edge that both places lie on, of the face of s or t; −1: none.
  int common_edge(bool of_s, Where a, Where b) const {
    const int n = (of_s ? s_ : t_).size();
    auto is_on = [&](Where w, int k) { return w == on_edges + k || w == k || w == (k + 1) % n; };
    if (a == interior) return -1;
    if (a >= on_edges) return is_on(b, a - on_edges) ? a - on_edges : -1;
    if (is_on(b, a)) return a;
    return is_on(b, (a + n - 1) % n) ? (a + n - 1) % n : -1;
  }
  /// Along an edge of the facet of s or t.
  bool on_border(bool of_s, Where a, Where b) const {
    const int k = common_edge(of_s, a, b);
    return k >= 0 && !is_inner(of_s, k);
  }

  void emit() {
    emit_points();
    if (found_ != 2) return;
    const Local &a = locals_[0], &b = locals_[1];
    segment(!on_border(true, a.in_s, b.in_s), !on_border(false, a.in_t, b.in_t), a, b, no_index, no_index);
  }
  void segment(bool in_s, bool in_t, const Local& a, const Local& b, Index lo, Index hi) {
    if (!in_s && !in_t) return;
    LocalSegment segment{soup_.facet_of(s_.triangle), soup_.facet_of(t_.triangle), lo, hi, in_s, in_t, a.stays, b.stays, a.cut, b.cut};
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
    for (int k = 0; k < s_.size(); ++k)
      for (int j = 0; j < t_.size(); ++j) {
        const Index a = s_[k], b = s_[k + 1], c = t_[j], d = t_[j + 1];
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
    const Index s = soup_.facet_of(s_.triangle), t = soup_.facet_of(t_.triangle);
    out_.touched.insert(out_.touched.end(), {s, t});
    out_.coplanar.insert(out_.coplanar.end(), {s, t});
  }

  /// Has an edge of one, seen in their plane, surely all of the other beyond it?
  bool beyond_an_edge(const Face& one, const Face& other, const Projection& plane) const {
    for (int k = 0; k < one.size(); ++k) {
      const Point2 a = plane(p(one[k])), b = plane(p(one[k + 1]));
      const int inner = orient2d_if_sure(a, b, plane(p(one[k + 2])));
      auto is_beyond = [&](Index v) { return orient2d_if_sure(a, b, plane(p(v))) == -inner; };
      if (inner != 0 && std::all_of(other.corners.begin(), other.corners.end(), is_beyond)) return true;
    }
    return false;
  }

  void coplanar() {
    const Projection plane = projection(s_);
    if (beyond_an_edge(s_, t_, plane) || beyond_an_edge(t_, s_, plane)) return;
    const auto before = out_.touched.size();
    bool overlap = false;
    for (const bool own_is_s : {true, false}) {
      const Face &own = own_is_s ? s_ : t_, &other = own_is_s ? t_ : s_;
      for (int k = 0; k < own.size(); ++k) {
        if (!boxes_meet(p(own[k]), p(own[k + 1]), other)) continue;
        // A line inside a facet tells whether the two overlap, no more. A corner may have no other edges.
        const bool inner = is_inner(own_is_s, k);
        found_ = 0;
        for (const int end : {k, static_cast<int>(after(k, own))}) {
          const Where w = locate(own[end], other, plane);
          if (w != outside) note(vertex_cut(own[end]), end, w, own_is_s);
        }
        if (inner) emit_points();
        if (inner && overlap) continue;
        along(own, other, k, own_is_s, plane, true);
        if (!inner) emit_points();
        if (found_ != 2) continue;
        const Local &a = locals_[0], &b = locals_[1];
        const Where wa = own_is_s ? a.in_t : a.in_s, wb = own_is_s ? b.in_t : b.in_s;
        overlap = overlap || common_edge(!own_is_s, wa, wb) < 0;
        if (inner || on_border(!own_is_s, wa, wb)) continue;
        const Index lo = std::min(own[k], own[k + 1]), hi = std::max(own[k], own[k + 1]);
        segment(!own_is_s, own_is_s, a, b, lo, hi);
      }
    }
    if (overlap || out_.touched.size() != before) overlapping();
  }

  const Soup& soup_;
  Findings& out_;
  Face s_{}, t_{};
  std::vector<int> s_side_, t_side_;
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
  const FacePairs faces(soup, pairs);
  const std::size_t block = std::clamp<std::size_t>(faces.size() / 64, 64, 1024);
  std::vector<Findings> outputs((faces.size() + block - 1) / block);
  MetPlaces places;
  tbb::parallel_for(std::size_t{0}, outputs.size(), [&](std::size_t k) {
    check_stop(control);
    Meeting meeting(soup, outputs[k]);
    for (std::size_t i = k * block; i < std::min(faces.size(), (k + 1) * block); ++i) {
      const auto [s, t] = faces[i];
      meeting.run(s, t);
    }
    places.add(outputs[k].segments.size() + outputs[k].pieces.size() + outputs[k].edge_points.size() + outputs[k].face_points.size());
  });

  std::vector<LocalSegment> segments, pieces;
  for (const Findings& o : outputs) {
    segments.insert(segments.end(), o.segments.begin(), o.segments.end());
    pieces.insert(pieces.end(), o.pieces.begin(), o.pieces.end());
  }
  join_pieces(pieces, soup.triangles.size(), segments);

  // Number the points. Equal keys are one point; points that are equal for other reasons are welded later.
  std::vector<Cut> cuts;
  for (const LocalSegment& s : segments) cuts.insert(cuts.end(), {s.from, s.to});
  for (const Findings& o : outputs) {
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
  for (const Findings& o : outputs) {
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
