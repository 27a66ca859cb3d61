// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/touch.h"

#include <algorithm>
#include <atomic>

#include "core/control.h"
#include "core/mesh/bvh.h"
#include "core/mesh/nearest.h"
#include "core/mesh/triangles_cross.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/winding.h"

namespace anvil {
namespace {

/// Square of the distance between two segments (Ericson, "Real-Time Collision Detection", 2005, 5.1.9).
double segment_distance2(const Vec3& p, const Vec3& p_end, const Vec3& q, const Vec3& q_end) {
  const Vec3 d = p_end - p, e = q_end - q, r = p - q;
  const double a = d.squaredNorm(), f = e.squaredNorm(), b = d.dot(e), c = d.dot(r), g = e.dot(r);
  double s = 0, t = 0;
  if (a > 0 && f > 0) {
    const double denominator = a * f - b * b;
    s = denominator > 0 ? std::clamp((b * g - c * f) / denominator, 0.0, 1.0) : 0;
    t = (b * s + g) / f;
    if (t < 0)
      t = 0, s = std::clamp(-c / a, 0.0, 1.0);
    else if (t > 1)
      t = 1, s = std::clamp((b - c) / a, 0.0, 1.0);
  } else if (a > 0) {
    s = std::clamp(-c / a, 0.0, 1.0);
  } else if (f > 0) {
    t = std::clamp(g / f, 0.0, 1.0);
  }
  return (p + s * d - q - t * e).squaredNorm();
}

class Pair {
 public:
  Pair(const Mesh& a, const Mesh& b, const Affine& placement) {
    points_ = a.positions;
    for (const Vec3& p : b.positions) points_.push_back(placement * p);
    const TriangleList of_a = triangulate(a), of_b = triangulate(b);
    triangles_ = of_a.triangles;
    first_of_b_ = triangles_.size();
    const auto offset = static_cast<Index>(a.positions.size());
    for (const Triangle& t : of_b.triangles) triangles_.push_back({t[0] + offset, t[1] + offset, t[2] + offset});
  }

  bool near(double within, const std::stop_token& stop) const {
    std::vector<Index> groups(triangles_.size(), 0);
    std::fill(groups.begin() + static_cast<std::ptrdiff_t>(first_of_b_), groups.end(), 1);
    // Each box grows by half of it, and a little for rounding.
    const Bvh tree(points_, triangles_, 0.5000001 * within, groups);
    std::atomic<bool> found = false;
    tree.for_each_pair(
        [&](Index s, Index t) {
          if (!found && groups[s] != groups[t] && meet(triangles_[s], triangles_[t], within)) found = true;
        },
        stop);
    return found;
  }

  /// Does one of the first points of either lie within the other?
  bool holds() const {
    if (first_of_b_ == 0 || first_of_b_ == triangles_.size()) return false;
    const std::span<const Triangle> all(triangles_), a = all.first(first_of_b_), b = all.subspan(first_of_b_);
    return std::abs(winding_number(points_, a, points_[b[0][0]])) > 0.5 || std::abs(winding_number(points_, b, points_[a[0][0]])) > 0.5;
  }

 private:
  bool meet(const Triangle& s, const Triangle& t, double within) const {
    if (triangles_cross(points_, s, t)) return true;
    for (std::size_t i = 0; i < 3; ++i)
      for (std::size_t j = 0; j < 3; ++j)
        if (segment_distance2(points_[s[i]], points_[s[(i + 1) % 3]], points_[t[j]], points_[t[(j + 1) % 3]]) <= within * within) return true;
    return over(s, t, within) || over(t, s, within);
  }
  /// Does a corner of s lie near t?
  bool over(const Triangle& s, const Triangle& t, double within) const {
    return std::any_of(s.begin(), s.end(), [&](Index corner) {
      const Vec3& p = points_[corner];
      return (p - nearest_on_triangle(p, points_[t[0]], points_[t[1]], points_[t[2]])).squaredNorm() <= within * within;
    });
  }

  std::vector<Vec3> points_;
  std::vector<Triangle> triangles_;
  std::size_t first_of_b_ = 0;
};

}  // namespace

bool touch(const Mesh& a, const Mesh& b, const Affine& placement, double within, const std::stop_token& stop) {
  Box3 own, other;
  for (const Vec3& p : a.positions) own.add(p);
  for (const Vec3& p : b.positions) other.add(placement * p);
  if (own.empty() || other.empty() || (own.lo.array() > other.hi.array() + within).any() || (other.lo.array() > own.hi.array() + within).any()) return false;
  const Pair pair(a, b, placement);
  return pair.near(within, stop) || pair.holds();
}

}  // namespace anvil
