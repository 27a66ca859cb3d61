// SPDX-License-Identifier: GPL-3.0-or-later
// Three rounds at a vertex of which one is of the other kind: the two that are alike run on in each other along an arc, and the odd one ends on them.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/shape/blend/cell_layout.h"

namespace anvil {
namespace {

Vec3 turned_between(const Vec3& a, const Vec3& b, double x) {
  const double angle = std::atan2(a.cross(b).norm(), a.dot(b));
  if (angle < 1e-6 || angle > std::numbers::pi - 1e-3) return ((1 - x) * a + x * b).normalized();
  return (std::sin((1 - x) * angle) * a + std::sin(x * angle) * b) / std::sin(angle);
}

}  // namespace

/// Which of three finished edges is of another kind than the two others; 3: none, or not three in three facets.
std::size_t CellLayout::odd_one() const {
  if (!task_.settings.round || out_.size() != 3 || spans_.size() != 3) return 3;
  const auto convex = [&](std::size_t i) { return ends_.section(half(i)).convex; };
  for (std::size_t i = 0; i < 3; ++i)
    if (convex(i) != convex(i + 1) && convex(i + 1) == convex(i + 2)) return i;
  return 3;
}

/// Rows from the odd edge's outline: each carries the outline of the two others, on its way from the one to the other. The last points lie in the facet between these.
std::vector<std::vector<Vec3>> CellLayout::lead_over(std::size_t odd) {
  const Index e = half(odd), a = half(odd + 1), b = half(odd + 2);
  const Vec3 p1 = layout_.at(layout_.sector[e].back()), p2 = layout_.at(layout_.sector[b].front());
  const Vec3 &face = normal(odd + 1), &wall = normal(odd), &other_wall = normal(odd + 2);
  const Vec3 in_a = face.cross(ends_.way(a)), in_b = ends_.way(b).cross(face), wall_a = ends_.way(a).cross(wall), wall_b = other_wall.cross(ends_.way(b));
  const double width_a = ends_.left_width(a), width_b = ends_.right_width(b);
  const std::vector<ProfilePoint> shares = profile(ends_.section(e).corner, task_.settings), of_a = profile(ends_.section(a).corner, task_.settings),
                                  of_b = profile(ends_.section(b).corner, task_.settings);
  const Vec3 l = p1 - vertex_, r = p2 - vertex_, way = ends_.way(e);
  const double tl = l.dot(way), tr = r.dot(way);
  const std::size_t m = shares.size() - 1;
  std::vector<std::vector<Vec3>> grid;
  for (std::size_t j = 0; j <= m; ++j) {
    const double x = static_cast<double>(j) / static_cast<double>(m);
    const auto& [left, right] = shares[j];
    const double u = left / (left + right);
    const Vec3 start = j == 0 ? p1 : j == m ? p2 : Vec3(vertex_ + left * (l - tl * way) + right * (r - tr * way) + (u * tl + (1 - u) * tr) * way);
    const Vec3 down = ((1 - x) * wall_a + x * wall_b).normalized(), in = turned_between(in_a, in_b, x);
    const double width = (1 - x) * width_a + x * width_b;
    const Vec3 base = start - width * down;
    grid.emplace_back();
    for (std::size_t k = 0; k <= m; ++k) {
      // The facet is on the left of a, and on the right of b.
      const double on_face = (1 - x) * of_a[m - k].left + x * of_b[k].right, on_wall = (1 - x) * of_a[m - k].right + x * of_b[k].left;
      grid.back().push_back(k == 0 ? start : Vec3(base + on_face * width * in + on_wall * width * down));
    }
    // Between the outlines the rows end beside the facet; they are turned until they end in it.
    const double off = face.dot(grid.back().back() - vertex_);
    for (std::size_t k = 1; k <= m; ++k) grid.back()[k] -= static_cast<double>(k) / static_cast<double>(m) * off * face;
  }
  auto& sector = layout_.sector[a];
  sector.clear();
  const std::size_t steps = std::max<std::size_t>(1, m / 2);
  for (std::size_t i = steps + 1; i-- > 0;) sector.push_back(layout_.add({SurfacePoint::On::facet, facet(odd + 1), 0, grid[i * m / steps][m]}, cell_));
  return grid;
}

}  // namespace anvil
