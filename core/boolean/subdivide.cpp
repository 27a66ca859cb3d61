// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 4 and 5: cuts every touched facet along its segments and makes one arrangement of all.
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <optional>

#include "core/boolean/planar.h"
#include "core/boolean/contradiction.h"
#include "core/boolean/arrangement.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

/// A projection in which the triangle is not degenerate.
Projection projection_of(const Soup& soup, Index t) {
  const Plane p = soup.plane(t);
  Projection plane = Projection::along((p[1] - p[0]).cross(p[2] - p[0]));
  for (int k = 0; k < 3 && orient2d(plane(p[0]), plane(p[1]), plane(p[2])) == 0; ++k) plane = {k, (k + 1) % 3};
  return plane;
}

/// Bounds of a run of equal `triangle` in a sorted list.
template <class T>
std::span<const T> of_triangle(const std::vector<T>& list, Index triangle) {
  const auto range = std::equal_range(list.begin(), list.end(), triangle, [](const auto& a, const auto& b) {
    if constexpr (std::is_same_v<std::decay_t<decltype(a)>, Index>)
      return a < b.triangle;
    else
      return a.triangle < b;
  });
  return {range.first, range.second};
}

/// One id for points that are exactly equal: the smallest, so given vertices win.
std::vector<Index> weld(const Soup& soup, const Cuts& cuts, const PointSet& points) {
  std::vector<char> used(points.size(), 0);
  for (Index t = 0; t < soup.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3 && cuts.touched[t]; ++k) used[soup.triangles[t][k]] = 1;
  for (const auto& s : cuts.segments) used[s.from] = used[s.to] = 1;
  for (const auto& e : cuts.edge_points) used[e.point] = 1;
  for (const auto& f : cuts.face_points) used[f.point] = 1;
  std::vector<Index> ids;
  for (Index id = 0; id < used.size(); ++id)
    if (used[id]) ids.push_back(id);

  std::vector<Index> canonical(points.size());
  std::iota(canonical.begin(), canonical.end(), Index{0});
  if (ids.empty()) return canonical;
  // A few points may be known far less exactly than all others (where faces meet at a very small angle). Each has its own level
  // of cells, each 1024 times as wide as the ones of the level before, and is compared with what is in them at any finer level.
  Box3 box;
  for (Index id : ids) box.add(points.approximate(id));
  const double finest = std::max(1e-14 * box.size().maxCoeff(), 1e-290);
  auto error_of = [&](Index id) { return std::max({points.coordinate(id, 0).error, points.coordinate(id, 1).error, points.coordinate(id, 2).error}); };
  std::vector<int> level;
  for (Index id : ids) {
    const double wide = 16 * error_of(id) / finest;
    level.push_back(wide > 1 ? static_cast<int>(std::ceil(std::log2(wide) / 10)) : 0);
  }
  std::vector<int> levels = level;
  std::sort(levels.begin(), levels.end());
  levels.erase(std::unique(levels.begin(), levels.end()), levels.end());
  struct Entry {
    std::uint64_t cell;  // by a number that cells seldom share; what is not in one cell is only not equal
    bool of_finer;
    Index id;
  };
  std::vector<Entry> entries;
  auto number_of = [](std::int64_t x, std::int64_t y, std::int64_t w, int at_level) {
    std::uint64_t number = static_cast<std::uint64_t>(x);
    for (const std::int64_t k : {y, w, std::int64_t{at_level}}) number = (number ^ number >> 29) * 0x9e3779b97f4a7c15u + static_cast<std::uint64_t>(k);
    return number;
  };
  for (std::size_t i = 0; i < ids.size(); ++i)
    for (const int at_level : levels) {
      if (at_level < level[i]) continue;
      const double cell = std::ldexp(finest, 10 * at_level);
      std::array<std::array<std::int64_t, 2>, 3> range;
      for (int k = 0; k < 3; ++k) {
        const Bounded c = points.coordinate(ids[i], k);
        range[static_cast<std::size_t>(k)] = {static_cast<std::int64_t>(std::floor((c.value - 2 * c.error - box.lo[k]) / cell)),
                                              static_cast<std::int64_t>(std::floor((c.value + 2 * c.error - box.lo[k]) / cell))};
      }
      for (std::int64_t x = range[0][0]; x <= range[0][1]; ++x)
        for (std::int64_t y = range[1][0]; y <= range[1][1]; ++y)
          for (std::int64_t w = range[2][0]; w <= range[2][1]; ++w) entries.push_back({number_of(x, y, w, at_level), at_level > level[i], ids[i]});
    }
  std::sort(entries.begin(), entries.end(), [](const Entry& a, const Entry& b) {
    return std::tie(a.cell, a.of_finer, a.id) < std::tie(b.cell, b.of_finer, b.id);
  });
  UnionFind sets(points.size());
  std::vector<Index> crowd;
  const auto comes_before = [&](Index a, Index b) {
    for (int axis = 0; axis < 3; ++axis)
      if (const int sign = points.compare(axis, a, b); sign != 0) return sign < 0;
    return false;
  };
  for (std::size_t i = 0, j = 0; i < entries.size(); i = j) {
    while (j < entries.size() && entries[j].cell == entries[i].cell) ++j;
    if (entries[i].of_finer) continue;
    // Where hundreds of points lie in one cell and differ, each compared with each would take for ever.
    constexpr std::size_t few = 12;
    if (j - i > few) {
      crowd.clear();
      for (std::size_t k = i; k < j; ++k) crowd.push_back(entries[k].id);
      std::sort(crowd.begin(), crowd.end(), comes_before);
      for (std::size_t k = 1; k < crowd.size(); ++k)
        if (points.equal(crowd[k - 1], crowd[k])) sets.unite(crowd[k - 1], crowd[k]);
      continue;
    }
    for (std::size_t k = i; k < j && !entries[k].of_finer; ++k)
      for (std::size_t l = k + 1; l < j; ++l) {
        const Index a = entries[k].id, b = entries[l].id;
        if (points.is_given(a) && points.is_given(b)) continue;  // given vertices are welded already
        if (sets.find(a) != sets.find(b) && points.equal(a, b)) sets.unite(a, b);
      }
  }
  for (Index id : ids) canonical[id] = sets.find(id);
  return canonical;
}

/// Points at one place get one number. Marks given vertices that lie on other triangles: faces that do not share an edge in
/// their own part may meet there.
void unify_points(Soup& soup, Cuts& cuts, PointSet& points) {
  const std::vector<Index> canonical = weld(soup, cuts, points);
  for (auto& s : cuts.segments) s.from = canonical[s.from], s.to = canonical[s.to];
  std::erase_if(cuts.segments, [](const auto& s) { return s.from == s.to; });
  for (auto& e : cuts.edge_points) e.point = canonical[e.point];
  std::erase_if(cuts.edge_points, [](const auto& e) { return e.point == e.lo || e.point == e.hi; });
  for (auto& f : cuts.face_points) f.point = canonical[f.point];
  auto mark = [&](Index point) {
    if (points.is_given(point)) soup.maybe_non_manifold[point] = 1;
  };
  for (const auto& s : cuts.segments) mark(s.from), mark(s.to);
  for (const auto& e : cuts.edge_points) mark(e.point);
  for (const auto& f : cuts.face_points) mark(f.point);
  std::sort(cuts.face_points.begin(), cuts.face_points.end(),
            [](const auto& a, const auto& b) { return std::tie(a.triangle, a.point) < std::tie(b.triangle, b.point); });
}

/// The points along each cut edge, from its smaller to its larger vertex.
class EdgeRuns {
 public:
  /// Puts cuts.edge_points in that order.
  EdgeRuns(const Soup& soup, Cuts& cuts, const PointSet& points) : list_(cuts.edge_points) {
    std::sort(list_.begin(), list_.end(), [](const auto& a, const auto& b) { return std::tie(a.lo, a.hi, a.point) < std::tie(b.lo, b.hi, b.point); });
    list_.erase(std::unique(list_.begin(), list_.end(), [](const auto& a, const auto& b) { return is_same_edge(a, b) && a.point == b.point; }),
                list_.end());
    for (std::size_t i = 0; i < list_.size();) {
      std::size_t j = i;
      while (j < list_.size() && is_same_edge(list_[j], list_[i])) ++j;
      const Vec3 along = soup.points[list_[i].hi] - soup.points[list_[i].lo];
      int axis = 0;
      along.cwiseAbs().maxCoeff(&axis);
      const int way = along[axis] > 0 ? 1 : -1;
      std::sort(list_.begin() + static_cast<std::ptrdiff_t>(i), list_.begin() + static_cast<std::ptrdiff_t>(j),
                [&](const auto& a, const auto& b) { return way * points.compare(axis, a.point, b.point) < 0; });
      i = j;
    }
  }

  /// @param lo, hi  vertices of an edge, the smaller first
  std::span<const Cuts::EdgePoint> of(Index lo, Index hi) const {
    const auto begin = std::lower_bound(list_.begin(), list_.end(), Cuts::EdgePoint{lo, hi, 0},
                                        [](const auto& a, const auto& b) { return std::tie(a.lo, a.hi) < std::tie(b.lo, b.hi); });
    auto end = begin;
    while (end != list_.end() && end->lo == lo && end->hi == hi) ++end;
    return {begin, end};
  }

 private:
  static bool is_same_edge(const Cuts::EdgePoint& a, const Cuts::EdgePoint& b) { return a.lo == b.lo && a.hi == b.hi; }
  std::vector<Cuts::EdgePoint>& list_;
};

/// Orders points so that near ones come one after the other (along a Z-curve): then the walks to them are short.
void put_near_each_other(std::vector<Index>& ids, const PointSet& points, const Projection& projection) {
  constexpr double cells = 65535;
  std::vector<Point2> at;
  double lo_x = std::numeric_limits<double>::infinity(), lo_y = lo_x, size = 0;
  for (Index id : ids) {
    const Point2 p = at.emplace_back(projection(points.approximate(id)));
    lo_x = std::min(lo_x, p.x);
    lo_y = std::min(lo_y, p.y);
  }
  for (const Point2& p : at) size = std::max({size, p.x - lo_x, p.y - lo_y});
  const double per = size > 0 ? cells / size : 0;
  auto spread = [](double cell) {
    auto bits = static_cast<std::uint64_t>(cell);
    bits = (bits | bits << 8) & 0x00ff00ffu;
    bits = (bits | bits << 4) & 0x0f0f0f0fu;
    bits = (bits | bits << 2) & 0x33333333u;
    return (bits | bits << 1) & 0x55555555u;
  };
  std::vector<std::pair<std::uint64_t, Index>> order;
  for (std::size_t k = 0; k < ids.size(); ++k) order.emplace_back(spread((at[k].x - lo_x) * per) | spread((at[k].y - lo_y) * per) << 1, ids[k]);
  std::sort(order.begin(), order.end());
  for (std::size_t k = 0; k < ids.size(); ++k) ids[k] = order[k].second;
}

/// What a touched facet comes apart into: a constrained Delaunay triangulation of its own points and segments.
/// @param facet  its triangles
std::vector<Planar::Piece> cut_facet(std::span<const Index> facet, const Soup& soup, const Cuts& cuts, const EdgeRuns& runs, const PointSet& points,
                                     bool by_contact, const Control& control) {
  const Index t = facet[0];
  std::vector<Index> known;
  for (Index i : facet) known.insert(known.end(), soup.triangles[i].begin(), soup.triangles[i].end());
  std::sort(known.begin(), known.end());
  known.erase(std::unique(known.begin(), known.end()), known.end());
  const std::vector<Index> corners = known;
  auto place = [](std::span<const Index> list, Index wanted) { return static_cast<int>(std::lower_bound(list.begin(), list.end(), wanted) - list.begin()); };
  std::vector<Planar::Part> parts;
  for (Index i : facet) {
    Planar::Part& part = parts.emplace_back();
    for (std::size_t k = 0; k < 3; ++k) {
      part.corners[k] = place(corners, soup.triangles[i][k]);
      part.beyond[k] = soup.is_inner(i, k) ? place(facet, soup.opposite[3 * i + k] / 3) : -1;
    }
  }
  const Projection projection = projection_of(soup, t);
  Planar planar(points, corners, parts, projection);
  for (const Planar::Part& part : parts)
    for (std::size_t k = 0; k < 3; ++k) {
      if (part.beyond[k] >= 0) continue;
      const int from = part.corners[k], to = part.corners[(k + 1) % 3];
      const Index a = corners[static_cast<std::size_t>(from)], b = corners[static_cast<std::size_t>(to)];
      std::vector<Index> run;
      for (const auto& p : runs.of(std::min(a, b), std::max(a, b))) run.push_back(p.point);
      if (a > b) std::reverse(run.begin(), run.end());
      known.insert(known.end(), run.begin(), run.end());
      planar.add_on_edge(from, to, run);
    }
  std::sort(known.begin(), known.end());
  const auto segments = of_triangle(cuts.segments, t);
  std::vector<Index> inside;
  for (const auto& p : of_triangle(cuts.face_points, t)) inside.push_back(p.point);
  for (const auto& s : segments) inside.insert(inside.end(), {s.from, s.to});
  std::sort(inside.begin(), inside.end());
  inside.erase(std::unique(inside.begin(), inside.end()), inside.end());
  std::erase_if(inside, [&](Index p) { return std::binary_search(known.begin(), known.end(), p); });
  put_near_each_other(inside, points, projection);
  // An edge may come to pass through the triangle's own third corner: then there is nothing inside.
  if (by_contact && std::adjacent_find(known.begin(), known.end()) != known.end()) return planar.pieces();
  std::optional<Planar> at_edges_only;
  if (by_contact) at_edges_only.emplace(planar);
  try {
    if (known.size() > 3) planar.flip_to_delaunay(by_contact);
    constexpr std::size_t at_once = 256;  // a large facet takes a while
    for (std::size_t k = 0; k < inside.size(); ++k) {
      if (k % at_once == 0) check_stop(control);
      planar.add_inside(inside[k]);
    }
    for (std::size_t k = 0; k < segments.size(); ++k) {
      if (k % at_once == 0) check_stop(control);
      planar.constrain(segments[k].from, segments[k].to);
    }
    if (!segments.empty()) planar.flip_to_delaunay(by_contact);
    return planar.pieces();
  } catch (const Contradiction&) {
    if (!by_contact) throw;
    return at_edges_only->pieces();
  }
}

/// One sub-triangle, by its corners in order of their numbers.
struct FaceRecord {
  Triangle key, corners;
  Arrangement::Source source;
};

/// Gathers what touched triangles came apart into. Overlapping coplanar triangles must come out in the same pieces: what
/// lies between fixed edges is a pocket, and equal pockets take the pieces of the first (as Cherchi, Livesu, Scateni and
/// Attene, "Fast and Robust Mesh Arrangements using Floating-point Arithmetic", SIGGRAPH Asia 2020).
class FaceCollector {
 public:
  FaceCollector(const Soup& soup, const Cuts& cuts, const EdgeRuns& runs) : soup_(soup), cuts_(cuts), runs_(runs) {}

  void add(Index t, const std::vector<Planar::Piece>& pieces) {
    note_scored(t);
    if (!cuts_.coplanar[t]) {
      for (const auto& piece : pieces) add_record(piece.corners, t, true);
      return;
    }
    std::vector<char> seen(pieces.size(), 0);
    for (std::size_t seed = 0; seed < pieces.size(); ++seed)
      if (!seen[seed]) add_pocket(t, pieces, seed, seen);
  }

  /// All records, those of one face together.
  std::vector<FaceRecord> take() {
    std::stable_sort(records_.begin(), records_.end(), [](const FaceRecord& a, const FaceRecord& b) { return a.key < b.key; });
    return std::move(records_);
  }

 private:
  using Edge = std::pair<Index, Index>;
  struct Pocket {
    std::vector<Triangle> triangles;
    bool forward;  ///< they run along the first edge that is in the border once from its smaller point to the larger
  };

  /// Scored edges of a triangle stay scored in its pieces: the pairs of neighbours along such an edge.
  void note_scored(Index t) {
    scored_.clear();
    for (std::size_t e = 0; e < 3; ++e) {
      if ((soup_.provenance[t].scored >> e & 1) == 0) continue;
      const auto [lo, hi] = std::minmax(soup_.triangles[t][e], soup_.triangles[t][(e + 1) % 3]);
      Index last = lo;
      for (const auto& p : runs_.of(lo, hi)) {
        scored_.push_back(std::minmax(last, p.point));
        last = p.point;
      }
      scored_.push_back(std::minmax(last, hi));
    }
  }

  void add_record(const Triangle& corners, Index source, bool same_way) {
    unsigned bits = 0;
    for (std::size_t e = 0; e < 3 && !scored_.empty(); ++e) {
      const Edge edge = std::minmax(corners[e], corners[(e + 1) % 3]);
      if (std::find(scored_.begin(), scored_.end(), edge) != scored_.end()) bits |= 1u << e;
    }
    Triangle key = corners;
    std::sort(key.begin(), key.end());
    records_.push_back({key, corners, {source, same_way, static_cast<unsigned char>(bits)}});
  }

  void add_pocket(Index t, const std::vector<Planar::Piece>& pieces, std::size_t seed, std::vector<char>& seen) {
    seen[seed] = 1;
    std::vector<std::size_t> pocket{seed};
    std::vector<Edge> border, forward;
    for (std::size_t i = 0; i < pocket.size(); ++i)
      for (std::size_t e = 0; e < 3; ++e) {
        const auto& piece = pieces[pocket[i]];
        if (piece.fixed[e]) {
          const Index a = piece.corners[(e + 1) % 3], b = piece.corners[(e + 2) % 3];
          border.emplace_back(std::min(a, b), std::max(a, b));
          if (a < b) forward.emplace_back(a, b);
        } else if (const auto n = static_cast<std::size_t>(piece.across[e]); !seen[n]) {
          seen[n] = 1;
          pocket.push_back(n);
        }
      }
    std::sort(border.begin(), border.end());
    std::size_t once = 0;
    while (once + 1 < border.size() && border[once] == border[once + 1]) once += 2;
    once = std::min(once, border.size() - 1);
    Pocket own{{}, std::find(forward.begin(), forward.end(), border[once]) != forward.end()};
    for (std::size_t i : pocket) own.triangles.push_back(pieces[i].corners);
    const bool runs_forward = own.forward;
    const auto first = pockets_.try_emplace(std::move(border), std::move(own)).first;
    const bool same_way = first->second.forward == runs_forward;
    for (const Triangle& triangle : first->second.triangles) add_record(triangle, t, same_way);
  }

  const Soup& soup_;
  const Cuts& cuts_;
  const EdgeRuns& runs_;
  std::vector<Edge> scored_;  // of the triangle that is being added
  std::map<std::vector<Edge>, Pocket> pockets_;
  std::vector<FaceRecord> records_;
};

/// The source of a record as its face runs: as the corners `face` of the first record do.
Arrangement::Source as_face_runs(const FaceRecord& record, const Triangle& face) {
  // Same cyclic order as the first, or the other one?
  const Triangle& own = record.corners;
  const auto at = static_cast<std::size_t>(std::find(own.begin(), own.end(), face[0]) - own.begin());
  const bool cyclic = own[(at + 1) % 3] == face[1];
  Arrangement::Source source = record.source;
  source.same_way = source.same_way == cyclic;
  unsigned bits = 0;
  for (std::size_t e = 0; e < 3; ++e) {
    const std::size_t edge = cyclic ? (at + e) % 3 : (at + 5 - e) % 3;
    bits |= static_cast<unsigned>(source.scored >> edge & 1) << e;
  }
  source.scored = static_cast<unsigned char>(bits);
  return source;
}

/// Coinciding sub-triangles become one face with a list of sources.
void weld_faces(const std::vector<FaceRecord>& records, Arrangement& arrangement) {
  for (std::size_t i = 0; i < records.size();) {
    arrangement.faces.push_back(records[i].corners);
    std::size_t j = i;
    for (; j < records.size() && records[j].key == records[i].key; ++j)
      arrangement.sources.push_back(as_face_runs(records[j], records[i].corners));
    arrangement.source_begin.push_back(static_cast<Index>(arrangement.sources.size()));
    i = j;
  }
}

}  // namespace

void cross_segments(const Soup& soup, Cuts& cuts, PointSet& points, const Control& control) {
  struct Crossing {
    std::size_t a, b;
  };
  std::vector<std::size_t> starts;
  for (std::size_t i = 0; i < cuts.segments.size(); ++i)
    if (i == 0 || cuts.segments[i].triangle != cuts.segments[i - 1].triangle) starts.push_back(i);
  starts.push_back(cuts.segments.size());
  std::vector<std::vector<Crossing>> found(starts.size() - 1);
  MetPlaces crossings;
  tbb::parallel_for(std::size_t{0}, found.size(), [&](std::size_t g) {
    const std::size_t begin = starts[g], end = starts[g + 1];
    if (end - begin < 2) return;
    const Index triangle = cuts.segments[begin].triangle;
    const Projection plane = projection_of(soup, triangle);
    struct Span {
      double lo_u, hi_u, lo_v, hi_v;
      std::size_t segment;
    };
    std::vector<Span> spans;
    for (std::size_t i = begin; i < end; ++i) {
      const auto &s = cuts.segments[i];
      const Bounded au = points.coordinate(s.from, plane.u), bu = points.coordinate(s.to, plane.u),
                   av = points.coordinate(s.from, plane.v), bv = points.coordinate(s.to, plane.v);
      spans.push_back({std::min(au.value - au.error, bu.value - bu.error), std::max(au.value + au.error, bu.value + bu.error),
                       std::min(av.value - av.error, bv.value - bv.error), std::max(av.value + av.error, bv.value + bv.error), i});
    }
    std::sort(spans.begin(), spans.end(), [](const Span& a, const Span& b) {
      return a.lo_u != b.lo_u ? a.lo_u < b.lo_u : a.segment < b.segment;
    });
    for (std::size_t i = 0; i < spans.size(); ++i) {
      check_stop(control);
      const std::size_t before = found[g].size();
      for (std::size_t j = i + 1; j < spans.size() && spans[j].lo_u <= spans[i].hi_u; ++j) {
        if (spans[i].lo_v > spans[j].hi_v || spans[j].lo_v > spans[i].hi_v) continue;
        const auto &s = cuts.segments[spans[i].segment], &t = cuts.segments[spans[j].segment];
        if (!soup.may_meet(s.other, t.other)) continue;
        if (s.from == t.from || s.from == t.to || s.to == t.from || s.to == t.to) continue;
        const int a = points.turn(plane, s.from, s.to, t.from), b = points.turn(plane, s.from, s.to, t.to);
        if (a * b >= 0) continue;
        const int c = points.turn(plane, t.from, t.to, s.from), d = points.turn(plane, t.from, t.to, s.to);
        if (c * d < 0) found[g].push_back({spans[i].segment, spans[j].segment});
      }
      if (const std::size_t more = found[g].size() - before; more > 0) crossings.add(more);
    }
  });
  // Lines and planes that lie on each other many times over cross in one point.
  std::map<std::array<Index, 4>, Index> of_lines;
  std::map<std::array<Index, 3>, Index> of_line, of_planes;
  const auto once = [](auto& known, const auto& key, const auto& make) {
    const auto [it, is_new] = known.try_emplace(key, no_index);
    if (is_new) it->second = make();
    return it->second;
  };
  const auto with_plane = [&](const Cuts::Segment& line, Index plane) {
    return once(of_line, std::array{line.edge_lo, line.edge_hi, plane}, [&] { return points.add(soup.points[line.edge_lo], soup.points[line.edge_hi], soup.plane(plane)); });
  };
  std::vector<std::pair<std::size_t, Index>> splits;  // segment, point
  for (const auto& list : found)
    for (const Crossing& x : list) {
      const auto &s = cuts.segments[x.a], &t = cuts.segments[x.b];
      const bool s_line = s.edge_lo != no_index, t_line = t.edge_lo != no_index;
      Index point;
      if (s_line && t_line) {
        const bool in_order = std::pair(s.edge_lo, s.edge_hi) < std::pair(t.edge_lo, t.edge_hi);
        const auto &[first, second] = in_order ? std::tie(s, t) : std::tie(t, s);
        point = once(of_lines, std::array{first.edge_lo, first.edge_hi, second.edge_lo, second.edge_hi}, [&] {
          return points.add_crossing(soup.points[s.edge_lo], soup.points[s.edge_hi], soup.points[t.edge_lo], soup.points[t.edge_hi]);
        });
      } else if (s_line || t_line) {
        point = s_line ? with_plane(s, t.other) : with_plane(t, s.other);
      } else {
        std::array<Index, 3> planes{s.triangle, s.other, t.other};
        std::sort(planes.begin(), planes.end());
        point = once(of_planes, planes, [&] { return points.add(soup.plane(s.triangle), soup.plane(s.other), soup.plane(t.other)); });
      }
      splits.emplace_back(x.a, point);
      splits.emplace_back(x.b, point);
    }
  std::sort(splits.begin(), splits.end());
  splits.erase(std::unique(splits.begin(), splits.end()), splits.end());
  std::vector<Cuts::Segment> pieces;
  std::size_t k = 0;
  for (std::size_t i = 0; i < cuts.segments.size(); ++i) {
    const Cuts::Segment& s = cuts.segments[i];
    std::vector<Index> chain{s.from};
    for (; k < splits.size() && splits[k].first == i; ++k) chain.push_back(splits[k].second);
    if (chain.size() > 1) {
      const Vec3 along = points.approximate(s.to) - points.approximate(s.from);
      int axis = 0;
      along.cwiseAbs().maxCoeff(&axis);
      const int way = along[axis] > 0 ? 1 : -1;
      std::sort(chain.begin() + 1, chain.end(), [&](Index a, Index b) { return way * points.compare(axis, a, b) < 0; });
    }
    chain.push_back(s.to);
    for (std::size_t j = 1; j < chain.size(); ++j) {
      Cuts::Segment piece = s;
      piece.from = chain[j - 1];
      piece.to = chain[j];
      pieces.push_back(piece);
    }
  }
  cuts.segments = std::move(pieces);
}

void subdivide(Soup& soup, Cuts& cuts, Arrangement& arrangement, const Control& control, bool by_contact) {
  PointSet& points = arrangement.points;
  unify_points(soup, cuts, points);
  check_stop(control);
  const EdgeRuns runs(soup, cuts, points);
  // Touched triangles, those of one facet together, in the order of the facets.
  std::vector<Index> touched;
  for (Index t = 0; t < soup.triangles.size(); ++t)
    if (cuts.touched[t]) touched.push_back(t);
  if (!soup.facet.empty()) std::stable_sort(touched.begin(), touched.end(), [&](Index a, Index b) { return soup.facet[a] < soup.facet[b]; });
  std::vector<std::span<const Index>> facets;
  for (std::size_t i = 0; i < touched.size();) {
    std::size_t j = i;
    while (j < touched.size() && soup.facet_of(touched[j]) == soup.facet_of(touched[i])) ++j;
    facets.emplace_back(touched.data() + i, j - i);
    i = j;
  }
  std::vector<std::vector<Planar::Piece>> pieces(facets.size());
  tbb::parallel_for(std::size_t{0}, facets.size(), [&](std::size_t k) {
    check_stop(control);
    pieces[k] = cut_facet(facets[k], soup, cuts, runs, points, by_contact, control);
  });
  FaceCollector collector(soup, cuts, runs);
  for (std::size_t k = 0; k < facets.size(); ++k) collector.add(facets[k][0], pieces[k]);
  check_stop(control);
  weld_faces(collector.take(), arrangement);
  arrangement.touched = cuts.touched;
  for (std::size_t t = 0; t < soup.triangles.size() && !soup.removed.uniform(); ++t)
    if (soup.removed[t]) arrangement.touched[t] = 1;
}

}  // namespace anvil::boolean
