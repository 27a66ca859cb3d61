// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/lead.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <unordered_set>

#include "core/mesh/edges.h"

namespace anvil {
namespace {

/// One leg, seen along the mean normal of its ends: a function that is zero on the line.
struct Leg {
  Vec3 from, along, across;  // unit vectors
  double length = 0, leave = 0, reach = 0;  // slopes at the ends

  double way(const Vec3& p) const { return along.dot(p - from) / length; }
  double off(const Vec3& p) const {
    const double t = way(p), s = std::clamp(t, 0.0, 1.0);
    double bow = leave * (s * s * s - 2 * s * s + s) + reach * (s * s * s - s * s);
    if (t < 0) bow = leave * t;
    if (t > 1) bow = reach * (t - 1);
    return across.dot(p - from) - bow * length;
  }
};

/// The end of the sharp edges at a vertex from which a line is led on: the neighbour across the sharpest, where the surface turns by more than that.
std::optional<Index> sharpest(const WorkedTriangles& work, Index v, double least, bool only_one) {
  std::optional<Index> best;
  double most = least;
  int count = 0;
  for (Index t : work.fan(v))
    for (Index c : {work.corner_of(t, v), next_in_triangle(next_in_triangle(work.corner_of(t, v)))}) {
      if (work.opposite(c) == no_index || work.opposite(c) < c) continue;  // each edge once
      const double turn = work.turn(c);
      count += turn > least;
      if (turn <= most) continue;
      most = turn;
      best = work.at(c) == v ? work.at(next_in_triangle(c)) : work.at(c);
    }
  if (only_one && count != 1) return std::nullopt;
  return best;
}

/// What a leg goes through, in order: vertices, and what each triangle is cut by.
class Walk {
 public:
  Walk(WorkedTriangles& work, const Leg& leg, Index from, Index to, double held, double close) : work_(work), leg_(leg), to_(to), held_(held), close_(close), at_{from, no_index} { pass(); }

  /// @return false when the end is not reached; then `work` is as it was but for vertices
  bool run() {
    constexpr double beyond = 0.5;  // of the leg: behind its start or past its end a line does not go straight on, but around the body
    while (at_.corner == no_index ? leave_vertex() : leave_edge()) {
      work_.hear_stop();
      if (!pass()) return false;
      if (at_.vertex == to_) return fits();
      const double way = leg_.way(work_.positions[at_.vertex]);
      if (way < -beyond || way > 1 + beyond) return false;
    }
    return false;
  }
  void cut() {
    for (const Cut& c : cuts_) work_.replace(c.triangle, c.into);
    work_.link();
  }
  /// Moved vertices back.
  void undo() {
    for (auto it = moved_.rbegin(); it != moved_.rend(); ++it) work_.positions[it->first] = it->second;
    work_.positions.resize(first_new_);
  }
  const std::vector<Index>& line() const { return line_; }

 private:
  /// A vertex of the line, and where it was made on an edge, the corner of the triangle behind that edge.
  struct Place {
    Index vertex, corner;
  };
  struct Cut {
    Index triangle;
    std::vector<Triangle> into;
  };

  /// @return false where the line has been before: it goes in circles
  bool pass() {
    line_.push_back(at_.vertex);
    return passed_.insert(at_.vertex).second;
  }
  bool divide(Index triangle, std::vector<Triangle> into) {
    cuts_.push_back({triangle, std::move(into)});
    return divided_.insert(triangle).second;
  }
  double off(Index v) const { return v == to_ || passed_.contains(v) ? 0 : leg_.off(work_.positions[v]); }
  bool is_held(Index v) const {
    if (v == to_ || v == line_[0] || work_.on_border(v)) return true;
    return std::any_of(work_.fan(v).begin(), work_.fan(v).end(), [&](Index t) {
      const Index c = work_.corner_of(t, v);
      return work_.turn(c) > held_ || work_.turn(next_in_triangle(next_in_triangle(c))) > held_;
    });
  }
  bool turns_none(Index v, const Vec3& to) const {
    for (Index t : work_.fan(v)) {
      Vec3 p[3];
      for (std::size_t k = 0; k < 3; ++k) p[k] = work_.triangles()[t][k] == v ? to : work_.positions[work_.triangles()[t][k]];
      const Vec3 before = work_.normal(work_.triangles()[t]), after = (p[1] - p[0]).cross(p[2] - p[0]);
      if (after.dot(before) <= 0.2 * before.squaredNorm()) return false;
    }
    return true;
  }

  /// Goes on from an edge that starts at `corner` and has the two ends on different sides. @return the vertex that it goes through
  Place cross(Index corner) {
    const Index v = work_.at(corner), w = work_.at(next_in_triangle(corner));
    const double a = off(v), b = off(w);
    // The bow is no straight line: bisected.
    double low = 0, high = 1;
    for (int k = 0; k < 50; ++k) {
      const double middle = (low + high) / 2, value = leg_.off(work_.positions[v] + middle * (work_.positions[w] - work_.positions[v]));
      ((value > 0) == (a > 0) ? low : high) = middle;
    }
    const double share = a == 0 ? 0 : b == 0 ? 1 : (low + high) / 2;
    const Vec3 at = work_.positions[v] + share * (work_.positions[w] - work_.positions[v]);
    const Index near = share < 0.5 ? v : w;
    const double gap = std::min(share, 1 - share);
    if (gap < close_ && !is_held(near) && turns_none(near, at)) {
      moved_.emplace_back(near, work_.positions[near]);
      work_.positions[near] = at;
      return {near, no_index};
    }
    constexpr double nothing = 1e-3;
    if (gap < nothing) return {near, no_index};
    return {work_.add_vertex(at), work_.opposite(corner)};
  }

  bool leave_vertex() {
    const Index v = at_.vertex;
    const double here = leg_.way(work_.positions[v]);
    // Straight over an edge, or through the opposite edge of a triangle: what leads on farthest per length.
    Index through = no_index, over = no_index;
    double best = 1e-9;
    for (Index t : work_.fan(v)) {
      const Index c = work_.corner_of(t, v), p = work_.at(next_in_triangle(c)), q = work_.at(next_in_triangle(next_in_triangle(c)));
      for (Index w : {p, q}) {
        if (w == to_) {
          at_ = {w, no_index};
          return true;
        }
        const double way = leg_.way(work_.positions[w]) - here;
        if (off(w) == 0 && way * leg_.length > best * (work_.positions[w] - work_.positions[v]).norm() && !passed_.contains(w))
          best = way * leg_.length / (work_.positions[w] - work_.positions[v]).norm(), over = w, through = no_index;
      }
      const double a = off(p), b = off(q);
      if (!((a < 0 && b > 0) || (a > 0 && b < 0))) continue;
      const Vec3 at = work_.positions[p] + a / (a - b) * (work_.positions[q] - work_.positions[p]);
      const double ahead = (leg_.way(at) - here) * leg_.length / (at - work_.positions[v]).norm();
      if (ahead > best) best = ahead, through = next_in_triangle(c), over = no_index;
    }
    if (over != no_index) {
      at_ = {over, no_index};
      return true;
    }
    if (through == no_index || work_.opposite(through) == no_index) return false;
    const Index triangle = through / 3, p = work_.at(through), q = work_.at(next_in_triangle(through));
    at_ = cross(through);
    return at_.corner == no_index || divide(triangle, {{v, p, at_.vertex}, {v, at_.vertex, q}});
  }

  /// The triangle behind the edge that was crossed last: on to its third corner, or through one of the two other edges.
  bool leave_edge() {
    const Index m = at_.vertex, c = at_.corner, triangle = c / 3;
    const Index p = work_.at(c), q = work_.at(next_in_triangle(c)), r = work_.at(next_in_triangle(next_in_triangle(c)));
    const double a = off(p), b = off(q), apex = off(r);
    const std::vector<Triangle> halves{{p, m, r}, {m, q, r}};
    if (apex == 0) {
      at_ = {r, no_index};
      return divide(triangle, halves);
    }
    const bool left = (apex > 0) != (a > 0);  // through the edge r to p, else q to r
    if (!left && (apex > 0) == (b > 0)) return false;
    const Index out = left ? next_in_triangle(next_in_triangle(c)) : next_in_triangle(c);
    if (work_.opposite(out) == no_index) return false;
    at_ = cross(out);
    if (at_.corner == no_index) return divide(triangle, halves);
    const Index n = at_.vertex;
    // The corner that is cut off, and the rest over its shorter diagonal.
    const auto length = [&](Index v, Index w) { return (work_.positions[v] - work_.positions[w]).norm(); };
    std::vector<Triangle> into;
    if (left) {
      into.push_back({p, m, n});
      if (length(m, r) < length(q, n)) into.insert(into.end(), {{m, q, r}, {m, r, n}});
      else into.insert(into.end(), {{m, q, n}, {q, r, n}});
    } else {
      into.push_back({m, q, n});
      if (length(m, r) < length(p, n)) into.insert(into.end(), {{m, n, r}, {p, m, r}});
      else into.insert(into.end(), {{p, m, n}, {p, n, r}});
    }
    return divide(triangle, std::move(into));
  }

  /// Does no triangle that was cut look another way than before?
  bool fits() const {
    return std::all_of(cuts_.begin(), cuts_.end(), [&](const Cut& c) {
      const Vec3 before = work_.normal(work_.triangles()[c.triangle]);
      return std::all_of(c.into.begin(), c.into.end(), [&](const Triangle& t) { return work_.normal(t).dot(before) > 0; });
    });
  }

  WorkedTriangles& work_;
  const Leg& leg_;
  const Index to_;
  const double held_, close_;
  Place at_;
  std::vector<Index> line_;
  std::unordered_set<Index> passed_;  ///< those of the line
  std::vector<Cut> cuts_;
  std::unordered_set<Index> divided_;  ///< triangles: each once
  std::vector<std::pair<Index, Vec3>> moved_;
  const std::size_t first_new_ = work_.positions.size();
};

}  // namespace

Result<std::vector<Index>> lead(WorkedTriangles& work, std::span<const Index> chosen, double bend, double held) {
  std::vector<Index> vertices;
  for (Index v : chosen)
    if (vertices.empty() || vertices.back() != v) vertices.push_back(v);
  if (vertices.size() < 2) return Issue{"an edge is led on from one vertex to another", "", {}, "choose the vertex where the edge ends, and then where it is to go"};
  // Directions of the line at its vertices, before anything moves.
  std::vector<Vec3> direction(vertices.size(), Vec3::Zero());
  for (std::size_t k = 1; k + 1 < vertices.size(); ++k) direction[k] = (work.positions[vertices[k + 1]] - work.positions[vertices[k - 1]]).stableNormalized();
  constexpr double least = 15;  // degrees: what fades is no sharper at its end
  if (const auto before = sharpest(work, vertices.front(), least, false)) direction.front() = (work.positions[vertices.front()] - work.positions[*before]).stableNormalized();
  if (const auto after = sharpest(work, vertices.back(), least, true)) direction.back() = (work.positions[*after] - work.positions[vertices.back()]).stableNormalized();
  std::vector<Index> line{vertices[0]};
  for (std::size_t k = 0; k + 1 < vertices.size(); ++k) {
    const Index from = vertices[k], to = vertices[k + 1];
    const Vec3 &a = work.positions[from], &b = work.positions[to];
    Leg leg;
    leg.from = a;
    leg.length = (b - a).norm();
    const Issue unreached{"the surface between two of the vertices is not reached by going straight on from one to the other", "", {a, b},
                          "choose a vertex between them as well, so that each is in sight of the next"};
    if (!(leg.length > 0)) return unreached;
    leg.along = (b - a) / leg.length;
    const Vec3 up = work.vertex_normal(from) + work.vertex_normal(to);
    leg.across = up.cross(leg.along);
    if (!(leg.across.norm() > 0.1)) return unreached;
    leg.across.normalize();
    const auto slope = [&](const Vec3& way) {
      constexpr double least_ahead = 0.3;
      return way.isZero(0) ? 0 : bend * way.dot(leg.across) / std::max(way.dot(leg.along), least_ahead);
    };
    leg.leave = slope(direction[k]);
    leg.reach = slope(direction[k + 1]);
    constexpr double close = 0.3, hardly = 0;  // of an edge: nearer vertices are moved on to the line, or none
    bool done = false;
    for (double within : {close, hardly}) {
      Walk walk(work, leg, from, to, held, within);
      if (!walk.run()) {
        walk.undo();
        continue;
      }
      walk.cut();
      line.insert(line.end(), walk.line().begin() + 1, walk.line().end());
      done = true;
      break;
    }
    if (!done) return unreached;
  }
  return line;
}

}  // namespace anvil
