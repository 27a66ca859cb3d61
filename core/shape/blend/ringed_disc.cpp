// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/ringed_disc.h"

#include <algorithm>
#include <cmath>

#include "core/mesh/attributes.h"
#include "core/mesh/triangulate.h"

namespace anvil {
namespace {

constexpr double ring_distance = 0.8;  // between rings, times the mean of their segments
constexpr double max_first_ring = 0.4; // of the radius
constexpr double move_at_first = 0.01; // of the radius: to see how the volume grows
constexpr double max_move = 0.1;       // of the radius

/// Along it: the number of a side and the share of it that is gone.
struct Ring {
  std::vector<Index> points;
  std::vector<double> at;
  std::vector<char> corner;
};

/// Around a middle, quads that take two segments: how many a side needs.
double fill_cost(Index m) { return m < 2 ? 1 : 1 + (m - 1) / 2; }
/// Segments per side of the ring within one of so many. With two less there are quads alone.
Index next_count(Index m, double share) { return share == 0 ? m - 2 : std::max<Index>(2, static_cast<Index>(share * m)); }
/// How many faces a ring needs inside of it, per side.
double cost(Index m, double share) { return m < 4 || (m == 4 && share > 0) ? fill_cost(m) : m - 1 + cost(next_count(m, share), share); }

class Filling {
 public:
  explicit Filling(const RingedDisc& disc) : disc_(disc) {}

  std::vector<std::vector<Index>> make() {
    std::vector<std::vector<Index>> counts(1);
    for (const auto& side : disc_.sides) counts[0].push_back(static_cast<Index>(side.points.size() - 1));
    const Vec3 middle = disc_.place(0, 1);
    std::vector<double> length;
    for (const auto& side : disc_.sides) {
      length.push_back(0);
      for (std::size_t k = 0; k + 1 < side.at.size(); ++k) length.back() += (side.at[k + 1] - side.at[k]).norm(), radius_ += (side.at[k] - middle).norm();
      perimeter_ += length.back();
    }
    const double mean = perimeter_ / static_cast<double>(length.size());
    for (Index most = *std::max_element(counts[0].begin(), counts[0].end()); most >= 4 && (counts.size() == 1 || disc_.inner_share == 0 || most > 4);) {
      most = counts.size() == 1 ? widest(most) : next_count(most, disc_.inner_share);
      std::vector<Index> now;
      for (std::size_t i = 0; i < counts.back().size(); ++i) {
        const auto by_length = static_cast<Index>(std::ceil(most * std::min(1.0, length[i] / mean)));
        now.push_back(std::max<Index>(1, std::min(counts.back()[i], by_length)));
      }
      counts.push_back(std::move(now));
    }
    std::vector<Ring> rings{border()};
    radius_ /= static_cast<double>(at_.size());
    const std::vector<double> depth = depths(counts);
    for (std::size_t r = 1; r < counts.size(); ++r) rings.push_back(r == 1 ? first_ring(rings[0], counts[1], depth[1]) : ring(counts[r], depth[r]));
    for (std::size_t r = 0; r + 1 < rings.size(); ++r) zip(rings[r], rings[r + 1], r == 0 && disc_.divides_corners);
    fill(rings.back());
    keep_volume(middle);
    for (std::size_t k = points_.size(); k < at_.size(); ++k) points_.push_back(disc_.add_point(at_[k]));
    for (auto& face : faces_)
      for (Index& p : face) p = points_[p];
    return std::move(faces_);
  }

 private:
  /// Segments per side of the ring within the border: as many as the number of faces allows.
  Index widest(Index n) const {
    Index m = n - 2;
    while (m > 2 && n - 1 + cost(m, disc_.inner_share) > disc_.faces_per_segment * n) --m;
    return m;
  }

  /// How far in each ring lies, 0 to 1: as far as the mean of its segments and those of the ring outside it asks for, in proportion.
  std::vector<double> depths(const std::vector<std::vector<Index>>& counts) const {
    std::vector<double> sum;
    for (const auto& ring : counts) {
      sum.push_back(0);
      for (Index n : ring) sum.back() += n;
    }
    const std::size_t rings = counts.size();
    std::vector<double> depth(rings + 1);
    for (std::size_t r = 0; r <= rings; ++r) depth[r] = static_cast<double>(r) / static_cast<double>(rings);
    for (int again = 0; again < 8; ++again) {
      std::vector<double> step(rings + 1, 0), segment(rings);
      for (std::size_t r = 0; r < rings; ++r) segment[r] = (1 - depth[r]) * perimeter_ / sum[r];
      for (std::size_t r = 1; r < rings; ++r) step[r] = r == 1 ? disc_.first_ring * segment[0] : ring_distance * (segment[r - 1] + segment[r]) / 2;
      step[rings] = segment[rings - 1];
      double whole = 0;
      for (double s : step) whole += s;
      // The first one keeps its distance, if there is room for that.
      const double kept = rings > 1 ? disc_.first_depth > 0 ? disc_.first_depth * radius_ : std::min(step[1], max_first_ring * radius_) : 0, rest = whole - (rings > 1 ? step[1] : 0);
      double gone = 0;
      for (std::size_t r = 1; r <= rings; ++r) {
        gone += r == 1 && rings > 1 ? kept : step[r] * (radius_ - kept) / rest;
        depth[r] = gone / radius_;
      }
    }
    return depth;
  }

  Ring border() {
    Ring ring;
    for (std::size_t i = 0; i < disc_.sides.size(); ++i) {
      const auto& side = disc_.sides[i];
      const std::size_t n = side.points.size() - 1;
      for (std::size_t k = 0; k < n; ++k) {
        points_.push_back(side.points[k]);
        add(ring, put(side.at[k], 0), i, k, n);
      }
    }
    return ring;
  }

  Ring ring(const std::vector<Index>& counts, double depth) {
    Ring ring;
    for (std::size_t i = 0; i < counts.size(); ++i)
      for (std::size_t k = 0; k < counts[i]; ++k) add(ring, put(disc_.place(static_cast<double>(i) + static_cast<double>(k) / counts[i], depth), depth), i, k, counts[i]);
    return ring;
  }

  /// The ring within the border: each of its points lies before the middle of the segments that have a triangle with it.
  Ring first_ring(const Ring& border, const std::vector<Index>& counts, double depth) {
    Ring inner;
    for (std::size_t i = 0; i < counts.size(); ++i)
      for (std::size_t k = 0; k < counts[i]; ++k) add(inner, no_index, i, k, counts[i]);
    const std::vector<std::size_t> partner = partners(border, inner);
    std::size_t j = 0, before = 0;
    for (std::size_t i = 0; i < counts.size(); ++i) {
      const std::size_t n = disc_.sides[i].points.size() - 1;
      for (std::size_t k = 0; k < counts[i]; ++k, ++j) {
        const double at = k == 0 ? 0 : static_cast<double>(partner[j - 1] + 1 + partner[j] - 2 * before) / 2;
        inner.points[j] = put(disc_.place(static_cast<double>(i) + at / static_cast<double>(n), depth), depth);
      }
      before += n;
    }
    return inner;
  }

  Index put(const Vec3& at, double depth) {
    at_.push_back(at);
    depth_.push_back(depth);
    return static_cast<Index>(at_.size() - 1);
  }

  static void add(Ring& ring, Index point, std::size_t side, std::size_t k, std::size_t n) {
    ring.points.push_back(point);
    ring.at.push_back(static_cast<double>(side) + static_cast<double>(k) / static_cast<double>(n));
    ring.corner.push_back(k == 0);
  }

  /// The outer segment that each inner one has a quad with: the nearest on its side, but those at the corners where there are enough others.
  std::vector<std::size_t> partners(const Ring& outer, const Ring& inner) const {
    std::vector<std::size_t> partner;
    std::size_t first = 0, own = 0;
    for (std::size_t side = 0; side < disc_.sides.size(); ++side) {
      std::size_t n = 0, m = 0;
      while (first + n < outer.at.size() && outer.at[first + n] < static_cast<double>(side + 1)) ++n;
      while (own + m < inner.at.size() && inner.at[own + m] < static_cast<double>(side + 1)) ++m;
      const std::size_t spared = n >= m + 2 ? 1 : 0;
      std::size_t next = spared;
      for (std::size_t j = 0; j < m; ++j) {
        const auto nearest = static_cast<std::size_t>((static_cast<double>(j) + 0.5) / static_cast<double>(m) * static_cast<double>(n));
        next = std::clamp(nearest, next, n - spared - (m - j));
        partner.push_back(first + next++);
      }
      first += n, own += m;
    }
    return partner;
  }

  /// The faces between two rings. Each inner segment has a quad with an outer one; where both outer segments at a corner are left, they have a quad with the inner
  /// corner; each other outer one has a triangle.
  void zip(const Ring& outer, const Ring& inner, bool divides_corners) {
    const std::size_t n = outer.points.size(), m = inner.points.size();
    const auto o = [&](std::size_t k) { return outer.points[k % n]; };
    const auto q = [&](std::size_t k) { return inner.points[k % m]; };
    const std::vector<std::size_t> partner = partners(outer, inner);
    std::vector<char> done(n, 0);
    for (std::size_t j = 0; j < m; ++j) {
      done[partner[j]] = 1;
      faces_.push_back({o(partner[j]), o(partner[j] + 1), q(j + 1), q(j)});
    }
    const auto apex = [&](std::size_t k) { return q(static_cast<std::size_t>(std::lower_bound(partner.begin(), partner.end(), k) - partner.begin())); };
    if (!divides_corners) pair_at_corners(outer, done, apex);
    for (std::size_t k = 0; k < n; ++k)
      if (!done[k]) faces_.push_back({o(k), o(k + 1), apex(k)});
  }

  /// Segments that are not done, two at each corner, each pair with one quad.
  template <class Apex>
  void pair_at_corners(const Ring& ring, std::vector<char>& done, const Apex& apex) {
    const std::size_t n = ring.points.size();
    for (std::size_t k = 0; k < n; ++k) {
      const std::size_t before = (k + n - 1) % n;
      if (!ring.corner[k] || done[k] || done[before]) continue;
      done[k] = done[before] = 1;
      faces_.push_back({ring.points[before], ring.points[k], ring.points[(k + 1) % n], apex(k)});
    }
  }

  /// Around the middle: quads at the corners, and others of two segments.
  void fill(const Ring& ring) {
    const std::size_t n = ring.points.size();
    if (n <= 4) {
      faces_.push_back(ring.points);
      return;
    }
    const Index centre = put(disc_.place(0, 1), 1);
    std::vector<char> done(n, 0);
    pair_at_corners(ring, done, [&](std::size_t) { return centre; });
    for (std::size_t k = 0; k < n; ++k) {
      if (done[k]) continue;
      std::vector<Index> face{ring.points[k], ring.points[(k + 1) % n]};
      if (k + 1 < n && !done[k + 1]) done[k + 1] = 1, face.push_back(ring.points[(k + 2) % n]);
      face.push_back(centre);
      faces_.push_back(std::move(face));
    }
  }

  /// Six times the volume between the faces and a point.
  double volume(const Vec3& from) const {
    double sum = 0;
    for (const auto& face : faces_)
      for (const Triangle& t : triangulate(at_, face)) sum += (at_[t[0]] - from).dot((at_[t[1]] - from).cross(at_[t[2]] - from));
    return sum;
  }

  /// The same under the surface, with as many segments everywhere as the border has.
  double full_volume(const Vec3& from) const {
    double sum = 0;
    const std::size_t border = points_.size();
    std::vector<double> along;
    for (std::size_t i = 0; i < disc_.sides.size(); ++i) {
      const std::size_t n = disc_.sides[i].points.size() - 1;
      for (std::size_t k = 0; k < n; ++k) along.push_back(static_cast<double>(i) + static_cast<double>(k) / static_cast<double>(n));
    }
    std::vector<Vec3> outer(at_.begin(), at_.begin() + static_cast<std::ptrdiff_t>(border)), inner(border);
    const std::size_t rows = std::max<std::size_t>(2, border / (2 * disc_.sides.size()));
    const auto add = [&](const Vec3& a, const Vec3& b, const Vec3& c) { sum += (a - from).dot((b - from).cross(c - from)); };
    for (std::size_t r = 1; r <= rows; ++r) {
      for (std::size_t k = 0; k < border; ++k) inner[k] = disc_.place(along[k], static_cast<double>(r) / static_cast<double>(rows));
      for (std::size_t k = 0; k < border; ++k) {
        const std::size_t next = (k + 1) % border;
        add(outer[k], outer[next], inner[next]);
        add(outer[k], inner[next], inner[k]);
      }
      std::swap(outer, inner);
    }
    return sum;
  }

  /// Moves points across the surface, the more the deeper they lie, until the volume is right.
  void keep_volume(const Vec3& from) {
    if (at_.size() == points_.size()) return;
    std::vector<Vec3> normal(at_.size(), Vec3::Zero());
    for (const auto& face : faces_) {
      const Vec3 n = newell_normal(at_, face);
      for (Index p : face) normal[p] += n;
    }
    const double wanted = full_volume(from), before = volume(from), h = move_at_first * radius_;
    const std::vector<Vec3> at = at_;
    const auto move = [&](double by) {
      for (std::size_t k = points_.size(); k < at_.size(); ++k) if (depth_[k] > disc_.first_depth) at_[k] = at[k] + by * (depth_[k] - disc_.first_depth) / (1 - disc_.first_depth) * normal[k].stableNormalized();
    };
    move(h);
    const double grown = volume(from) - before;
    move(std::abs(grown) > 0 ? std::clamp((wanted - before) / grown * h, -max_move * radius_, max_move * radius_) : 0);
  }

  const RingedDisc& disc_;
  std::vector<std::vector<Index>> faces_;
  std::vector<Vec3> at_;
  std::vector<double> depth_;
  std::vector<Index> points_;  // of the first of them, those of the border
  double perimeter_ = 0, radius_ = 0;
};

}  // namespace

std::vector<std::vector<Index>> RingedDisc::faces() const { return Filling(*this).make(); }

}  // namespace anvil
