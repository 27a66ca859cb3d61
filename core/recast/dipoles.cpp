// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/dipoles.h"

#include <tbb/parallel_for.h>

#include <array>
#include <cmath>
#include <numbers>

#include "core/mesh/bvh.h"

namespace anvil::recast {

Dipoles::Dipoles(std::span<const Vec3> points, std::span<const Vec3> areas) {
  std::vector<Triangle> dots(points.size());
  for (Index k = 0; k < dots.size(); ++k) dots[k] = {k, k, k};
  for (Index k : morton_order(points, dots)) points_.push_back({areas[k], points[k], areas[k].norm(), 0});
  while (leaves_ * leaf_size < points_.size()) leaves_ *= 2;
  nodes_.resize(2 * leaves_);
  const auto gather = [](Node& node, const auto& parts) {
    for (const Node& part : parts) node.area += part.area, node.size += part.size, node.middle += part.size * part.middle;
    if (!(node.size > 0)) return;
    node.middle /= node.size;
    for (const Node& part : parts)
      if (part.size > 0) node.radius = std::max(node.radius, (part.middle - node.middle).norm() + part.radius);
  };
  tbb::parallel_for(std::size_t{0}, leaves_, [&](std::size_t leaf) {
    const std::size_t begin = std::min(points_.size(), leaf * leaf_size), end = std::min(points_.size(), begin + leaf_size);
    gather(nodes_[leaves_ + leaf], std::span(points_.data() + begin, end - begin));
  });
  for (std::size_t n = leaves_; n-- > 1;) gather(nodes_[n], std::span(nodes_.data() + 2 * n, 2));
}

Dipoles::Winding Dipoles::operator()(const Vec3& p) const {
  constexpr double far = 2.5;
  Winding sum{0, Vec3::Zero()};
  const auto add = [&](const Node& node, const Vec3& to, double square) {
    const double cube = square * std::sqrt(square), along = node.area.dot(to);
    sum.number += along / cube;
    sum.gradient += (3 * along / square * to - node.area) / cube;
  };
  std::array<std::size_t, 2 * max_depth> stack{1};
  for (std::size_t waiting = 1; waiting > 0;) {
    const std::size_t n = stack[--waiting];
    const Node& node = nodes_[n];
    if (!(node.size > 0)) continue;
    const Vec3 to = node.middle - p;
    const double square = to.squaredNorm();
    if (square > far * far * node.radius * node.radius) {
      add(node, to, square);
    } else if (n < leaves_) {
      stack[waiting++] = 2 * n;
      stack[waiting++] = 2 * n + 1;
    } else {
      const std::size_t begin = (n - leaves_) * leaf_size, end = std::min(points_.size(), begin + leaf_size);
      for (std::size_t i = begin; i < end; ++i) {
        const Vec3 way = points_[i].middle - p;
        if (const double away = way.squaredNorm(); away > 0) add(points_[i], way, away);
      }
    }
  }
  sum.number /= 4 * std::numbers::pi;
  sum.gradient /= 4 * std::numbers::pi;
  return sum;
}

}  // namespace anvil::recast
