// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/leave_out_thin.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>
#include <unordered_map>

#include "core/mesh/union_find.h"
#include "core/report.h"

namespace anvil::recast {
namespace {

class LeaveOutThin {
 public:
  LeaveOutThin(Ground::Met& met, const Grid& grid, double least, const Control& control) : met_(met), grid_(grid), least_(least), control_(control), real_(static_cast<Index>(met.normals.size())) {
    step_[0] = 1;
    step_[1] = grid.size[0];
    step_[2] = static_cast<std::uint64_t>(grid.size[0]) * grid.size[1];
  }

  LeftOut run() {
    // First what is a wall by itself, then what is left of its rims, from where it was.
    int rounds = 1;
    for (int round = 0; round < rounds; ++round) {
      check_stop(control_);
      if (!take(round > 0)) break;
      if (round == 0) rounds = 2 + static_cast<int>(std::ceil(1.5 * thickest_ / grid_.step));
      empty_points();
      put_in_turn();
    }
    return told();
  }

 private:
  struct Interval {
    std::size_t axis, in;  ///< the crossing that it begins with; the next ends it
    Index wall;            ///< whose rim it is; no_index: it is a wall by itself
  };
  /// What is between two faces that look away from each other.
  struct Wall {
    Tangent one, other;  ///< normals outwards
    double thickness;
    Index source;
    bool has_within(const Vec3& p, double slack) const { return (p - one.point).dot(one.normal) < slack && (p - other.point).dot(other.normal) < slack; }
  };

  std::uint64_t point_of(std::size_t axis, Index line, Index along) const {
    const auto u = static_cast<std::size_t>(u_of(static_cast<int>(axis))), v = static_cast<std::size_t>(v_of(static_cast<int>(axis)));
    return along * step_[axis] + (line % grid_.size[u]) * step_[u] + (line / grid_.size[u]) * step_[v];
  }
  Vec3 place_of(std::size_t axis, const Crossing& c, double at) const {
    const int u = u_of(static_cast<int>(axis)), v = v_of(static_cast<int>(axis));
    const Index along_u = grid_.size[static_cast<std::size_t>(u)];
    Vec3 p;
    p[static_cast<int>(axis)] = at;
    p[u] = grid_.at(u, c.line % along_u);
    p[v] = grid_.at(v, c.line / along_u);
    return p;
  }
  template <class Fn>
  void for_cells_around(const Interval& interval, Fn fn) const {
    const auto u = static_cast<std::size_t>(u_of(static_cast<int>(interval.axis))), v = static_cast<std::size_t>(v_of(static_cast<int>(interval.axis)));
    const Crossing &in = met_.crossings[interval.axis][interval.in], &out = met_.crossings[interval.axis][interval.in + 1];
    for (Index edge = in.edge; edge <= out.edge; ++edge) {
      const std::uint64_t point = point_of(interval.axis, in.line, edge);
      for (const std::uint64_t cell : {point, point - step_[u], point - step_[v], point - step_[u] - step_[v]}) fn(cell);
    }
  }

  bool has_plane(const Crossing& c) const { return c.triangle < real_; }
  Vec3 normal_of(std::size_t axis, const Crossing& c) const {
    const Vec3& n = met_.normals[c.triangle];
    return (n[static_cast<int>(axis)] > 0) == c.out ? n : Vec3(-n);
  }

  /// Is it a wall by itself, from one face to another that looks the other way?
  std::optional<Wall> wall_at(std::size_t axis, const Crossing& in, const Crossing& out) const {
    if (!has_plane(in) || !has_plane(out)) return std::nullopt;
    const Vec3 n = normal_of(axis, in), m = normal_of(axis, out);
    const double thickness = (out.at - in.at) * std::max(std::abs(n[static_cast<int>(axis)]), std::abs(m[static_cast<int>(axis)]));
    constexpr double away = -0.7;  // cosine: so much the far side looks the other way
    if (thickness >= least_ || n.dot(m) > away) return std::nullopt;
    return Wall{{place_of(axis, in, in.at), n}, {place_of(axis, out, out.at), m}, thickness, source_of(in.triangle)};
  }

  /// The wall that it is a bit of the rim of: it lies between the same planes, beside what has gone. What begins and ends in the open is none, it belongs to what the wall stood on.
  Index wall_beside(const Interval& interval, const Crossing& in, const Crossing& out) const {
    if (!has_plane(in) && !has_plane(out)) return no_index;
    const double slack = 0.1 * grid_.step;
    const Vec3 from = place_of(interval.axis, in, in.at), to = place_of(interval.axis, out, out.at);
    Index found = no_index;
    for_cells_around(interval, [&](std::uint64_t cell) {
      const auto it = wall_in_.find(cell);
      if (found != no_index || it == wall_in_.end()) return;
      const Wall& wall = walls_[it->second];
      if (out.at - in.at < 3 * wall.thickness && wall.has_within(from, slack) && wall.has_within(to, slack)) found = it->second;
    });
    return found;
  }

  /// Takes away what goes of each line. @param beside  only beside what has gone already
  bool take(bool beside) {
    std::vector<Interval> gone;
    for (std::size_t axis = 0; axis < 3; ++axis) {
      const std::vector<Crossing>& all = met_.crossings[axis];
      for (std::size_t k = 0; k + 1 < all.size(); ++k) {
        const Crossing &in = all[k], &out = all[k + 1];
        // So long a line within a wall lies along it nearly, and others pass it.
        constexpr double longest = 4;
        if (in.line != out.line || in.out || !out.out || in.triangle == no_index || out.triangle == no_index || out.at - in.at > longest * least_) continue;
        if (beside) {
          const Interval interval{axis, k, no_index};
          if (const Index wall = wall_beside(interval, in, out); wall != no_index) gone.push_back({axis, k, wall});
        } else if (const std::optional<Wall> wall = wall_at(axis, in, out)) {
          thickest_ = std::max(thickest_, wall->thickness);
          gone.push_back({axis, k, static_cast<Index>(walls_.size())});
          walls_.push_back(*wall);
        }
      }
      dropped_[axis].assign(all.size(), 0);
    }
    emptied_.clear();
    for (const Interval& interval : gone) {
      const Crossing &in = met_.crossings[interval.axis][interval.in], &out = met_.crossings[interval.axis][interval.in + 1];
      dropped_[interval.axis][interval.in] = dropped_[interval.axis][interval.in + 1] = 1;
      for (Index along = in.edge + 1; along <= out.edge; ++along) emptied_.emplace(point_of(interval.axis, in.line, along), walls_[interval.wall].source);
      for_cells_around(interval, [&](std::uint64_t cell) {
        if (const auto [it, is_new] = wall_in_.emplace(cell, interval.wall); !is_new) together_.push_back({it->second, interval.wall});
      });
    }
    return !gone.empty();
  }

  /// The edges about each point that is inside no more get a crossing more or less where they lead to one that still is, or to one that was not.
  void empty_points() {
    std::array<std::vector<Crossing>, 3> added;
    for (const auto& [point, source] : emptied_) {
      const std::array<Index, 3> place{static_cast<Index>(point % step_[1]), static_cast<Index>(point % step_[2] / step_[1]), static_cast<Index>(point / step_[2])};
      for (std::size_t axis = 0; axis < 3; ++axis)
        for (const bool up : {false, true}) {
          const std::uint64_t other = up ? point + step_[axis] : point - step_[axis];
          const bool both = emptied_.count(other) > 0;
          if (both && !up) continue;  // once
          const auto u = static_cast<std::size_t>(u_of(static_cast<int>(axis))), v = static_cast<std::size_t>(v_of(static_cast<int>(axis)));
          const Index line = place[u] + place[v] * grid_.size[u], edge = up ? place[axis] : place[axis] - 1;
          auto& all = met_.crossings[axis];
          const auto before = [](const Crossing& c, const std::pair<Index, Index>& at) { return std::tie(c.line, c.edge) < std::tie(at.first, at.second); };
          const auto first = static_cast<std::size_t>(std::lower_bound(all.begin(), all.end(), std::pair{line, edge}, before) - all.begin());
          const auto last = static_cast<std::size_t>(std::lower_bound(all.begin(), all.end(), std::pair{line, edge + 1}, before) - all.begin());
          if (both) {
            std::fill(dropped_[axis].begin() + static_cast<std::ptrdiff_t>(first), dropped_[axis].begin() + static_cast<std::ptrdiff_t>(last), 1);
            continue;
          }
          std::vector<std::size_t> left;
          for (std::size_t k = first; k < last; ++k)
            if (!dropped_[axis][k]) left.push_back(k);
          const bool other_inside = (last - first) % 2 == 0;
          if ((left.size() % 2 == 1) == other_inside) continue;
          if (!left.empty()) {  // the one next to the point
            dropped_[axis][up ? left.front() : left.back()] = 1;
            continue;
          }
          added[axis].push_back({line, edge, without_plane(source), up, grid_.at(static_cast<int>(axis), edge) + grid_.step / 2});
        }
    }
    for (std::size_t axis = 0; axis < 3; ++axis) {
      auto& all = met_.crossings[axis];
      std::size_t left = 0;
      for (std::size_t k = 0; k < all.size(); ++k)
        if (!dropped_[axis][k]) all[left++] = all[k];
      all.resize(left);
      all.insert(all.end(), added[axis].begin(), added[axis].end());
      std::sort(all.begin(), all.end());
    }
  }

  /// In and out in turn.
  void put_in_turn() {
    for (auto& all : met_.crossings)
      for (std::size_t k = 0; k < all.size(); ++k) all[k].out = k > 0 && all[k - 1].line == all[k].line && !all[k - 1].out;
  }

  Index source_of(Index triangle) const { return met_.source.empty() ? triangle : met_.source[triangle]; }

  /// A triangle in name only, for faces that come from a source and lie on none of its planes.
  Index without_plane(Index source) {
    if (met_.source.empty()) {
      met_.source.resize(met_.normals.size());
      std::iota(met_.source.begin(), met_.source.end(), Index{0});
    }
    met_.normals.emplace_back(Vec3::Zero());
    met_.source.push_back(source);
    return static_cast<Index>(met_.normals.size() - 1);
  }

  LeftOut told() const {
    UnionFind walls(walls_.size());
    for (const auto& [a, b] : together_) walls.unite(a, b);
    std::vector<Index> number;
    LeftOut left;
    left.without_plane = real_;
    left.walls = walls.number(number);
    std::vector<char> has(left.walls, 0);
    for (std::size_t k = 0; k < walls_.size() && left.places.size() < OperationReport::max_places; ++k)
      if (!has[number[k]]) has[number[k]] = 1, left.places.push_back((walls_[k].one.point + walls_[k].other.point) / 2);
    return left;
  }

  Ground::Met& met_;
  const Grid& grid_;
  const double least_;
  const Control& control_;
  const Index real_;  ///< triangles that have planes come before
  std::array<std::uint64_t, 3> step_;
  double thickest_ = 0;
  std::vector<Wall> walls_;                            ///< a line's each
  std::unordered_map<std::uint64_t, Index> wall_in_;   ///< of cells that something has gone from, the first
  std::vector<std::array<Index, 2>> together_;         ///< of these
  std::array<std::vector<char>, 3> dropped_;           ///< per crossing
  std::unordered_map<std::uint64_t, Index> emptied_;   ///< points that are inside no more, and where from
};

}  // namespace

LeftOut leave_out_thin(Ground::Met& met, const Grid& grid, double least, const Control& control) { return LeaveOutThin(met, grid, least, control).run(); }

}  // namespace anvil::recast
