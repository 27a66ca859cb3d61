// SPDX-License-Identifier: GPL-3.0-or-later
// Families that look at each face by itself.
#pragma once

#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/soundness/analysis.h"

namespace anvil {

/// The faces for which `holds(face)`, one record for each stretch that hangs together.
template <class Holds>
std::vector<Defect> defects_of_faces_that(const Analysis& a, const Family& family, const char* one, const char* many, Holds&& holds) {
  tbb::enumerable_thread_specific<std::vector<Index>> parts;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, a.mesh.face_count(), 8192), [&](const auto& range) {
    auto& mine = parts.local();
    for (std::size_t f = range.begin(); f < range.end(); ++f)
      if (holds(static_cast<Index>(f))) mine.push_back(static_cast<Index>(f));
  });
  std::vector<Index> found;
  for (const auto& part : parts) found.insert(found.end(), part.begin(), part.end());
  if (found.empty()) return {};
  std::sort(found.begin(), found.end());
  std::vector<Defect> defects;
  for (const auto& group : connected_groups(a, found))
    defects.push_back(defect_of_faces(a, family, group, std::to_string(group.size()) + ' ' + (group.size() == 1 ? one : many)));
  return defects;
}

/// Squares of a triangle's sides, the shortest first, and of its height over the longest.
struct TriangleShape {
  double shortest, middle, longest, height;
};
inline TriangleShape shape_of(const Analysis& a, Index triangle_face) {
  const auto ring = a.mesh.face(triangle_face);
  const Vec3 &p = a.mesh.positions[ring[0]], &q = a.mesh.positions[ring[1]], &r = a.mesh.positions[ring[2]];
  const double x = (q - p).squaredNorm(), y = (r - q).squaredNorm(), z = (p - r).squaredNorm();
  const double shortest = std::min({x, y, z}), longest = std::max({x, y, z});
  return {shortest, x + y + z - shortest - longest, longest, longest > 0 ? (q - p).cross(r - p).squaredNorm() / longest : 0};
}
/// Longer than so many times its width, a triangle is a needle or a cap; the square of it.
inline constexpr double slender = 100.0 * 100.0;

}  // namespace anvil
