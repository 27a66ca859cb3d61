// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/layer.h"

#include <algorithm>
#include <atomic>

#include "core/mesh/bvh.h"
#include "core/mesh/nearest.h"

namespace anvil::boolean {
bool is_layer(const std::vector<LayerFace>& faces, double tolerance, const Control& control) {
  std::vector<Vec3> normals;  // as long as twice the area
  for (const auto& [a, b, c] : faces) normals.push_back((b - a).cross(c - a));
  // The faces, and behind them the points as triangles without extent.
  std::vector<Vec3> points;
  std::vector<Triangle> triangles;
  std::vector<Index> groups, face_of_sample;
  for (const LayerFace& face : faces) {
    const auto at = static_cast<Index>(points.size());
    points.insert(points.end(), face.begin(), face.end());
    triangles.push_back({at, at + 1, at + 2});
    groups.push_back(0);
  }
  for (Index f = 0; f < faces.size(); ++f) {
    const auto& [a, b, c] = faces[f];
    const double boundary = (b - a).norm() + (c - b).norm() + (a - c).norm();
    // No point of a face narrower than this is farther than the tolerance from its edges.
    if (normals[f].norm() <= tolerance * boundary) continue;
    const Vec3 middle = (a + b + c) / 3;
    for (const Vec3& p : {middle, Vec3((middle + a) / 2), Vec3((middle + b) / 2), Vec3((middle + c) / 2)}) {
      const auto at = static_cast<Index>(points.size());
      points.push_back(p);
      triangles.push_back({at, at, at});
      groups.push_back(1);
      face_of_sample.push_back(f);
    }
  }
  if (face_of_sample.empty()) return true;
  std::vector<std::atomic<char>> met(face_of_sample.size());
  Bvh(points, triangles, tolerance, groups).for_each_pair(
      [&](Index i, Index j) {
        const Index f = std::min(i, j), sample = std::max(i, j) - static_cast<Index>(faces.size());
        if (met[sample].load(std::memory_order_relaxed)) return;
        if (normals[f].dot(normals[face_of_sample[sample]]) >= 0) return;
        const Vec3& p = points[triangles[std::max(i, j)][0]];
        const auto& [a, b, c] = faces[f];
        if ((nearest_on_triangle(p, a, b, c) - p).norm() <= tolerance) met[sample].store(1, std::memory_order_relaxed);
      },
      control.stop);
  return std::all_of(met.begin(), met.end(), [](const auto& m) { return m.load() != 0; });
}

}  // namespace anvil::boolean
