// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/follow_edges.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <unordered_set>
#include <utility>

#include "core/boolean/invalid_triangles.h"
#include "core/mesh/edges.h"
#include "core/recast/near_edges.h"

namespace anvil::recast {
namespace {

constexpr int max_follow_rounds = 10;
constexpr double beyond_bounds = 1e300;

class FollowEdges {
 public:
  /// @param may_change  per vertex: all its triangles are there
  FollowEdges(Contour& contour, std::vector<char>& may_change, std::span<const Vec3> normals, const std::function<Tangent(const Vec3&)>& nearest, double slack, const Control& control)
      : contour_(contour), may_change_(may_change), normals_(normals), nearest_(nearest), slack_(slack), control_(control) {}

  void run() {
    std::vector<char> at_sharp(contour_.positions.size(), 0);
    for (std::size_t v = 0; v < at_sharp.size(); ++v) at_sharp[v] = contour_.sharpness[v] >= hardly_sharp;
    look_about(at_sharp);
    for (int round = 0; round < max_follow_rounds && !looked_at_.empty(); ++round) {
      check_stop(control_);
      changes_.clear();
      change_of_.assign(contour_.triangles.size(), no_index);
      find_edges_off();
      if (is_rough()) break;
      change_edges();
      put_corners();
      if (changes_.empty()) break;
      take_back_what_crosses();
      std::vector<char> at_changed(contour_.positions.size(), 0);
      for (std::size_t t = 0; t < contour_.triangles.size(); ++t)
        for (Index v : contour_.triangles[t])
          if (is_changed(t)) at_changed[v] = 1;
      for (const Change& change : changes_)  // where something failed another may do
        for (const Triangle& t : change.before)
          for (Index v : t) at_changed[v] = 1;
      look_about(at_changed);
    }
  }

 private:
  /// An edge between two triangles that leaves the surface.
  struct Off {
    Index corner;    ///< it runs from there to the next of its triangle
    Index across;    ///< and back from there
    double before, after;  ///< mesh units: how far it leaves it, and would if it were turned over
    bool operator<(const Off& o) const { return before - after > o.before - o.after || (before - after == o.before - o.after && corner < o.corner); }
  };

  /// One or two triangles that were changed, and added to, at once.
  struct Change {
    enum Kind : std::size_t { turned, divided, cornered } kind;
    std::uint64_t key;  ///< of the edge or triangle it was for
    std::array<Index, 2> triangles;
    std::array<Triangle, 2> before;
    std::array<Index, 2> source_before;
    bool is_taken_back = false;
  };

  const Vec3& at(Index v) const { return contour_.positions[v]; }
  Index corner_of_triangle(std::size_t t, std::size_t k) const { return contour_.triangles[t][k % 3]; }
  Vec3 normal_of(const Triangle& t) const { return (at(t[1]) - at(t[0])).cross(at(t[2]) - at(t[0])); }
  double off_surface(const Vec3& p) const { return (nearest_(p).point - p).norm(); }

  /// a and b, the edge; c the tip of its triangle and d of the other
  std::array<Index, 4> quad_of(Index corner, Index across) const {
    const std::size_t t = corner / 3, k = corner % 3;
    return {corner_of_triangle(t, k), corner_of_triangle(t, k + 1), corner_of_triangle(t, k + 2), corner_of_triangle(across / 3, across % 3 + 2)};
  }

  /// Triangles with one of these vertices, and those that share a vertex with them, are looked at from now on.
  void look_about(std::vector<char>& vertices) {
    const auto mark = [&](const Triangle& t) { return vertices[t[0]] || vertices[t[1]] || vertices[t[2]]; };
    std::vector<char> near(vertices.size(), 0);
    for (const Triangle& t : contour_.triangles)
      if (mark(t)) near[t[0]] = near[t[1]] = near[t[2]] = 1;
    vertices = std::move(near);
    looked_at_.clear();
    std::vector<Triangle> list;
    for (Index t = 0; t < contour_.triangles.size(); ++t) {
      const Triangle& corners = contour_.triangles[t];
      if (!mark(corners) || !may_change_[corners[0]] || !may_change_[corners[1]] || !may_change_[corners[2]]) continue;
      looked_at_.push_back(t);
      list.push_back(contour_.triangles[t]);
    }
    across_ = find_opposites(list, {}, contour_.positions.size());
    for (Index& c : across_)
      if (c != no_index) c = 3 * looked_at_[c / 3] + c % 3;
  }

  bool has_plane(std::size_t t) const { return contour_.source[t] != no_index && normals_[contour_.source[t]] != Vec3::Zero(); }

  bool looks_away(std::size_t t) const {
    constexpr double alike = 0.99995;
    const Vec3 n = normal_of(contour_.triangles[t]);
    return std::abs(n.dot(normals_[contour_.source[t]])) < alike * n.norm();
  }

  /// Is the edge of two triangles sharp, and yet not where the surface is? So it is where it cuts off a bend of an edge within a flat face: then it lies on the surface.
  bool misses_bend(const Triangle& one, const Triangle& two, const Vec3& middle) const {
        if (normal_of(one).normalized().dot(normal_of(two).normalized()) > hardly_sharp_cosine) return false;
    // Seen from where it is convex the nearest place of a sharp edge is the edge itself.
    const Vec3 out = a_little_out_of(one, two);
    return std::min((nearest_(middle + out).point - middle).norm(), (nearest_(middle - out).point - middle).norm()) > 0.3 * out.norm();
  }

  Vec3 a_little_out_of(const Triangle& one, const Triangle& two) const {
    return 5 * slack_ * (normal_of(one).normalized() + normal_of(two).normalized()).stableNormalized();
  }

  /// On a surface that is uneven at the length of the skin's edges most of them are off it, and hardly any two planes beside them meet in an edge: following these only costs time. Of bodies with
  /// edges one in a hundred is off.
  bool is_rough() const {
    constexpr std::size_t many = 400, one_in = 10;
    return off_.size() > many && one_in * off_.size() > looked_at_.size();
  }

  bool is_sharp(Index v) const { return contour_.sharpness[v] >= hardly_sharp; }

  void find_edges_off() {
    std::vector<Off> found(across_.size(), Off{no_index, no_index, 0, 0});
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, looked_at_.size(), 1024), [&](const auto& range) {
      if (control_.stop.stop_requested()) return;
      for (std::size_t i = range.begin(); i < range.end(); ++i) {
        const Index t = looked_at_[i];
        if (!has_plane(t)) continue;
        for (Index k = 0; k < 3; ++k) {
          const Index corner = 3 * t + k, across = across_[3 * i + k];
          if (across == no_index || across < corner || !has_plane(across / 3)) continue;
          const auto [a, b, c, d] = quad_of(corner, across);
          if (!(is_sharp(a) || is_sharp(b) || is_sharp(c) || is_sharp(d)) || !(looks_away(t) || looks_away(across / 3))) continue;
          const double before = off_surface((at(a) + at(b)) / 2);
          if (before > slack_)
            found[3 * i + k] = {corner, across, before, off_surface((at(c) + at(d)) / 2)};
          else if (is_sharp(a) && is_sharp(b) && misses_bend(contour_.triangles[t], contour_.triangles[across / 3], (at(a) + at(b)) / 2))
            found[3 * i + k] = {corner, across, slack_, beyond_bounds};
        }
      }
    });
    check_stop(control_);
    off_.clear();
    for (const Off& off : found)
      if (off.corner != no_index) off_.push_back(off);
    std::sort(off_.begin(), off_.end());
  }

  static std::uint64_t key_of(Index a, Index b) { return static_cast<std::uint64_t>(std::min(a, b)) << 32 | std::max(a, b); }

  /// The source, of two, whose plane a triangle lies in rather.
  Index source_of(const Triangle& t, Index one, Index two) const {
    const Vec3 n = normal_of(t);
    return n.dot(normals_[one]) * n.dot(normals_[one]) >= n.dot(normals_[two]) * n.dot(normals_[two]) ? one : two;
  }

  bool is_changed(std::size_t t) const { return change_of_[t] != no_index; }

  void will_change(Change::Kind kind, std::uint64_t key, std::size_t t, std::size_t o) {
    change_of_[t] = change_of_[o] = static_cast<Index>(changes_.size());
    changes_.push_back({kind, key, {static_cast<Index>(t), static_cast<Index>(o)}, {contour_.triangles[t], contour_.triangles[o]}, {contour_.source[t], contour_.source[o]}});
  }
  /// To the last change.
  void add_triangle(const Triangle& t, Index source) {
    contour_.triangles.push_back(t);
    contour_.source.push_back(source);
    change_of_.push_back(static_cast<Index>(changes_.size() - 1));
  }
  bool has_failed(Change::Kind kind, std::uint64_t key) const { return failed_[kind].count(key) > 0; }

  /// Of changes that make triangles cross, those beside a better one, which may be in their way only; where there are none, all of them, which fail.
  std::vector<Index> going(const std::vector<Index>& crossing) {
    std::unordered_set<Index> taken;
    std::vector<Index> beside;
    for (const Index c : crossing) {
      const auto& [t, o] = changes_[c].before;
      const std::array<Index, 6> corners{t[0], t[1], t[2], o[0], o[1], o[2]};
      if (std::any_of(corners.begin(), corners.end(), [&](Index v) { return taken.count(v) > 0; })) beside.push_back(c);
      taken.insert(corners.begin(), corners.end());
    }
    if (!beside.empty()) return beside;
    for (const Index c : crossing) failed_[changes_[c].kind].insert(changes_[c].key);
    return crossing;
  }

  /// Changes of this round because of which triangles cross are undone. None of them touches another, and none makes an edge that was there, so that all others stay as they are.
  void take_back_what_crosses() {
    std::vector<char> suspect(contour_.triangles.size(), 0);
    for (std::size_t t = 0; t < suspect.size(); ++t) suspect[t] = is_changed(t);
    std::vector<Triangle>& triangles = contour_.triangles;
    for (bool any = true; any;) {
      const std::vector<Index> piece(triangles.size(), 0);
      const std::vector<char> crosses = boolean::find_invalid_triangles(contour_.positions, triangles, piece, suspect, boolean::Across::no, control_);
      any = false;
      std::vector<Index> crossing;
      for (std::size_t t = 0; t < crosses.size(); ++t)
        if (crosses[t] && is_changed(t)) crossing.push_back(change_of_[t]);
      std::sort(crossing.begin(), crossing.end());
      crossing.erase(std::unique(crossing.begin(), crossing.end()), crossing.end());
      // What crosses and stays for now may cross what has not changed.
      for (std::size_t t = 0; t < suspect.size(); ++t) suspect[t] = is_changed(t) && std::binary_search(crossing.begin(), crossing.end(), change_of_[t]);
      for (const Index c : going(crossing)) {
        Change& change = changes_[c];
        change.is_taken_back = any = true;
        for (std::size_t k = 0; k < 2; ++k) {
          triangles[change.triangles[k]] = change.before[k];
          contour_.source[change.triangles[k]] = change.source_before[k];
          suspect[change.triangles[k]] = 1;
        }
      }
      std::size_t left = 0;
      for (std::size_t t = 0; t < triangles.size(); ++t) {
        const bool undone = is_changed(t) && changes_[change_of_[t]].is_taken_back;
        if (undone && t != changes_[change_of_[t]].triangles[0] && t != changes_[change_of_[t]].triangles[1]) continue;
        triangles[left] = triangles[t];
        contour_.source[left] = contour_.source[t];
        suspect[left] = suspect[t];
        change_of_[left++] = undone ? no_index : change_of_[t];
      }
      triangles.resize(left);
      contour_.source.resize(left);
      suspect.resize(left);
      change_of_.resize(left);
    }
  }

  void change_edges() {
    // Which edges there are between the tips of those that may be turned over.
    std::vector<char> is_tip(contour_.positions.size(), 0);
    for (const Off& off : off_) {
      const auto quad = quad_of(off.corner, off.across);
      is_tip[quad[2]] = is_tip[quad[3]] = 1;
    }
    known_.clear();
    for (const Triangle& t : contour_.triangles)
      for (std::size_t k = 0; k < 3; ++k)
        if (is_tip[t[k]] && is_tip[t[(k + 1) % 3]]) known_.insert(key_of(t[k], t[(k + 1) % 3]));
    for (const Off& off : off_)
      if (!is_changed(off.corner / 3) && !is_changed(off.across / 3) && !turn_over(off)) divide(off);
  }

  /// Does a triangle look the way of the surface that it lies on?
  bool fits(const Triangle& t) const {
    constexpr double alike = 0.9;
    const Vec3 n = normal_of(t);
    const double length = n.norm(), longest = std::max({(at(t[1]) - at(t[0])).squaredNorm(), (at(t[2]) - at(t[0])).squaredNorm(), (at(t[2]) - at(t[1])).squaredNorm()});
    if (length < 1e-6 * longest) return false;
    return std::abs(n.dot(nearest_((at(t[0]) + at(t[1]) + at(t[2])) / 3).normal)) > alike * length;
  }

  bool turn_over(const Off& off) {
    constexpr double much_better = 0.25;
    if (off.after > std::max(slack_, much_better * off.before)) return false;
    const auto [a, b, c, d] = quad_of(off.corner, off.across);
    if (c == d || known_.count(key_of(c, d)) > 0 || has_failed(Change::turned, key_of(a, b))) return false;
    const std::size_t t = off.corner / 3, o = off.across / 3;
    const Triangle one{a, d, c}, two{d, b, c};
    const Vec3 old = normal_of(contour_.triangles[t]).normalized() + normal_of(contour_.triangles[o]).normalized();
    if (normal_of(one).dot(old) < 0 || normal_of(two).dot(old) < 0 || !fits(one) || !fits(two)) return false;
    const Index s = contour_.source[t], r = contour_.source[o];
    will_change(Change::turned, key_of(a, b), t, o);
    contour_.triangles[t] = one;
    contour_.triangles[o] = two;
    contour_.source[t] = source_of(one, s, r);
    contour_.source[o] = source_of(two, s, r);
    known_.insert(key_of(c, d));
    return true;
  }

  /// @param drawn_back  where it changes nothing
  Index add_vertex(const Corner& corner, const Vec3& drawn_back) {
    contour_.positions.push_back(corner.position);
    contour_.smooth.push_back(drawn_back);
    contour_.middle.push_back(drawn_back);
    contour_.sharpness.push_back(static_cast<float>(corner.sharpness));
    may_change_.push_back(1);
    return static_cast<Index>(contour_.positions.size() - 1);
  }

  /// Where the planes of the surface near some places meet, if that is on the surface, and not where a vertex stands already. @param rank  at least
  std::optional<Corner> corner_about(std::span<const Vec3> places, const Vec3& middle, double reach, int rank, std::span<const Index> vertices) const {
    Box3 box;
    box.add(Vec3(middle.array() - reach));
    box.add(Vec3(middle.array() + reach));
    std::vector<Tangent> tangents;
    const auto add = [&](const Vec3& p) {
      const Tangent t = nearest_(p);
      if (t.normal != Vec3::Zero()) tangents.push_back(t);
      return t.point;
    };
    std::vector<Vec3> beyond;  // what is on the other side of a place
    for (const Vec3& p : places) beyond.push_back(p + 2 * (p - add(p)));
    for (int more = 0; more < 2; ++more) {
      if (more == 1)
        for (const Vec3& p : beyond) add(p);
      if (tangents.empty()) continue;
      const Corner corner = corner_of(tangents, box);
      const bool holds = corner.rank >= rank && off_surface(corner.position) <= 0.1 * slack_ &&
                         std::none_of(vertices.begin(), vertices.end(), [&](Index v) { return (at(v) - corner.position).norm() < slack_; });
      if (holds && corner.rank == rank) return corner;
      const std::optional<Corner> edge = rank == 2 ? edge_beside(tangents, middle, box, nearest_, 0.1 * slack_) : std::nullopt;
      constexpr double far = 2;  // a corner so much farther away is where other edges meet as well
      if (edge && (!holds || (corner.position - middle).norm() > far * (edge->position - middle).norm())) return edge;
      if (holds) return corner;
    }
    return std::nullopt;
  }

  /// What is left of a corner that no cell has found: a triangle across it, off the surface in its middle.
  void put_corners() {
    std::vector<char> is_off(looked_at_.size(), 0);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, looked_at_.size(), 1024), [&](const auto& range) {
      if (control_.stop.stop_requested()) return;
      for (std::size_t i = range.begin(); i < range.end(); ++i) {
        const Index t = looked_at_[i];
        const Triangle& ring = contour_.triangles[t];
        if (is_changed(t) || !has_plane(t) || !(is_sharp(ring[0]) || is_sharp(ring[1]) || is_sharp(ring[2])) || !looks_away(t)) continue;
        is_off[i] = off_surface((at(ring[0]) + at(ring[1]) + at(ring[2])) / 3) > slack_;
      }
    });
    check_stop(control_);
    for (std::size_t i = 0; i < is_off.size(); ++i) {
      if (!is_off[i]) continue;
      const Index t = looked_at_[i];
      const Triangle ring = contour_.triangles[t];
      const std::uint64_t key = key_of(ring[0], ring[1]) * 31 + ring[2];
      if (has_failed(Change::cornered, key)) continue;
      const Vec3 middle = (at(ring[0]) + at(ring[1]) + at(ring[2])) / 3;
      std::vector<Vec3> places{middle};
      double longest = 0;
      for (std::size_t k = 0; k < 3; ++k) {
        places.push_back(0.7 * at(ring[k]) + 0.3 * middle);
        places.push_back((at(ring[k]) + at(ring[(k + 1) % 3])) / 2);
        longest = std::max(longest, (at(ring[k]) - at(ring[(k + 1) % 3])).norm());
      }
      const std::optional<Corner> found = corner_about(places, middle, longest, 3, ring);
      if (!found) {
        failed_[Change::cornered].insert(key);
        continue;
      }
      const Corner& corner = *found;
      const Index source = contour_.source[t];
      const Index v = add_vertex(corner, middle);
      will_change(Change::cornered, key, t, t);
      contour_.triangles[t] = {ring[0], ring[1], v};
      add_triangle({ring[1], ring[2], v}, source);
      add_triangle({ring[2], ring[0], v}, source);
    }
  }

  void divide(const Off& off) {
    const auto quad = quad_of(off.corner, off.across);
    const auto [a, b, c, d] = quad;
    if (has_failed(Change::divided, key_of(a, b))) return;
    const Vec3 way = at(b) - at(a), middle = (at(a) + at(b)) / 2;
    std::vector<Vec3> places;
    for (const double share : {0.1, 0.3, 0.5, 0.7, 0.9}) places.push_back(at(a) + share * way);
    if (off.after == beyond_bounds) {
      const Vec3 out = a_little_out_of(contour_.triangles[off.corner / 3], contour_.triangles[off.across / 3]);
      for (std::size_t k = 0; k < 5; ++k) places.push_back(places[k] + out), places.push_back(places[k] - out);
    }
    const std::optional<Corner> found = corner_about(places, middle, way.norm() / 2, 2, quad);
    // Not beside its own ends, nor where it changes nothing.
    const auto is_of_use = [&](const Vec3& x) { return std::min((x - at(a)).norm(), (x - at(b)).norm()) >= 0.03 * way.norm() && way.cross(x - at(a)).norm() >= slack_ * way.norm(); };
    if (!found || !is_of_use(found->position)) {
      failed_[Change::divided].insert(key_of(a, b));
      return;
    }
    const Corner& corner = *found;
    const std::size_t t = off.corner / 3, o = off.across / 3;
    const Index v = add_vertex(corner, middle);
    const Triangle made[] = {{a, v, c}, {v, b, c}, {b, v, d}, {v, a, d}};
    const Index s = contour_.source[t], r = contour_.source[o];
    will_change(Change::divided, key_of(a, b), t, o);
    contour_.triangles[t] = made[0];
    contour_.triangles[o] = made[2];
    contour_.source[t] = source_of(made[0], s, r);
    contour_.source[o] = source_of(made[2], s, r);
    add_triangle(made[1], source_of(made[1], s, r));
    add_triangle(made[3], source_of(made[3], s, r));
  }

  Contour& contour_;
  std::vector<char>& may_change_;
  std::span<const Vec3> normals_;
  const std::function<Tangent(const Vec3&)>& nearest_;
  double slack_;
  const Control& control_;
  std::vector<Change> changes_;      ///< of this round
  std::vector<Index> change_of_;     ///< per triangle
  std::array<std::unordered_set<std::uint64_t>, 3> failed_;  ///< by kind
  std::vector<Index> looked_at_;  ///< triangles
  std::vector<Index> across_;     ///< per corner of these, the corner that the same edge begins at in the other triangle
  std::vector<Off> off_;
  std::unordered_set<std::uint64_t> known_;
};

}  // namespace

void follow_edges(Contour& contour, std::span<const Vec3> normals, const std::function<Tangent(const Vec3&)>& nearest, double slack, const Control& control) {
  NearEdges edges(contour);
  if (edges.near.triangles.empty()) return;
  FollowEdges(edges.near, edges.may_change, normals, nearest, slack, control).run();
  edges.put_back();
}

}  // namespace anvil::recast
