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
#include "core/recast/carried_on.h"

namespace anvil {
namespace {

using recast::Side;

double distance(const Vec3& p, const Vec3& a, const Vec3& b) {
  const Vec3 way = b - a;
  const double length = way.squaredNorm(), t = length > 0 ? std::clamp((p - a).dot(way) / length, 0.0, 1.0) : 0;
  return (p - a - t * way).norm();
}

class Sides {
 public:
  Sides(WorkedTriangles& work, const std::vector<std::array<Index, 2>>& line, double reach) : work_(work), line_(line), reach_(reach), places_(mesh_of(work)) {
    for (const auto& [v, w] : line) {
      on_line_.insert({std::min(v, w), std::max(v, w)});
      ++uses_[v], ++uses_[w];
    }
    find_sides();
  }

  std::vector<Vec3> settle() {
    for (const auto& [v, distance] : near_) {
      if (distance > reach_ || work_.on_border(v)) continue;
      const auto use = uses_.find(v);
      if (use != uses_.end() && use->second == 1) continue;  // an end
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
  double distance_to_line(const Vec3& p) const {
    double nearest = std::numeric_limits<double>::max();
    for (const auto& [v, w] : line_) nearest = std::min(nearest, distance(p, work_.positions[v], work_.positions[w]));
    return nearest;
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
    for (Index k = 0; k < front.size(); ++k)
      for (Index c = 3 * front[k]; c < 3 * front[k] + 3; ++c) {
        const Index other = work_.opposite(c);
        if (other == no_index || is_line(work_.at(c), work_.at(next_in_triangle(c)))) continue;
        if (const auto it = place.find(other / 3); it != place.end()) sets.unite(k, it->second);
      }
    for (Index k = 0; k < front.size(); ++k) side_[front[k]] = sets.find(k);
    constexpr double far = 2.5;  // reaches
    while (!front.empty()) {
      std::vector<Index> next;
      for (Index t : front) {
        for (Index v : work_.triangles()[t]) near_.try_emplace(v, -1).first->second = 0;
        for (Index c = 3 * t; c < 3 * t + 3; ++c) {
          const Index other = work_.opposite(c);
          if (other == no_index || is_line(work_.at(c), work_.at(next_in_triangle(c)))) continue;
          const Index u = other / 3;
          if (side_.contains(u) || distance_to_line(places_.middles[u]) > far * reach_) continue;
          side_[u] = side_.at(t);
          next.push_back(u);
        }
      }
      front = std::move(next);
    }
    for (auto& [v, how_far] : near_) how_far = uses_.contains(v) ? 0 : distance_to_line(work_.positions[v]);
    for (const auto& [t, side] : side_)
      if (distance_to_line(places_.middles[t]) > reach_) beyond_[side].push_back(t);
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
    for (Index t : it->second)
      if ((places_.middles[t] - work_.positions[v]).norm() <= around * reach_) piece.push_back(t);
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
  const std::vector<std::array<Index, 2>>& line_;
  const double reach_;
  const recast::FacePlaces places_;  // as they were
  std::set<std::pair<Index, Index>> on_line_;
  std::map<Index, int> uses_;                // lines at a vertex of the line
  std::map<Index, Index> side_;              // of a triangle near the line
  std::map<Index, std::vector<Index>> beyond_;  // triangles of a side that tell where it lies
  std::map<Index, double> near_;                // vertices, and how far from the line
  std::map<Index, Moved> moved_;
  std::vector<std::pair<Index, Vec3>> targets_;
};

}  // namespace

std::vector<Vec3> onto_sides(WorkedTriangles& work, const std::vector<std::array<Index, 2>>& line, double reach) { return Sides(work, line, reach).settle(); }

}  // namespace anvil
