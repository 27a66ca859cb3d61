// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/winding.h"

#include "core/mesh/bvh.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_reduce.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace anvil {

namespace {

/// Of one triangle, seen from a point; 0 where it is seen edge-on or the point lies on it: then neither side counts.
double solid_angle(std::span<const Vec3> positions, const Triangle& t, const Vec3& point) {
  const Vec3 a = positions[t[0]] - point, b = positions[t[1]] - point, c = positions[t[2]] - point;
  const double determinant = a.dot(b.cross(c));
  if (determinant == 0) return 0;
  const double la = a.norm(), lb = b.norm(), lc = c.norm();
  return 2 * std::atan2(determinant, la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb);
}

}  // namespace

double winding_number(std::span<const Vec3> positions, std::span<const Triangle> triangles,
                      const Vec3& point) {
  const double angle = tbb::parallel_deterministic_reduce(
      tbb::blocked_range<std::size_t>(0, triangles.size(), 4096), 0.0,
      [&](const auto& range, double sum) {
        for (std::size_t i = range.begin(); i < range.end(); ++i) sum += solid_angle(positions, triangles[i], point);
        return sum;
      },
      std::plus<>());
  return angle / (4 * std::numbers::pi);
}

WindingTree::WindingTree(std::span<const Vec3> positions, std::vector<Triangle> triangles) : positions_(positions) {
  const std::vector<Index> order = morton_order(positions, triangles);
  for (Index i : order) triangles_.push_back(triangles[i]);
  while (leaves_ * leaf_size < triangles_.size()) leaves_ *= 2;
  nodes_.resize(2 * leaves_);
  tbb::parallel_for(std::size_t{0}, leaves_, [&](std::size_t leaf) {
    Node& node = nodes_[leaves_ + leaf];
    const std::size_t begin = leaf * leaf_size, end = std::min(triangles_.size(), begin + leaf_size);
    for (std::size_t i = begin; i < end; ++i) {
      const auto& [a, b, c] = triangles_[i];
      const Vec3 area = (positions[b] - positions[a]).cross(positions[c] - positions[a]) / 2;
      node.area += area;
      node.size += area.norm();
      node.middle += area.norm() * (positions[a] + positions[b] + positions[c]) / 3;
    }
    if (node.size > 0) node.middle /= node.size;
    for (std::size_t i = begin; i < end; ++i)
      for (Index v : triangles_[i]) node.radius = std::max(node.radius, (positions[v] - node.middle).norm());
  });
  for (std::size_t n = leaves_; n-- > 1;) {
    Node& node = nodes_[n];
    const Node &one = nodes_[2 * n], &other = nodes_[2 * n + 1];
    node.area = one.area + other.area;
    node.size = one.size + other.size;
    if (node.size > 0) node.middle = (one.size * one.middle + other.size * other.middle) / node.size;
    for (const Node* child : {&one, &other})
      if (child->size > 0) node.radius = std::max(node.radius, (child->middle - node.middle).norm() + child->radius);
  }
}

double WindingTree::operator()(const Vec3& point) const {
  constexpr double far = 3;
  double sum = 0, angle = 0;
  std::array<std::size_t, 2 * max_depth> stack{1};
  for (std::size_t waiting = 1; waiting > 0;) {
    const std::size_t n = stack[--waiting];
    const Node& node = nodes_[n];
    if (!(node.size > 0)) continue;
    const Vec3 to = node.middle - point;
    const double square = to.squaredNorm();
    if (square > far * far * node.radius * node.radius) {
      sum += node.area.dot(to) / (square * std::sqrt(square));
    } else if (n < leaves_) {
      stack[waiting++] = 2 * n;
      stack[waiting++] = 2 * n + 1;
    } else {
      const std::size_t begin = (n - leaves_) * leaf_size, end = std::min(triangles_.size(), begin + leaf_size);
      for (std::size_t i = begin; i < end; ++i) angle += solid_angle(positions_, triangles_[i], point);
    }
  }
  return (sum + angle) / (4 * std::numbers::pi);
}

}  // namespace anvil
