// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/cloud_gaps.h"

#include <tbb/parallel_for.h>

#include <cmath>
#include <map>

#include "core/mesh/cloud.h"
#include "core/mesh/union_find.h"

namespace anvil::recast {

std::vector<Vec3> gaps_of(const Mesh& skin, std::span<const Vec3> points, const Control& control) {
  const PointTree tree(points);
  const std::vector<Vec3> normals = rough_normals(points, spacing_of(points, tree), control.stop);
  // A skin over a surface leans from it by the dips between balls, and at an edge by half of its turn; on a rim it stands upright.
  constexpr double upright = 0.3;
  std::vector<char> on_rim(skin.positions.size(), 0);
  tbb::parallel_for(std::size_t{0}, on_rim.size(), [&](std::size_t v) {
    thread_local std::vector<PointTree::Near> near;
    tree.nearest(skin.positions[v], 1, near);
    const Vec3 way = skin.positions[v] - points[near[0].point];
    on_rim[v] = std::abs(normals[near[0].point].dot(way)) < upright * way.norm();
  });
  check_stop(control);
  UnionFind rims(skin.positions.size());
  for (Index f = 0; f < skin.face_count(); ++f) {
    const auto ring = skin.face(f);
    for (std::size_t k = 0; k < ring.size(); ++k)
      if (const Index a = ring[k], b = ring[(k + 1) % ring.size()]; on_rim[a] && on_rim[b]) rims.unite(a, b);
  }
  struct Rim {
    Box3 box;
    std::size_t vertices = 0;
  };
  std::map<Index, Rim> found;
  for (Index v = 0; v < on_rim.size(); ++v) {
    if (!on_rim[v]) continue;
    Rim& rim = found[rims.find(v)];
    rim.box.add(skin.positions[v]);
    ++rim.vertices;
  }
  constexpr std::size_t least = 6;  // fewer do not go around anything
  std::vector<Vec3> middles;
  for (const auto& [first, rim] : found)
    if (rim.vertices >= least) middles.push_back(rim.box.centre());
  return middles;
}

}  // namespace anvil::recast
