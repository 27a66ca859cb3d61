// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/grid_lines.h"

#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <cmath>
#include <unordered_map>
#include <unordered_set>

#include "core/exact/predicates.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/union_find.h"
#include "core/mesh/winding.h"
#include "core/recast/open_border.h"

namespace anvil::recast {
namespace {

int sign_of(double a, double b) { return (a > b) - (a < b); }  // of a − b, exactly

/// How far points are moved aside where a test is undecided: x by far more than y, y by far more than z.
bool is_moved_more(int axis, int other) { return axis < other; }

/// On which side of the edge from a to b the line through (u, v) passes, seen down the axis; never 0 but for an edge without length there.
int side_of_edge(const Vec3& a, const Vec3& b, const Point2& line, int u, int v) {
  if (const int sure = orient2d({a[u], a[v]}, {b[u], b[v]}, line); sure != 0) return sure;
  // Moving the line by (du, dv) changes the sign to that of (b − a)u dv − (b − a)v du.
  const int by_u = -sign_of(b[v], a[v]), by_v = sign_of(b[u], a[u]);
  const int first = is_moved_more(u, v) ? by_u : by_v;
  return first != 0 ? first : is_moved_more(u, v) ? by_v : by_u;
}

/// A triangle seen down an axis.
struct Seen {
  const Vec3 &a, &b, &c;
  int axis, turn;  // turn: the sign of its normal along the axis

  Seen(const Vec3& p, const Vec3& q, const Vec3& r, int along) : a(p), b(q), c(r), axis(along), turn(turn_along(along)) {}
  int turn_along(int along) const {
    const int u = u_of(along), v = v_of(along);
    return orient2d({a[u], a[v]}, {b[u], b[v]}, {c[u], c[v]});
  }
  bool is_passed_by(const Point2& line) const {
    const int u = u_of(axis), v = v_of(axis);
    return side_of_edge(a, b, line, u, v) == turn && side_of_edge(b, c, line, u, v) == turn && side_of_edge(c, a, line, u, v) == turn;
  }
  /// Does the axis meet the triangle's plane above the point?
  bool is_above(const Vec3& p) const {
    int side = orient3d(a, b, c, p);
    for (int k = 0; side == 0 && k < 3; ++k) side = turn_along(k);  // moved aside along x, then y, then z
    return side * turn < 0;
  }
};

class Lines {
 public:
  Lines(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Grid& grid, int axis)
      : positions_(positions), triangles_(triangles), grid_(grid), axis_(axis) {}

  std::vector<Crossing> hits(const Control& control) const {
    tbb::enumerable_thread_specific<std::vector<Crossing>> found;
    constexpr std::size_t at_once = 256;
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(triangles_.size()), at_once), [&](const auto& range) {
      if (control.stop.stop_requested()) return;
      std::vector<Crossing>& mine = found.local();
      for (Index t = range.begin(); t < range.end(); ++t) add_hits(t, mine);
    });
    check_stop(control);
    std::vector<Crossing> all;
    std::size_t sum = 0;
    for (const auto& mine : found) sum += mine.size();
    all.reserve(sum);
    for (auto& mine : found) {
      all.insert(all.end(), mine.begin(), mine.end());
      mine = {};
    }
    return all;
  }

 private:
  void add_hits(Index t, std::vector<Crossing>& hits) const {
    const int u = u_of(axis_), v = v_of(axis_);
    const auto& [ia, ib, ic] = triangles_[t];
    const Seen seen(positions_[ia], positions_[ib], positions_[ic], axis_);
    const Vec3 &a = seen.a, &b = seen.b, &c = seen.c;
    const auto [u_first, u_last] = range(std::min({a[u], b[u], c[u]}), std::max({a[u], b[u], c[u]}), u);
    const auto [v_first, v_last] = range(std::min({a[v], b[v], c[v]}), std::max({a[v], b[v], c[v]}), v);
    if (u_first > u_last || v_first > v_last || seen.turn == 0) return;
    const double low = std::min({a[axis_], b[axis_], c[axis_]}), high = std::max({a[axis_], b[axis_], c[axis_]});
    const Vec3 n = (b - a).cross(c - a);
    const bool is_steep = std::abs(n[axis_]) < 1e-8 * n.cwiseAbs().maxCoeff();  // so nearly along the line that doubles do not tell where it is met
    for (Index j = v_first; j <= v_last; ++j)
      for (Index i = u_first; i <= u_last; ++i) {
        const Point2 line{grid_.at(u, i), grid_.at(v, j)};
        if (!seen.is_passed_by(line)) continue;
        double at = a[axis_] - (n[u] * (line.x - a[u]) + n[v] * (line.y - a[v])) / n[axis_];
        if (!(at >= low)) at = low;
        if (!(at <= high)) at = high;
        hits.push_back({i + j * grid_.size[static_cast<std::size_t>(u)], edge_of(seen, line, at, is_steep), t, seen.turn > 0, at});
      }
  }

  /// Lines whose coordinate is in that range, and maybe one more on each side.
  std::pair<Index, Index> range(double low, double high, int axis) const {
    const double first = std::ceil((low - grid_.origin[axis]) / grid_.step - 1e-6), last = std::floor((high - grid_.origin[axis]) / grid_.step + 1e-6);
    return {static_cast<Index>(std::max(0.0, first)), static_cast<Index>(std::min(static_cast<double>(grid_.size[static_cast<std::size_t>(axis)] - 1), last))};
  }

  /// The last point of the line that lies below the triangle. Beside a point it is decided exactly.
  Index edge_of(const Seen& seen, const Point2& line, double at, bool is_steep) const {
    const auto is_above = [&](Index i) {
      Vec3 p;
      p[axis_] = grid_.at(axis_, i);
      p[u_of(axis_)] = line.x;
      p[v_of(axis_)] = line.y;
      return seen.is_above(p);
    };
    if (is_steep) {
      Index below = 0, above = grid_.size[static_cast<std::size_t>(axis_)] - 1;
      while (above - below > 1) {
        const Index middle = (below + above) / 2;
        (is_above(middle) ? below : above) = middle;
      }
      return below;
    }
    constexpr double surely = 1e-4;  // steps
    const double place = (at - grid_.origin[axis_]) / grid_.step, nearest = std::round(place);
    if (std::abs(place - nearest) > surely) return static_cast<Index>(place);
    return static_cast<Index>(nearest) - (is_above(static_cast<Index>(nearest)) ? 0 : 1);
  }

  std::span<const Vec3> positions_;
  std::span<const Triangle> triangles_;
  const Grid& grid_;
  int axis_;
};

/// Of all hits of a line, those at which the winding number comes to be zero or not zero any more.
std::vector<Crossing> changes_of(const std::vector<Crossing>& hits) {
  std::vector<Crossing> changes;
  changes.reserve(hits.size());
  int winding = 0;
  for (std::size_t i = 0; i < hits.size(); ++i) {
    if (i > 0 && hits[i].line != hits[i - 1].line) winding = 0;
    const int before = winding;
    winding += hits[i].out ? -1 : 1;
    if ((before != 0) == (winding != 0)) continue;
    const bool out = winding == 0;
    // Two at one place of one line enclose nothing.
    if (!changes.empty() && changes.back().line == hits[i].line && changes.back().edge == hits[i].edge && changes.back().at == hits[i].at) {
      changes.pop_back();
      continue;
    }
    changes.push_back(hits[i]);
    changes.back().out = out;
  }
  changes.shrink_to_fit();
  return changes;
}

/// The hits of all lines along an axis, sorted, and where each line's begin.
struct Hits {
  std::vector<Crossing> all;
  std::vector<Index> start;
};
Hits sorted_hits(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Grid& grid, int axis, const Control& control) {
  Hits hits{Lines(positions, triangles, grid, axis).hits(control), {}};
  hits.start = bucket_sort(hits.all, lines_along(grid, axis), [](const Crossing& hit) { return hit.line; });
  check_stop(control);
  return hits;
}

/// Triangles that close a surface: to each connected stretch of its border a fan about its middle.
struct Caps {
  std::vector<Vec3> positions;
  std::vector<Triangle> triangles;
};
Caps caps_of(std::span<const Vec3> positions, std::span<const Triangle> triangles) {
  const std::vector<OpenEdge> border = open_border(triangles);
  UnionFind joined(positions.size());
  for (const auto& [a, b, t] : border) joined.unite(a, b);
  std::unordered_map<Index, std::pair<Vec3, double>> middles;
  for (const auto& [a, b, t] : border) {
    auto& [sum, count] = middles.try_emplace(joined.find(a), Vec3::Zero(), 0.0).first->second;
    sum += positions[a] + positions[b];
    count += 2;
  }
  Caps caps{{positions.begin(), positions.end()}, {}};
  std::unordered_map<Index, Index> apex;
  for (const auto& [root, middle] : middles) {
    apex[root] = static_cast<Index>(caps.positions.size());
    caps.positions.push_back(middle.first / middle.second);
  }
  for (const auto& [a, b, t] : border) caps.triangles.push_back({a, b, apex[joined.find(a)]});
  return caps;
}

/// What a surface that is not closed encloses, for the grid's points and edges that it comes near.
///
/// With caps on its holes it would be closed, and would wind around a point as often as its line says, counted by crossings. The caps' own share is taken off, as a part of the full angle; they
/// have far fewer triangles than the surface.
class OpenSurface {
 public:
  OpenSurface(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Grid& grid, const Control& control)
      : grid_(grid), control_(control), caps_(caps_of(positions, triangles)), caps_winding_(caps_.positions, caps_.triangles), own_(static_cast<Index>(triangles.size())), closed_(triangles.begin(), triangles.end()) {
    closed_.insert(closed_.end(), caps_.triangles.begin(), caps_.triangles.end());
    step_[0] = 1;
    step_[1] = grid.size[0];
    step_[2] = static_cast<std::uint64_t>(grid.size[0]) * grid.size[1];
  }

  Crossings crossings() {
    for (int axis = 0; axis < 3; ++axis) {
      const auto k = static_cast<std::size_t>(axis);
      count_[k] = sorted_hits(caps_.positions, closed_, grid_, axis, control_);
      Index line = no_index;
      int winding = 0;
      for (const Crossing& hit : count_[k].all) {
        if (hit.line != line) winding = 0;
        line = hit.line;
        winding += hit.out ? -1 : 1;
        winding_after_[k].push_back(winding);
        if (hit.triangle >= own_) continue;
        hits_[k].push_back(hit);
        const std::uint64_t edge = edge_of(axis, hit);
        if (known_edges_.insert(edge).second) add_cells_around(edge);
      }
    }
    // Cell after cell, as long as the border of what is enclosed goes on.
    while (!waiting_.empty()) {
      look_at_points();
      find_spans();
    }
    for (int axis = 0; axis < 3; ++axis) add_changes(axis);
    for (auto& list : found_) {
      tbb::parallel_sort(list.begin(), list.end());
    }
    return std::move(found_);
  }

 private:
  std::uint64_t edge_of(int axis, const Crossing& hit) const {
    const int u = u_of(axis), v = v_of(axis);
    const Index along_u = grid_.size[static_cast<std::size_t>(u)];
    return 3 * (hit.edge * step_[static_cast<std::size_t>(axis)] + (hit.line % along_u) * step_[static_cast<std::size_t>(u)] + (hit.line / along_u) * step_[static_cast<std::size_t>(v)]) +
           static_cast<std::uint64_t>(axis);
  }
  std::array<Index, 3> place_of(std::uint64_t point) const {
    return {static_cast<Index>(point % step_[1]), static_cast<Index>(point % step_[2] / step_[1]), static_cast<Index>(point / step_[2])};
  }
  Vec3 position_of(std::uint64_t point) const {
    const auto [i, j, k] = place_of(point);
    return grid_.point(i, j, k);
  }
  /// Is the surface all around it by more than half? @param counted  how often it winds around it with its caps
  bool is_inside(const Vec3& p, int counted) const { return counted - caps_winding_(p) > 0.5; }
  /// Counted along a line, up to what `is_before` says.
  template <class IsBefore>
  int counted(int axis, Index line, IsBefore is_before) const {
    const auto k = static_cast<std::size_t>(axis);
    const auto begin = count_[k].all.begin() + count_[k].start[line], end = count_[k].all.begin() + count_[k].start[line + 1];
    const auto it = std::partition_point(begin, end, is_before);
    return it == begin ? 0 : winding_after_[k][static_cast<std::size_t>(it - count_[k].all.begin()) - 1];
  }
  /// What lies at the border of the grid is outside: of a surface that winds many times around, what is enclosed may have no end.
  bool is_inside(std::uint64_t point) const {
    const auto [i, j, k] = place_of(point);
    if (i == 0 || j == 0 || k == 0 || i + 1 == grid_.size[0] || j + 1 == grid_.size[1] || k + 1 == grid_.size[2]) return false;
    return is_inside(grid_.point(i, j, k), counted(0, j + k * grid_.size[1], [edge = i](const Crossing& hit) { return hit.edge < edge; }));
  }
  bool is_inside(int axis, Index line, Index edge, const Vec3& p) const {
    return is_inside(p, counted(axis, line, [&](const Crossing& hit) { return hit.edge < edge || (hit.edge == edge && hit.at < p[axis]); }));
  }

  void add_cells_around(std::uint64_t edge) {
    const auto axis = static_cast<int>(edge % 3);
    const std::uint64_t su = step_[static_cast<std::size_t>(u_of(axis))], sv = step_[static_cast<std::size_t>(v_of(axis))], point = edge / 3;
    for (const std::uint64_t cell : {point, point - su, point - sv, point - su - sv})
      if (known_cells_.insert(cell).second) waiting_.push_back(cell);
  }

  /// The corners of all waiting cells.
  void look_at_points() {
    std::vector<std::uint64_t> points;
    for (const std::uint64_t cell : waiting_)
      for (unsigned q = 0; q < 8; ++q) {
        const std::uint64_t point = cell + (q & 1) * step_[0] + (q >> 1 & 1) * step_[1] + (q >> 2) * step_[2];
        if (inside_.emplace(point, 0).second) points.push_back(point);
      }
    std::vector<char> inside(points.size());
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, points.size(), 256), [&](const auto& range) {
      if (control_.stop.stop_requested()) return;
      for (std::size_t i = range.begin(); i < range.end(); ++i) inside[i] = is_inside(points[i]);
    });
    check_stop(control_);
    for (std::size_t i = 0; i < points.size(); ++i) inside_[points[i]] = inside[i];
  }

  /// Edges of the waiting cells that no triangle strikes and that yet go in or out.
  void find_spans() {
    std::vector<std::uint64_t> spans;
    for (const std::uint64_t cell : waiting_)
      for (unsigned axis = 0; axis < 3; ++axis)
        for (unsigned q = 0; q < 4; ++q) {
          const std::uint64_t point = cell + (q & 1) * step_[(axis + 1) % 3] + (q >> 1) * step_[(axis + 2) % 3];
          if (inside_.at(point) != inside_.at(point + step_[axis]) && known_edges_.insert(3 * point + axis).second) spans.push_back(3 * point + axis);
        }
    waiting_.clear();
    std::vector<Crossing> made(spans.size());
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, spans.size(), 64), [&](const auto& range) {
      if (control_.stop.stop_requested()) return;
      for (std::size_t i = range.begin(); i < range.end(); ++i) {
        const auto axis = static_cast<int>(spans[i] % 3);
        const std::uint64_t point = spans[i] / 3;
        const std::array<Index, 3> place = place_of(point);
        const auto k = static_cast<std::size_t>(axis), u = static_cast<std::size_t>(u_of(axis)), v = static_cast<std::size_t>(v_of(axis));
        const bool from_inside = inside_.at(point) != 0;
        Vec3 low = position_of(point), high = low;
        high[axis] = grid_.at(axis, place[k] + 1);
        constexpr int halvings = 6;
        const Index line = place[u] + place[v] * grid_.size[u];
        for (int n = 0; n < halvings; ++n) {
          const Vec3 middle = (low + high) / 2;
          (is_inside(axis, line, place[k], middle) == from_inside ? low : high) = middle;
        }
        made[i] = {line, place[k], no_index, from_inside, (low[axis] + high[axis]) / 2};
      }
    });
    check_stop(control_);
    for (std::size_t i = 0; i < spans.size(); ++i) {
      found_[spans[i] % 3].push_back(made[i]);
      add_cells_around(spans[i]);
    }
  }

  /// Of the triangles that strike an edge, those at which it goes in or out.
  void add_changes(int axis) {
    const auto k = static_cast<std::size_t>(axis);
    const std::vector<Crossing>& hits = hits_[k];
    std::vector<char> changes(hits.size(), 0), out(hits.size(), 0);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, hits.size(), 512), [&](const auto& range) {
      if (control_.stop.stop_requested()) return;
      for (std::size_t i = range.begin(); i < range.end(); ++i) {
        const auto is_with = [&](std::size_t j) { return j < hits.size() && hits[j].line == hits[i].line && hits[j].edge == hits[i].edge; };
        if (i > 0 && is_with(i - 1)) continue;
        const std::uint64_t point = edge_of(axis, hits[i]) / 3;
        Vec3 p = position_of(point);
        bool inside = inside_.at(point) != 0;
        for (std::size_t j = i; is_with(j); ++j) {
          bool next = false;
          if (is_with(j + 1)) {
            p[axis] = (hits[j].at + hits[j + 1].at) / 2;
            next = hits[j].at == hits[j + 1].at ? inside : is_inside(axis, hits[j].line, hits[j].edge, p);
          } else {
            next = inside_.at(point + step_[k]) != 0;
          }
          changes[j] = next != inside;
          out[j] = inside;
          inside = next;
        }
      }
    });
    check_stop(control_);
    for (std::size_t i = 0; i < hits.size(); ++i)
      if (changes[i]) {
        found_[k].push_back(hits[i]);
        found_[k].back().out = out[i] != 0;
      }
  }

  const Grid& grid_;
  const Control& control_;
  Caps caps_;
  WindingTree caps_winding_;
  Index own_;                      ///< triangles of the surface itself
  std::vector<Triangle> closed_;   ///< these, then the caps
  std::array<std::uint64_t, 3> step_;
  std::array<Hits, 3> count_;                         ///< of all of them
  std::array<std::vector<int>, 3> winding_after_;     ///< each of these
  std::array<std::vector<Crossing>, 3> hits_;         ///< of the surface itself
  std::unordered_map<std::uint64_t, char> inside_;  ///< of points
  std::unordered_set<std::uint64_t> known_edges_, known_cells_;
  std::vector<std::uint64_t> waiting_;  ///< cells
  Crossings found_;
};

}  // namespace

Grid grid_around(const Box3& box, double step) {
  constexpr double spare[3] = {2.3819660113, 2.4142135624, 2.2360679775};  // steps
  Grid grid;
  grid.step = step;
  for (int axis = 0; axis < 3; ++axis) {
    grid.origin[axis] = box.lo[axis] - spare[axis] * step;
    grid.size[static_cast<std::size_t>(axis)] = static_cast<Index>(std::ceil(box.size()[axis] / step)) + 6;
  }
  return grid;
}

Crossings crossings_of_solid(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Grid& grid, const Control& control) {
  Crossings crossings;
  for (int axis = 0; axis < 3; ++axis) crossings[static_cast<std::size_t>(axis)] = changes_of(sorted_hits(positions, triangles, grid, axis, control).all);
  return crossings;
}

Crossings crossings_of_open(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Grid& grid, const Control& control) {
  return OpenSurface(positions, triangles, grid, control).crossings();
}

}  // namespace anvil::recast
