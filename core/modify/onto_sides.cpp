// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/onto_sides.h"

#include <Eigen/LU>
#include <algorithm>
#include <limits>
#include <map>
#include <optional>
#include <set>
#include <unordered_map>

#include "core/mesh/edges.h"
#include "core/mesh/union_find.h"
#include "core/modify/edge_line.h"
#include "core/recast/carried_on.h"

namespace anvil {
namespace {

using recast::Side;

class Sides {
 public:
  Sides(WorkedTriangles& work, const Line& line, double reach, const std::vector<char>& rounded)
      : work_(work), line_(line), reach_(reach), rounded_(rounded), tree_(work, line), places_(mesh_of(work)) {
    for (const auto& [v, w] : line) {
      on_line_.insert({std::min(v, w), std::max(v, w)});
      ++uses_[v], ++uses_[w];
    }
    find_leading_away();
    find_sides();
  }

  std::vector<Vec3> settle() {
    for (const auto& [v, distance] : near_) {
      work_.hear_stop();
      if (!is_rounded(v, distance) || work_.on_border(v) || led_.contains(v)) continue;
      const auto use = uses_.find(v);
      std::vector<Side> sides;
      for (Index side : sides_at(v)) {
        const std::vector<Index> piece = piece_of(side, v);
        constexpr std::size_t least = 3;
        if (piece.size() < least) continue;
        const Side one = recast::carried_on(places_, piece, work_.positions[v], reach_);
        if (std::abs(one.height) <= reach_) sides.push_back(one);
      }
      const std::optional<Vec3> way = meet(sides, use != uses_.end());
      if (!way || way->norm() > 2 * reach_) continue;
      Moved& moved = moved_[v];
      moved.from = work_.positions[v];
      moved.on_line = use != uses_.end();
      for (const Side& side : sides) moved.normals.push_back(side.normal);
      targets_.emplace_back(v, moved.from + *way);
    }
    for (const auto& [v, to] : targets_) work_.positions[v] = to;
    spread();
    return step_back();
  }

 private:
  static Mesh mesh_of(const WorkedTriangles& work) {
    Mesh mesh;
    mesh.positions = work.positions;
    for (const Triangle& t : work.triangles()) mesh.add_face(t);
    return mesh;
  }
  bool is_line(Index v, Index w) const { return on_line_.contains({std::min(v, w), std::max(v, w)}); }
  double distance_to_line(const Vec3& p) const { return tree_.distance(p); }

  /// Does a place lie beyond an end of the line? What is there is not of its sides, but of what it leads to.
  bool past_end(const Vec3& p) const {
    const auto& [v, w] = line_[tree_.nearest(p).edge];
    const Vec3 &a = work_.positions[v], &b = work_.positions[w];
    const double along = (p - a).dot(b - a), length = (b - a).squaredNorm(), slack = 1e-9 * length;
    return (uses_.at(v) == 1 && along <= slack) || (uses_.at(w) == 1 && along >= length - slack);
  }

  bool is_rounded(Index v, double how_far) const { return rounded_.empty() ? how_far <= reach_ && !past_end(work_.positions[v]) : rounded_[v] != 0; }
  bool tells_side(Index t) const {
    const Triangle& one = work_.triangles()[t];
    if (!rounded_.empty()) return std::none_of(one.begin(), one.end(), [&](Index v) { return rounded_[v] != 0; });
    return distance_to_line(places_.middles[t]) > reach_ && !past_end(places_.middles[t]);
  }

  static constexpr double far = 2.5;  // reaches: as far as sides are looked at
  bool is_near(Index t) const {
    const Triangle& corners = work_.triangles()[t];
    return std::any_of(corners.begin(), corners.end(), [&](Index v) { return distance_to_line(work_.positions[v]) <= far * reach_; });
  }
  /// Over which edges a side does not go on: those of the line, and sharp ones that lead away from it. What is jagged has sharp edges at the line alone.
  bool parts_sides(Index corner) const {
    const std::pair<Index, Index> ends = std::minmax(work_.at(corner), work_.at(next_in_triangle(corner)));
    return on_line_.contains(ends) || leading_away_.contains(ends);
  }
  void find_leading_away() {
    constexpr double sharp = 50;  // degrees: the steps of a rounded edge are less sharp
    std::set<Index> seen;
    std::vector<Index> open;
    for (const auto& [v, uses] : uses_)
      for (Index t : work_.fan(v))
        if (seen.insert(t).second) open.push_back(t);
    std::map<Index, std::vector<Index>> at;  // sharp edges at a vertex off the line, by their other end
    while (!open.empty()) {
      const Index t = open.back();
      open.pop_back();
      work_.hear_stop();
      for (Index c = 3 * t; c < 3 * t + 3; ++c) {
        const Index other = work_.opposite(c), v = work_.at(c), w = work_.at(next_in_triangle(c));
        if (other == no_index) continue;
        if (!is_line(v, w) && work_.turn(c) > sharp) at[v].push_back(w), at[w].push_back(v);
        if (!seen.contains(other / 3) && is_near(other / 3)) seen.insert(other / 3), open.push_back(other / 3);
      }
    }
    // Inwards from those that are farther away than the reach.
    std::set<Index> led;
    for (const auto& [v, others] : at) {
      work_.hear_stop();
      if (!uses_.contains(v) && distance_to_line(work_.positions[v]) > reach_ && led.insert(v).second) open.push_back(v);
    }
    while (!open.empty()) {
      const Index v = open.back();
      open.pop_back();
      work_.hear_stop();
      for (Index w : at.at(v)) {
        leading_away_.insert(std::minmax(v, w));
        if (!uses_.contains(w) && led.insert(w).second) open.push_back(w);
      }
    }
    led_ = std::move(led);
  }

  /// Triangles from the line outwards, each side by its number. Sides begin as the triangles along the line, joined over edges that are no line, but not around an end of it: there both meet.
  void find_sides() {
    std::vector<Index> front;
    for (const auto& [v, uses] : uses_)
      if (uses > 1) front.insert(front.end(), work_.fan(v).begin(), work_.fan(v).end());
    for (const auto& [v, w] : line_)
      for (Index t : work_.fan(w)) {
        const Triangle& one = work_.triangles()[t];
        if (std::find(one.begin(), one.end(), v) != one.end()) front.push_back(t);
      }
    std::sort(front.begin(), front.end());
    front.erase(std::unique(front.begin(), front.end()), front.end());
    UnionFind sets(front.size());
    std::unordered_map<Index, Index> place;
    for (Index k = 0; k < front.size(); ++k) place[front[k]] = k;
    for (Index k = 0; k < front.size(); ++k) {
      work_.hear_stop();
      for (Index c = 3 * front[k]; c < 3 * front[k] + 3; ++c) {
        const Index other = work_.opposite(c);
        if (other == no_index || parts_sides(c)) continue;
        if (const auto it = place.find(other / 3); it != place.end()) sets.unite(k, it->second);
      }
    }
    for (Index k = 0; k < front.size(); ++k) side_[front[k]] = sets.find(k);
    while (!front.empty()) {
      std::vector<Index> next;
      for (Index t : front) {
        work_.hear_stop();
        for (Index v : work_.triangles()[t]) near_.try_emplace(v, -1).first->second = 0;
        for (Index c = 3 * t; c < 3 * t + 3; ++c) {
          const Index other = work_.opposite(c);
          if (other == no_index || parts_sides(c)) continue;
          const Index u = other / 3;
          if (side_.contains(u) || !is_near(u)) continue;
          side_[u] = side_.at(t);
          next.push_back(u);
        }
      }
      front = std::move(next);
    }
    for (auto& [v, how_far] : near_) {
      work_.hear_stop();
      how_far = uses_.contains(v) ? 0 : distance_to_line(work_.positions[v]);
    }
    for (const auto& [t, side] : side_) {
      work_.hear_stop();
      if (tells_side(t)) beyond_[side].push_back(t);
    }
    for (auto& [side, list] : beyond_) std::sort(list.begin(), list.end());
  }

  std::vector<Index> sides_at(Index v) const {
    std::map<Index, int> count;
    for (Index t : work_.fan(v))
      if (const auto it = side_.find(t); it != side_.end()) ++count[it->second];
    std::vector<Index> all;
    for (const auto& [side, triangles] : count) all.push_back(side);
    // Off the line it has one side: that of most of its triangles.
    if (!uses_.contains(v) && !all.empty()) all = {std::max_element(count.begin(), count.end(), [](const auto& a, const auto& b) { return a.second < b.second; })->first};
    return all;
  }

  /// What tells a side at a vertex: its triangles beyond the reach and not far from there.
  std::vector<Index> piece_of(Index side, Index v) const {
    constexpr double around = 2.5;  // reaches
    std::vector<Index> piece;
    const auto it = beyond_.find(side);
    if (it == beyond_.end()) return piece;
    // By their middles; of larger ones by a corner.
    for (Index t : it->second)
      if ((places_.middles[t] - work_.positions[v]).norm() <= around * reach_) piece.push_back(t);
    if (!piece.empty()) return piece;
    for (Index t : it->second) {
      const Triangle& corners = work_.triangles()[t];
      if (std::any_of(corners.begin(), corners.end(), [&](Index w) { return (work_.positions[w] - work_.positions[v]).norm() <= around * reach_; })) piece.push_back(t);
    }
    return piece;
  }

  /// How far it is to where the sides meet; nothing for a vertex of the line whose sides are one surface.
  std::optional<Vec3> meet(std::vector<Side>& sides, bool on_line) const {
    constexpr double alike = 0.99;  // cosine: eight degrees
    if (sides.empty() || (on_line && sides.size() < 2)) return std::nullopt;
    if (!on_line) return Vec3(-sides[0].height * sides[0].normal);
    if (sides.size() > 3) sides.resize(3);
    if (sides.size() == 3) {
      Eigen::Matrix3d rows;
      Vec3 heights;
      for (Eigen::Index k = 0; k < 3; ++k) rows.row(k) = sides[static_cast<std::size_t>(k)].normal, heights[k] = -sides[static_cast<std::size_t>(k)].height;
      if (std::abs(rows.determinant()) > 0.05) return Vec3(rows.inverse() * heights);
      sides.resize(2);
    }
    const double c = sides[0].normal.dot(sides[1].normal), a = sides[0].height, b = sides[1].height, det = 1 - c * c;
    if (c > alike || !(det > 1e-3)) return std::nullopt;
    return Vec3(-((a - c * b) / det * sides[0].normal + (b - c * a) / det * sides[1].normal));
  }

  struct Moved {
    Vec3 from;
    bool on_line = false;
    std::vector<Vec3> normals;  // of its sides
  };

  /// Vertices that were moved and have a triangle that looks away from its side.
  std::set<Index> crowded() const {
    constexpr double upright = 0.1, alike = 0.9;
    std::set<Index> all;
    for (const auto& [t, side] : side_) {
      work_.hear_stop();
      const Triangle& one = work_.triangles()[t];
      if (std::none_of(one.begin(), one.end(), [&](Index v) { return moved_.contains(v); })) continue;
      const Vec3 normal = work_.normal(one).stableNormalized();
      bool fits = !normal.isZero(0) && normal.dot(places_.normals[t]) > upright;
      for (Index v : one)
        if (const auto it = moved_.find(v); !fits && it != moved_.end())
          fits = std::any_of(it->second.normals.begin(), it->second.normals.end(), [&](const Vec3& n) { return n.dot(normal) > alike; });
      if (fits) continue;
      for (Index v : one)
        if (moved_.contains(v)) all.insert(v);
    }
    return all;
  }

  /// Vertices beside the line that came to lie beyond it go towards the middle of their neighbours, on their side.
  void spread() {
    constexpr int rounds = 20;
    for (int round = 0; round < rounds; ++round) {
      bool any = false;
      for (Index v : crowded()) {
        const Moved& moved = moved_.at(v);
        if (moved.on_line) continue;
        Vec3 sum = Vec3::Zero();
        double count = 0;
        for (Index t : work_.fan(v))
          for (Index w : work_.triangles()[t])
            if (w != v) sum += work_.positions[w], ++count;
        const Vec3 way = sum / count - work_.positions[v];
        work_.positions[v] += way - way.dot(moved.normals[0]) * moved.normals[0];
        any = true;
      }
      if (!any) return;
    }
  }

  /// Takes vertices back whose triangles still look away from their side. @return those of the line
  std::vector<Vec3> step_back() {
    std::vector<Vec3> stayed;
    for (std::set<Index> back = crowded(); !back.empty(); back = crowded())
      for (Index v : back) {
        const Moved& moved = moved_.at(v);
        work_.positions[v] = moved.from;
        if (moved.on_line) stayed.push_back(moved.from);
        moved_.erase(v);
      }
    return stayed;
  }

  WorkedTriangles& work_;
  const Line& line_;
  const double reach_;
  const std::vector<char>& rounded_;
  const LineTree tree_;
  const recast::FacePlaces places_;  // as they were
  std::set<std::pair<Index, Index>> on_line_;
  std::set<std::pair<Index, Index>> leading_away_;  // edges
  std::set<Index> led_;                             // their vertices off the line
  std::map<Index, int> uses_;                // lines at a vertex of the line
  std::map<Index, Index> side_;              // of a triangle near the line
  std::map<Index, std::vector<Index>> beyond_;  // triangles of a side that tell where it lies
  std::map<Index, double> near_;                // vertices, and how far from the line
  std::map<Index, Moved> moved_;
  std::vector<std::pair<Index, Vec3>> targets_;
};

/// A triangle with three corners on the line would have no extent once those lie on one edge: its side that is no line is cut in two.
void part_ears(WorkedTriangles& work, const Line& line) {
  std::set<Index> on_line;
  std::set<std::pair<Index, Index>> edges;
  for (const auto& [v, w] : line) on_line.insert({v, w}), edges.insert({std::min(v, w), std::max(v, w)});
  std::set<Index> done;
  for (Index v : on_line) {
    work.hear_stop();
    for (Index t : work.fan(v)) {
      const Triangle& one = work.triangles()[t];
      if (done.contains(t) || !std::all_of(one.begin(), one.end(), [&](Index u) { return on_line.contains(u); })) continue;
      for (Index c = 3 * t; c < 3 * t + 3; ++c) {
        const Index from = work.at(c), to = work.at(next_in_triangle(c)), apex = work.at(next_in_triangle(next_in_triangle(c))), other = work.opposite(c);
        if (edges.contains({std::min(from, to), std::max(from, to)}) || other == no_index || done.contains(other / 3)) continue;
        const Index across = work.at(next_in_triangle(next_in_triangle(other)));
        const Index middle = work.add_vertex((work.positions[from] + work.positions[to]) / 2);
        work.replace(t, {{from, middle, apex}, {middle, to, apex}});
        work.replace(other / 3, {{to, middle, across}, {middle, from, across}});
        done.insert({t, other / 3});
        break;
      }
    }
  }
  work.link();
}

}  // namespace

std::vector<Vec3> onto_sides(WorkedTriangles& work, const Line& line, double reach, std::vector<char> rounded) {
  const std::size_t before = work.positions.size();
  part_ears(work, line);
  if (!rounded.empty()) rounded.insert(rounded.end(), work.positions.size() - before, 1);
  return Sides(work, line, reach, rounded).settle();
}

}  // namespace anvil
