// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/edge_line.h"

#include <cmath>

namespace anvil {
namespace {

std::vector<Vec3> ends_of(const WorkedTriangles& work, const Line& line) {
  std::vector<Vec3> points;
  for (const auto& edge : line)
    for (Index v : edge) points.push_back(work.positions[v]);
  return points;
}
std::vector<Triangle> in_twos(std::size_t edges) {
  std::vector<Triangle> all;
  for (Index e = 0; e < edges; ++e) all.push_back({2 * e, 2 * e + 1, 2 * e + 1});
  return all;
}

}  // namespace

LineTree::LineTree(const WorkedTriangles& work, const Line& line) : points_(ends_of(work, line)), edges_(in_twos(line.size())), tree_(points_, edges_) {}

LineTree::Nearest LineTree::nearest(const Vec3& p) const {
  const Bvh::Nearest found = tree_.nearest(points_, edges_, p);
  return {found.triangle, std::sqrt(found.square)};
}

}  // namespace anvil
