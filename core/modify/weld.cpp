// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/weld.h"

#include <algorithm>
#include <numeric>

namespace anvil {
namespace {

Vec3 normal_of(const std::vector<Vec3>& ring) {
  std::vector<Index> own(ring.size());
  std::iota(own.begin(), own.end(), Index{0});
  return newell_normal(ring, own);
}

}  // namespace

FacesAt faces_at(const Mesh& mesh, std::span<const Index> vertices) {
  std::vector<char> asked(mesh.positions.size(), 0);
  for (Index v : vertices) asked[v] = 1;
  FacesAt faces;
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f))
      if (asked[v]) faces[v].push_back(f);
  return faces;
}

Vec3 meeting_place(const Mesh& mesh, std::span<const Index> cluster) {
  const Vec3& first = mesh.positions[cluster[0]];
  Vec3 sum = Vec3::Zero();
  for (Index v : cluster) sum += mesh.positions[v] - first;
  return first + sum / static_cast<double>(cluster.size());
}

bool is_harmless_weld(const Mesh& mesh, std::span<const Index> cluster, const Vec3& at, double gap, const FacesAt& at_each) {
  const auto is_in = [&](Index v) { return std::binary_search(cluster.begin(), cluster.end(), v); };
  for (Index v : cluster)
    for (Index f : at_each.at(v)) {
      const auto ring = mesh.face(f);
      std::vector<Vec3> before, after;
      std::size_t runs = 0;  // stretches of the ring that are welded
      for (std::size_t k = 0; k < ring.size(); ++k) {
        const bool in = is_in(ring[k]), next_in = is_in(ring[(k + 1) % ring.size()]);
        runs += in && !next_in;
        before.push_back(mesh.positions[ring[k]]);
        if (!in || !next_in) after.push_back(in ? at : mesh.positions[ring[k]]);
      }
      if (runs > 1) return false;
      if (after.size() < 3) continue;
      const Vec3 n = normal_of(before), m = normal_of(after);
      double around = 0;
      for (std::size_t k = 0; k < before.size(); ++k) around += (before[(k + 1) % before.size()] - before[k]).norm();
      if (n.norm() > 4 * gap * around && n.dot(m) <= 0) return false;
    }
  return true;
}

}  // namespace anvil
