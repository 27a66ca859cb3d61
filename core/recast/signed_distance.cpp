// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/signed_distance.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <limits>

#include "core/mesh/edges.h"
#include "core/mesh/nearest.h"

namespace anvil::recast {

SignedDistance::SignedDistance(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Control& control)
    : positions_(positions), triangles_(triangles), tree_(positions, triangles), face_normals_(triangles.size()), vertex_normals_(positions.size(), Vec3::Zero()), edge_normals_(3 * triangles.size()) {
  for (std::size_t t = 0; t < triangles.size(); ++t) {
    if (t % 4096 == 0) check_stop(control);
    const auto& [a, b, c] = triangles[t];
    face_normals_[t] = (positions[b] - positions[a]).cross(positions[c] - positions[a]).stableNormalized();
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 &at = positions[triangles[t][k]], u = positions[triangles[t][(k + 1) % 3]] - at, v = positions[triangles[t][(k + 2) % 3]] - at;
      vertex_normals_[triangles[t][k]] += std::atan2(u.cross(v).norm(), u.dot(v)) * face_normals_[t];
    }
  }
  const std::vector<Index> opposite = find_opposites(triangles, {}, positions.size());
  for (std::size_t c = 0; c < opposite.size(); ++c) edge_normals_[c] = face_normals_[c / 3] + (opposite[c] == no_index ? Vec3(Vec3::Zero()) : face_normals_[opposite[c] / 3]);
  check_stop(control);
  find_doubtful(control);
}

void SignedDistance::find_doubtful(const Control& control) {
  doubtful_.assign(triangles_.size(), 0);
  // Narrow ones, and all at their corners.
  std::vector<char> at_narrow(positions_.size(), 0);
  Box3 box;
  for (const Triangle& t : triangles_) {
    const Vec3 &a = positions_[t[0]], &b = positions_[t[1]], &c = positions_[t[2]];
    for (Index v : t) box.add(positions_[v]);
    constexpr double narrow = 1e-8;  // height over length: normals are off by 2e-8 there
    if ((b - a).cross(c - a).norm() > narrow * std::max({(b - a).squaredNorm(), (c - b).squaredNorm(), (a - c).squaredNorm()})) continue;
    for (Index v : t) at_narrow[v] = 1;
  }
  for (std::size_t t = 0; t < triangles_.size(); ++t) doubtful_[t] = at_narrow[triangles_[t][0]] || at_narrow[triangles_[t][1]] || at_narrow[triangles_[t][2]];
  // Two in one plane that look away from each other.
  const double together = 1e-9 * box.diagonal();
  tree_.for_each_pair([&](Index i, Index j) {
    constexpr double away = -0.99;
    if (face_normals_[i].dot(face_normals_[j]) > away) return;
    const Vec3& at = positions_[triangles_[i][0]];
    for (Index v : triangles_[j])
      if (std::abs((positions_[v] - at).dot(face_normals_[i])) > together) return;
    for (const Index t : {i, j}) std::atomic_ref(doubtful_[t]).store(1, std::memory_order_relaxed);
  }, control.stop);
  if (std::find(doubtful_.begin(), doubtful_.end(), 1) != doubtful_.end()) winding_.emplace(positions_, std::vector<Triangle>(triangles_.begin(), triangles_.end()));
}

FieldSample SignedDistance::operator()(const Vec3& p) const {
  // No farther than the one that was nearest to the point asked for before, mostly a neighbour: only a bound, so that what is found does not depend on it.
  thread_local Index last = 0;
  const auto square_to = [&](Index t) {
    const auto& [a, b, c] = triangles_[t];
    return (nearest_on_triangle(p, positions_[a], positions_[b], positions_[c]) - p).squaredNorm();
  };
  const double bound = last < triangles_.size() ? square_to(last) * (1 + 1e-9) + std::numeric_limits<double>::min() : std::numeric_limits<double>::infinity();
  const Index found = tree_.nearest(positions_, triangles_, p, bound).triangle, t = found == no_index ? last : found;
  last = t;
  const auto& [a, b, c] = triangles_[t];
  const Vec3 at = nearest_on_triangle(p, positions_[a], positions_[b], positions_[c]);
  const Vec3 away = p - at;
  const double distance = away.norm();
  // On which face, edge or vertex that is; nearest_on_triangle gives vertices exactly.
  const std::array<Index, 3> corner{a, b, c};
  const double longest = std::max({(positions_[b] - positions_[a]).norm(), (positions_[c] - positions_[b]).norm(), (positions_[a] - positions_[c]).norm()});
  const Vec3* normal = nullptr;
  for (std::size_t k = 0; k < 3 && normal == nullptr; ++k)
    if (at == positions_[corner[k]]) normal = &vertex_normals_[corner[k]];
  for (std::size_t k = 0; k < 3 && normal == nullptr; ++k) {
    const Vec3 along = positions_[corner[(k + 1) % 3]] - positions_[corner[k]];
    if (along.cross(at - positions_[corner[k]]).norm() <= 1e-9 * longest * along.norm()) normal = &edge_normals_[3 * t + k];
  }
  const bool on_face = normal == nullptr;
  if (on_face) normal = &face_normals_[t];
  const bool inside = doubtful_[t] ? (*winding_)(p) > 0.5 : away.dot(*normal) < 0;
  // Nearly on it the way there is mostly rounding.
  if (distance <= 1e-9 * longest || (on_face && !doubtful_[t])) return {inside ? -distance : distance, normal->stableNormalized(), t};
  return {inside ? -distance : distance, inside ? Vec3(-away / distance) : Vec3(away / distance), t};
}

}  // namespace anvil::recast
