// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/charts.h"

#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <mutex>

#include "core/control.h"
#include "core/exact/predicates.h"
#include "core/mesh/broad_phase.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/bvh.h"
#include "core/mesh/edges.h"
#include "core/query/hubs.h"

namespace anvil {
namespace {

constexpr std::size_t stretch = 8192;    // triangles looked at together; a power of two times the hierarchy's leaves
constexpr std::size_t worth_splitting = 64;
constexpr std::size_t fewest = 3;        // of a chart; two triangles at one edge are as quickly compared
constexpr std::size_t longest_rim = 2048;  // half-edges; looking whether it meets itself takes longer than in proportion
constexpr double least_slope = 0.25;     // of a normal along the axis of its chart; flatter ones make ragged rims

/// One of the six directions along an axis to look from.
struct Direction {
  int axis = 0;
  bool from_above = true;

  Projection projection() const {
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    return from_above ? Projection{u, v} : Projection{v, u};
  }
  double slope(const Vec3& normal) const { return from_above ? normal[axis] : -normal[axis]; }
};
Direction direction(std::size_t k) { return {static_cast<int>(k / 2), k % 2 == 0}; }
constexpr std::size_t directions = 6;
constexpr unsigned char nowhere = directions;

/// Is the direction from v to a at an angle within [0, 180) degrees?
bool in_upper_half(const Point2& v, const Point2& a) { return a.y > v.y || (a.y == v.y && a.x > v.x); }

class ChartFinder {
 public:
  ChartFinder(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<const Index> opposite,
              std::span<const Index> place)
      : positions_(positions), triangles_(triangles), opposite_(opposite), place_(place), turns_(positions.size()) {}

  std::vector<std::vector<Index>> found;  ///< charts
  std::vector<Box3> boxes;                ///< of each
  std::vector<Projection> seen;           ///< of each

  /// Looks for charts among the triangles at places from `first` on.
  void find(std::span<const Index> some, Index first) {
    some_ = some;
    first_ = first;
    normals_.resize(some.size());
    facing_.assign(some.size(), nowhere);
    list_.assign(some.size(), 0);
    lists_ = 0;
    std::array<std::size_t, directions> facing_count{};
    for (std::size_t k = 0; k < some.size(); ++k) {
      const Triangle& t = triangles_[some[k]];
      const Vec3 n = (positions_[t[1]] - positions_[t[0]]).cross(positions_[t[2]] - positions_[t[0]]);
      normals_[k] = n;
      int axis = 0;
      if (!(n.cwiseAbs().maxCoeff(&axis) > 0)) continue;
      facing_[k] = static_cast<unsigned char>(2 * axis + (n[axis] > 0 ? 0 : 1));
      ++facing_count[facing_[k]];
    }
    // The direction that most are best seen from takes all that can be seen from there, and so on.
    while (true) {
      const auto most = static_cast<std::size_t>(std::max_element(facing_count.begin(), facing_count.end()) - facing_count.begin());
      if (facing_count[most] < fewest) return;
      const Direction from = direction(most);
      plane_ = from.projection();
      std::vector<Index> these;
      for (Index k = 0; k < some.size(); ++k) {
        const double slope = from.slope(normals_[k]);
        if (facing_[k] == nowhere || slope < 0 || slope * slope < least_slope * least_slope * normals_[k].squaredNorm()) continue;
        --facing_count[facing_[k]];
        facing_[k] = nowhere;
        const Triangle& t = triangles_[some[k]];
        if (orient2d(at(t[0]), at(t[1]), at(t[2])) > 0) these.push_back(k);
      }
      certify(these);
    }
  }

 private:
  /// One half-edge of a rim, seen from one of its ends.
  struct RimEnd {
    Index vertex, other;
    bool begins;  ///< the surface lies to the left of vertex → other; otherwise of other → vertex
  };
  struct Turns {
    Index piece = 0, count = 0;
  };

  Point2 at(Index vertex) const { return plane_(positions_[vertex]); }
  Index from(Index corner) const { return triangles_[corner / 3][corner % 3]; }
  Index to(Index corner) const { return from(next_in_triangle(corner)); }
  /// The triangle across a half-edge when it is in the same list, else no_index: its place from first_ on.
  Index across(Index corner, Index list) const {
    if (opposite_[corner] == no_index) return no_index;
    const Index k = place_[opposite_[corner] / 3] - first_;  // wraps around when it is before
    return k < list_.size() && list_[k] == list ? k : no_index;
  }
  Index turns_at(Index vertex) const { return turns_[vertex].piece == piece_number_ ? turns_[vertex].count : 0; }

  /// Splits a list of triangles that all face a direction into connected pieces, and proves what it can of them.
  void certify(const std::vector<Index>& list) {
    if (list.size() < fewest) return;
    const Index number = ++lists_;
    for (Index k : list) list_[k] = number;
    std::vector<std::vector<Index>> again;
    for (Index k : list) {
      if (list_[k] != number) continue;
      if (flood(k, number)) {
        if (piece_.size() < fewest) continue;
        std::vector<Index>& chart = found.emplace_back(piece_.size());
        Box3& box = boxes.emplace_back();
        seen.push_back(plane_);
        for (std::size_t p = 0; p < piece_.size(); ++p) {
          chart[p] = some_[piece_[p]];
          for (Index v : triangles_[chart[p]]) box.add(positions_[v]);
        }
      } else if (piece_.size() > worth_splitting) {
        // Most of it may do all the same: each half by itself, near ones together as in the list.
        std::sort(piece_.begin(), piece_.end());
        const auto half = piece_.begin() + static_cast<std::ptrdiff_t>(piece_.size() / 2);
        again.emplace_back(piece_.begin(), half);
        again.emplace_back(half, piece_.end());
      }
    }
    for (const auto& some : again) certify(some);
  }

  /// Fills piece_ with what is connected to a triangle of a list, and takes it from there.
  /// @return whether the projection is one to one there; all triangles turn the same way in it
  bool flood(Index first, Index list) {
    const Index taken = ++lists_;
    ++piece_number_;
    piece_.assign(1, first);
    list_[first] = taken;
    rim_.clear();
    bool once = true;
    for (std::size_t p = 0; p < piece_.size(); ++p) {
      const Triangle& t = triangles_[some_[piece_[p]]];
      const std::array<Point2, 3> corner{at(t[0]), at(t[1]), at(t[2])};
      for (Index k = 0; k < 3; ++k) {
        const Index half_edge = 3 * some_[piece_[p]] + k;
        if (const Index next = across(half_edge, list); next != no_index) {
          list_[next] = taken;
          piece_.push_back(next);
        } else if (across(half_edge, taken) == no_index) {
          rim_.push_back(half_edge);
        }
        // The fan of a vertex passes the direction of the first axis as often as it goes around.
        if (in_upper_half(corner[k], corner[(k + 1) % 3]) || !in_upper_half(corner[k], corner[(k + 2) % 3])) continue;
        Turns& turns = turns_[t[k]];
        if (turns.piece != piece_number_) turns = {piece_number_, 0};
        if (++turns.count > 1) once = false;
      }
    }
    return once && rim_.size() <= longest_rim && no_direction_twice() && rim_is_simple();
  }

  /// Do the triangles around each vertex of the rim leave every direction covered at most once? (Those around other
  /// vertices do when they go around once.)
  bool no_direction_twice() {
    ends_.clear();
    for (Index c : rim_) {
      ends_.push_back({from(c), to(c), true});
      ends_.push_back({to(c), from(c), false});
    }
    std::sort(ends_.begin(), ends_.end(), [&](const RimEnd& a, const RimEnd& b) {
      if (a.vertex != b.vertex) return a.vertex < b.vertex;
      const Point2 v = at(a.vertex);
      const bool up = in_upper_half(v, at(a.other)), other_up = in_upper_half(v, at(b.other));
      if (up != other_up) return up;
      return orient2d(v, at(a.other), at(b.other)) > 0;
    });
    for (std::size_t k = 0; k < ends_.size();) {
      std::size_t end = k + 1;
      while (end < ends_.size() && ends_[end].vertex == ends_[k].vertex) ++end;
      const Point2 v = at(ends_[k].vertex);
      // Going around once, sectors begin and end in turn, and what covers the first direction is the one that ends first.
      if (turns_at(ends_[k].vertex) != (ends_[k].begins ? 0 : 1)) return false;
      for (std::size_t j = k + 1; j < end; ++j) {
        if (ends_[j].begins == ends_[j - 1].begins) return false;
        const Point2 a = at(ends_[j - 1].other), b = at(ends_[j].other);
        if (in_upper_half(v, a) == in_upper_half(v, b) && orient2d(v, a, b) == 0) return false;
      }
      k = end;
    }
    return true;
  }

  /// Do half-edges of the rim meet only at common vertices?
  bool rim_is_simple() {
    struct Segment {
      double lo, hi, low, high;
      Index from, to;
    };
    Box3 box;
    for (Index c : rim_) box.add({at(from(c)).x, at(from(c)).y, 0});
    const bool along_x = box.size().x() > box.size().y();
    std::vector<Segment> segments;
    for (Index c : rim_) {
      const Point2 a = at(from(c)), b = at(to(c));
      const auto [lo, hi] = along_x ? std::minmax(a.x, b.x) : std::minmax(a.y, b.y);
      const auto [low, high] = along_x ? std::minmax(a.y, b.y) : std::minmax(a.x, b.x);
      segments.push_back({lo, hi, low, high, from(c), to(c)});
    }
    std::sort(segments.begin(), segments.end(), [](const Segment& a, const Segment& b) { return a.lo < b.lo; });
    for (auto s = segments.begin(); s != segments.end(); ++s)
      for (auto t = s + 1; t != segments.end() && t->lo <= s->hi; ++t) {
        if (t->low > s->high || s->low > t->high) continue;
        const bool at_start = s->from == t->from || s->from == t->to, at_end = s->to == t->from || s->to == t->to;
        if (at_start && at_end) return false;
        if (at_start || at_end) continue;  // told apart by their directions from there
        if (segments_meet(at(s->from), at(s->to), at(t->from), at(t->to))) return false;
      }
    return true;
  }

  std::span<const Vec3> positions_;
  std::span<const Triangle> triangles_;
  std::span<const Index> opposite_, place_;
  std::vector<Turns> turns_;  ///< per vertex, of the piece at hand
  Index piece_number_ = 0;
  // Of the stretch at hand:
  std::span<const Index> some_;
  Index first_ = 0;
  std::vector<Vec3> normals_;
  std::vector<unsigned char> facing_;  ///< the direction it is best seen from; nowhere: taken, or it has none
  std::vector<Index> list_;            ///< that it is in
  Index lists_ = 0;
  Projection plane_{0, 1};
  // Of the piece at hand:
  std::vector<Index> piece_;  ///< places from first_ on
  std::vector<Index> rim_;    ///< half-edges without one across
  std::vector<RimEnd> ends_;
};

/// Triangles that may meet one of another chart, or that are in none: those whose boxes overlap the box of another chart,
/// or of a triangle that is in none. In the given order.
std::vector<Index> near_others(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Charts& charts,
                               std::span<const Index> order, const std::stop_token& stop) {
  // A box stands as a triangle with its corners.
  std::vector<Vec3> corners;
  std::vector<Triangle> boxes;
  auto add = [&](const Box3& box) {
    const auto first = static_cast<Index>(corners.size());
    corners.insert(corners.end(), {box.lo, box.hi});
    boxes.push_back({first, first + 1, first});
  };
  for (const Box3& box : charts.boxes) add(box);
  for (Index i = 0; i < triangles.size(); ++i)
    if (charts.chart[i] == no_index) add(box_of(positions, triangles[i]));
  std::vector<std::vector<Index>> beside(charts.boxes.size());
  // Pairs of triangles that are in none stay anyway.
  std::vector<Index> groups(boxes.size(), 0);
  std::fill_n(groups.begin(), beside.size(), no_index);
  std::mutex mutex;
  Bvh(corners, boxes, 0, groups).for_each_pair(
      [&](Index i, Index j) {
        const std::lock_guard lock(mutex);
        if (i < beside.size()) beside[i].push_back(j);
        if (j < beside.size()) beside[j].push_back(i);
      },
      stop);
  std::vector<char> near(triangles.size(), 1);
  tbb::parallel_for(std::size_t{0}, beside.size(), [&](std::size_t c) {
    if (stop.stop_requested()) throw Stopped{};
    constexpr std::size_t at_once = 16;  // they were found one beside the other: most are clear together
    const std::vector<Index>& chart = charts.triangles[c];
    std::array<Box3, at_once> own;
    std::vector<Box3> others, close;
    for (Index other : beside[c]) others.push_back({corners[2 * other], corners[2 * other + 1]});
    for (std::size_t first = 0; first < chart.size(); first += at_once) {
      const std::size_t count = std::min(at_once, chart.size() - first);
      Box3 all;
      for (std::size_t k = 0; k < count; ++k) {
        own[k] = box_of(positions, triangles[chart[first + k]]);
        all.add(own[k].lo);
        all.add(own[k].hi);
      }
      close.clear();
      std::copy_if(others.begin(), others.end(), std::back_inserter(close), [&](const Box3& other) { return overlap(all, other); });
      for (std::size_t k = 0; k < count; ++k)
        near[chart[first + k]] = std::any_of(close.begin(), close.end(), [&](const Box3& other) { return overlap(own[k], other); });
    }
  });
  std::vector<Index> some;
  for (Index i : order)
    if (near[i]) some.push_back(i);
  return some;
}

/// Which triangles cannot cross a chart that lies in a plane square to an axis: those on one side of it that touch the plane
/// in nothing but a corner of the chart, or an edge that they share with a triangle of it. As no two triangles of the chart
/// meet anywhere but at common corners and edges, such a corner or edge meets no other triangle of it. So walls are told
/// apart from the long triangles of their caps at once.
class FlatCharts {
 public:
  FlatCharts(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<const Index> opposite, const Charts& charts)
      : chart_(charts.chart) {
    std::vector<int> axis_of;  // of each chart; 3: not flat
    for (const Box3& box : charts.boxes) {
      int axis = 0;
      while (axis < 3 && box.lo[axis] != box.hi[axis]) ++axis;
      axis_of.push_back(axis);
    }
    std::vector<At> at;
    for (Index c = 0; c < axis_of.size(); ++c)
      for (Index i : charts.triangles[c])
        for (std::size_t k = 0; k < 3 && axis_of[c] < 3; ++k) at.push_back({triangles[i][k], c});
    if (at.empty()) return;
    const std::vector<Index> first = bucket_sort(at, positions.size(), [](const At& a) { return a.vertex; });
    clear_of_.assign(triangles.size(), {no_index, no_index});
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, triangles.size(), 4096), [&](const auto& range) {
      for (std::size_t i = range.begin(); i < range.end(); ++i) {
        std::size_t found = 0;
        for (std::size_t k = 0; k < 3; ++k)
          for (Index n = first[triangles[i][k]]; n < first[triangles[i][k] + 1] && found < 2; ++n) {
            const Index c = at[n].chart;
            if (c == chart_[i] || clear_of_[i][0] == c || clear_of_[i][1] == c) continue;
            auto touches_at_edge = [&](std::size_t edge) {
              const Index across = opposite[3 * i + edge];
              return across != no_index && chart_[across / 3] == c;
            };
            if (is_clear(positions, triangles[i], axis_of[c], charts.boxes[c].lo[axis_of[c]], touches_at_edge)) clear_of_[i][found++] = c;
          }
      }
    });
  }

  bool are_clear(Index i, Index j) const { return !clear_of_.empty() && (is_clear_of(i, chart_[j]) || is_clear_of(j, chart_[i])); }

 private:
  struct At {
    Index vertex, chart;
    bool operator<(const At& o) const { return pair_key(vertex, chart) < pair_key(o.vertex, o.chart); }
  };
  /// @param t  has a corner of the chart
  template <class TouchesAtEdge>
  static bool is_clear(std::span<const Vec3> positions, const Triangle& t, int axis, double height, TouchesAtEdge&& touches_at_edge) {
    int above = 0, below = 0, in_plane = 0;
    std::array<bool, 3> in{};
    for (std::size_t k = 0; k < 3; ++k) {
      const double h = positions[t[k]][axis];
      above += h > height;
      below += h < height;
      in[k] = h == height;
      in_plane += in[k];
    }
    if (above > 0 && below > 0) return false;
    if (in_plane == 1) return true;
    for (std::size_t k = 0; k < 3; ++k)
      if (in_plane == 2 && in[k] && in[(k + 1) % 3]) return touches_at_edge(k);
    return false;
  }
  bool is_clear_of(Index i, Index chart) const { return chart != no_index && (clear_of_[i][0] == chart || clear_of_[i][1] == chart); }

  std::span<const Index> chart_;
  std::vector<std::array<Index, 2>> clear_of_;  ///< per triangle, at most two charts; empty when none is flat
};

}  // namespace

Charts find_charts(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<const Index> opposite,
                   std::span<const Index> order, const std::stop_token& stop) {
  std::vector<Index> place(triangles.size());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, order.size(), 16384), [&](const auto& range) {
    for (std::size_t k = range.begin(); k < range.end(); ++k) place[order[k]] = static_cast<Index>(k);
  });
  tbb::enumerable_thread_specific<ChartFinder> finders([&] { return ChartFinder(positions, triangles, opposite, place); });
  tbb::parallel_for(std::size_t{0}, (order.size() + stretch - 1) / stretch, [&](std::size_t k) {
    if (stop.stop_requested()) throw Stopped{};
    finders.local().find(order.subspan(k * stretch, std::min(stretch, order.size() - k * stretch)), static_cast<Index>(k * stretch));
  });
  Charts charts;
  for (ChartFinder& finder : finders) {
    std::move(finder.found.begin(), finder.found.end(), std::back_inserter(charts.triangles));
    charts.boxes.insert(charts.boxes.end(), finder.boxes.begin(), finder.boxes.end());
    charts.seen.insert(charts.seen.end(), finder.seen.begin(), finder.seen.end());
  }
  charts.chart.assign(triangles.size(), no_index);
  tbb::parallel_for(std::size_t{0}, charts.triangles.size(), [&](std::size_t c) {
    for (Index i : charts.triangles[c]) charts.chart[i] = static_cast<Index>(c);
  });
  return charts;
}

void for_each_possible_crossing(std::span<const Vec3> positions, std::span<const Triangle> triangles,
                                std::span<const Index> opposite, const std::function<void(Index, Index)>& visit,
                                const std::stop_token& stop) {
  const std::vector<Index> order = morton_order(positions, triangles);
  if (stop.stop_requested()) throw Stopped{};
  const Charts charts = find_charts(positions, triangles, opposite, order, stop);
  const FlatCharts flat(positions, triangles, opposite, charts);
  const std::function<void(Index, Index)> look = [&](Index i, Index j) {
    if (!flat.are_clear(i, j)) visit(i, j);
  };
  std::vector<Index> some = near_others(positions, triangles, charts, order, stop);
  const Hubs hubs(triangles, some, positions.size());
  if (hubs.empty()) return Bvh(positions, triangles, std::move(some), 0, charts.chart).for_each_pair(look, stop);
  // Those of one hub are told apart as seen from it, and stand together as those of one chart do otherwise.
  std::vector<Index> group = charts.chart;
  for (Index i : some)
    if (hubs.of(i) != no_index) group[i] = static_cast<Index>(charts.triangles.size()) + hubs.of(i);
  const auto of_one_chart = [&](Index i, Index j) { return charts.chart[i] != no_index && charts.chart[i] == charts.chart[j]; };
  const Hubs::Boxes boxes = hubs.boxes(positions, triangles, some);
  std::vector<Index> groups;
  for (Index i : boxes.of) groups.push_back(group[i]);
  Bvh(boxes.points, boxes.boxes, 0, groups)
      .for_each_pair(
          [&](Index p, Index q) {
            const Index i = boxes.of[p], j = boxes.of[q];
            if (i != j && !of_one_chart(i, j)) look(i, j);
          },
          stop);
  hubs.for_each_pair(
      positions, triangles,
      [&](Index i, Index j) {
        if (!of_one_chart(i, j)) look(i, j);
      },
      stop);
}

}  // namespace anvil
