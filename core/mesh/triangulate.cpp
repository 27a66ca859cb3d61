// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/triangulate.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <queue>

#include "core/exact/predicates.h"

namespace anvil {
namespace {

/// How good an ear is: its smallest height against its longest side; larger is rounder.
double roundness(const Point2& a, const Point2& b, const Point2& c) {
  const double area = std::abs((b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x));
  const double longest = std::max(
      {std::hypot(b.x - a.x, b.y - a.y), std::hypot(c.x - b.x, c.y - b.y), std::hypot(a.x - c.x, a.y - c.y)});
  return longest > 0 ? area / (longest * longest) : 0;
}

/// A ring that turns left at every corner and goes round once: every corner is an ear and stays one.
bool is_convex(std::span<const Point2> ring) {
  const std::size_t n = ring.size();
  int turns_back = 0;  // how often it changes between going right and going left
  bool to_the_right = ring[0].x > ring[n - 1].x || (ring[0].x == ring[n - 1].x && ring[0].y > ring[n - 1].y);
  for (std::size_t i = 0; i < n; ++i) {
    const Point2 &a = ring[i], &b = ring[i + 1 == n ? 0 : i + 1], &c = ring[(i + 2) % n];
    if (orient2d_if_sure(a, b, c) <= 0) return false;
    const bool right = b.x > a.x || (b.x == a.x && b.y > a.y);
    if (right != to_the_right) ++turns_back;
    to_the_right = right;
  }
  return turns_back == 2;
}

/// Does a ray from the apex to p lie strictly between those to `first` and, turning left by less than half a turn, `second`?
bool is_between(const Point2& apex, const Point2& first, const Point2& second, const Point2& p) {
  return orient2d(apex, first, p) > 0 && orient2d(apex, p, second) > 0;
}

/// Numbers of points by columns of equal width, to find those within a range of x.
class Columns {
 public:
  explicit Columns(const std::vector<Point2>& points) {
    constexpr std::size_t in_one = 8;
    double hi = points[0].x;
    lo_ = hi;
    for (const Point2& p : points) lo_ = std::min(lo_, p.x), hi = std::max(hi, p.x);
    const std::size_t count = points.size() / in_one + 1;
    per_ = hi > lo_ ? static_cast<double>(count) / (hi - lo_) : 0;
    last_ = static_cast<double>(count - 1);
    begin_.assign(count + 1, 0);
    for (const Point2& p : points) ++begin_[column(p.x) + 1];
    for (std::size_t k = 1; k <= count; ++k) begin_[k] += begin_[k - 1];
    numbers_.resize(points.size());
    std::vector<std::size_t> next(begin_.begin(), begin_.end() - 1);
    for (std::size_t i = 0; i < points.size(); ++i) numbers_[next[column(points[i].x)]++] = i;
  }
  std::span<const std::size_t> within(double lo, double hi) const {
    const std::size_t first = begin_[column(lo)];
    return std::span(numbers_).subspan(first, begin_[column(hi) + 1] - first);
  }

 private:
  std::size_t column(double x) const {
    const double at = (x - lo_) * per_;  // of numbers that are too large or too close it may be no number
    return at > 0 ? static_cast<std::size_t>(std::min(at, last_)) : 0;
  }
  double lo_ = 0, per_ = 0, last_ = 0;
  std::vector<std::size_t> begin_, numbers_;
};

/// Writes polygon.size() − 2 triangles to `out`.
void clip_ears(const std::vector<Vec3>& positions, std::span<const Index> polygon, Triangle* out) {
  const Vec3 normal = newell_normal(positions, polygon);
  const Projection plane = Projection::along(normal);
  const std::size_t count = polygon.size();
  std::vector<Point2> flat;
  for (Index v : polygon) flat.push_back(plane(positions[v]));
  // Corners of the ring that is left, by their places in the polygon.
  std::vector<std::size_t> before(count), after(count);
  for (std::size_t i = 0; i < count; ++i) before[i] = (i + count - 1) % count, after[i] = (i + 1) % count;
  constexpr double cut_off = -2, no_ear = -1;

  // How good each corner is as an ear. Cutting one off changes only its two neighbours.
  std::vector<double> scores(count, no_ear);
  const bool convex = is_convex(flat);
  const Columns columns(flat);
  auto score = [&](std::size_t i) {
    const std::size_t h = before[i], k = after[i];
    const Point2 &a = flat[h], &b = flat[i], &c = flat[k];
    if (convex) return roundness(a, b, c);
    if (orient2d(a, b, c) <= 0) return no_ear;
    const double lo_x = std::min({a.x, b.x, c.x}), hi_x = std::max({a.x, b.x, c.x}), lo_y = std::min({a.y, b.y, c.y}), hi_y = std::max({a.y, b.y, c.y});
    for (const std::size_t j : columns.within(lo_x, hi_x)) {
      const Point2& p = flat[j];
      if (p.x < lo_x || p.x > hi_x || p.y < lo_y || p.y > hi_y || j == h || j == i || j == k || scores[j] == cut_off) continue;
      // Where the ring comes to a corner of the ear again, as at the ends of a slit, it must not go on into the ear.
      auto goes_into = [&](const Point2& apex, const Point2& first, const Point2& second) {
        return is_between(apex, first, second, flat[before[j]]) || is_between(apex, first, second, flat[after[j]]);
      };
      auto is_at = [&](const Point2& corner) { return p.x == corner.x && p.y == corner.y; };
      const bool blocks = is_at(a)   ? goes_into(a, b, c)
                          : is_at(b) ? goes_into(b, c, a)
                          : is_at(c) ? goes_into(c, a, b)
                                     : orient2d(a, b, p) >= 0 && orient2d(b, c, p) >= 0 && orient2d(c, a, p) >= 0;
      if (blocks) return no_ear;
    }
    return roundness(a, b, c);
  };
  // Ears, the best one first and of equal ones the one that comes first in the ring; out of date where the score is another now.
  using Ear = std::pair<double, std::ptrdiff_t>;
  std::priority_queue<Ear> ears;
  auto look_at = [&](std::size_t i) {
    scores[i] = score(i);
    if (scores[i] >= 0) ears.emplace(scores[i], -static_cast<std::ptrdiff_t>(i));
  };
  for (std::size_t i = 0; i < count; ++i) look_at(i);
  std::size_t first = 0;
  for (std::size_t left = count; left > 3; --left) {
    while (!ears.empty() && scores[static_cast<std::size_t>(-ears.top().second)] != ears.top().first) ears.pop();
    // A polygon that crosses itself or has no area has no proper ear: any corner serves.
    const bool none = ears.empty();
    const std::size_t best = none ? after[first] : static_cast<std::size_t>(-ears.top().second);
    const std::size_t h = before[best], k = after[best];
    *out++ = {polygon[h], polygon[best], polygon[k]};
    after[h] = k;
    before[k] = h;
    scores[best] = cut_off;
    if (best == first) first = k;
    for (const std::size_t i : {h, k}) look_at(i);
    // Where none is left the corner cut off was no ear, and others may have become one.
    if (!none) continue;
    for (std::size_t i = 0; i < count; ++i)
      if (scores[i] != cut_off) look_at(i);
  }
  *out = {polygon[first], polygon[after[first]], polygon[before[first]]};
}

/// A convex, strictly planar-looking quad is split along its shorter diagonal; others go to ear clipping.
bool split_quad(const std::vector<Vec3>& positions, std::span<const Index> q, Triangle* out) {
  const Projection plane = Projection::along(newell_normal(positions, q));
  std::array<Point2, 4> p;
  for (std::size_t i = 0; i < 4; ++i) p[i] = plane(positions[q[i]]);
  for (std::size_t i = 0; i < 4; ++i)
    if (orient2d(p[i], p[(i + 1) % 4], p[(i + 2) % 4]) <= 0) return false;
  const double d02 = (positions[q[2]] - positions[q[0]]).squaredNorm();
  const double d13 = (positions[q[3]] - positions[q[1]]).squaredNorm();
  if (d02 <= d13) {
    out[0] = {q[0], q[1], q[2]};
    out[1] = {q[0], q[2], q[3]};
  } else {
    out[0] = {q[1], q[2], q[3]};
    out[1] = {q[1], q[3], q[0]};
  }
  return true;
}

/// Writes ring.size() − 2 triangles to `out`.
void cut(const std::vector<Vec3>& positions, std::span<const Index> ring, Triangle* out) {
  if (ring.size() == 3)
    *out = {ring[0], ring[1], ring[2]};
  else if (ring.size() != 4 || !split_quad(positions, ring, out))
    clip_ears(positions, ring, out);
}

}  // namespace

std::vector<Triangle> triangulate(const std::vector<Vec3>& positions, std::span<const Index> ring) {
  std::vector<Triangle> triangles(ring.size() < 3 ? 0 : ring.size() - 2);
  if (!triangles.empty()) cut(positions, ring, triangles.data());
  return triangles;
}

TriangleList triangulate(const Mesh& mesh) {
  TriangleList list;
  const std::size_t faces = mesh.face_count();
  if (mesh.triangles_only()) {
    list.triangles.resize(faces);
    list.face.resize(faces);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, faces, 16384), [&](const auto& range) {
      for (std::size_t f = range.begin(); f < range.end(); ++f) {
        list.triangles[f] = {mesh.corners[3 * f], mesh.corners[3 * f + 1], mesh.corners[3 * f + 2]};
        list.face[f] = static_cast<Index>(f);
      }
    });
    return list;
  }
  std::vector<Index> first(faces + 1, 0);
  for (std::size_t f = 0; f < faces; ++f) {
    const std::size_t n = mesh.face(f).size();
    first[f + 1] = first[f] + static_cast<Index>(n < 3 ? 0 : n - 2);
  }
  list.triangles.resize(first[faces]);
  list.face.resize(first[faces]);
  constexpr std::size_t at_once = 64;  // some have hundreds of corners
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, faces, at_once), [&](const auto& range) {
    for (std::size_t f = range.begin(); f < range.end(); ++f) {
      const auto polygon = mesh.face(f);
      if (polygon.size() < 3) continue;
      Triangle* out = list.triangles.data() + first[f];
      std::fill(list.face.begin() + first[f], list.face.begin() + first[f + 1], static_cast<Index>(f));
      cut(mesh.positions, polygon, out);
    }
  });
  return list;
}

}  // namespace anvil
