// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/mesh.h"

#include <algorithm>

#include "core/mesh/attributes.h"
#include "core/mesh/triangulate.h"

namespace anvil {

Box3 bounds(const Mesh& mesh) {
  Box3 box;
  if (mesh.cloud)
    for (const Vec3& p : mesh.positions) box.add(p);
  for (Index v : mesh.corners) box.add(mesh.positions[v]);
  return box;
}

void append(Mesh& mesh, const Mesh& other) {
  const std::size_t before = mesh.face_count();
  const auto vertex_base = static_cast<Index>(mesh.positions.size());
  const auto corner_base = static_cast<Index>(mesh.corners.size());
  append_attributes(mesh, before, other);
  mesh.positions.insert(mesh.positions.end(), other.positions.begin(), other.positions.end());
  mesh.corners.reserve(mesh.corners.size() + other.corners.size());
  for (Index v : other.corners) mesh.corners.push_back(v + vertex_base);
  for (std::size_t f = 1; f < other.face_offsets.size(); ++f)
    mesh.face_offsets.push_back(other.face_offsets[f] + corner_base);
}

void append_piece(Mesh& mesh, const Mesh& other) {
  const std::size_t before = mesh.face_count();
  append(mesh, other);
  if (!other.regions.empty()) std::copy(other.regions.begin(), other.regions.end(), mesh.regions.begin() + static_cast<std::ptrdiff_t>(before));
}

void place(Mesh& mesh, const Affine& placement) {
  if (placement.matrix() == Affine::Identity().matrix()) return;
  for (Vec3& p : mesh.positions) p = placement * p;
  const Eigen::Matrix3d normals = placement.linear().inverse().transpose();
  for (Vec3& n : mesh.normals) n = (normals * n).stableNormalized();
  if (placement.linear().determinant() < 0) reverse_faces(mesh);
}

void reverse_faces(Mesh& mesh) {
  for (std::size_t f = 0; f < mesh.face_count(); ++f)
    std::reverse(mesh.corners.begin() + mesh.face_offsets[f] + 1,
                 mesh.corners.begin() + mesh.face_offsets[f + 1]);
}

double signed_volume(const Mesh& mesh) {
  const Vec3 origin = bounds(mesh).centre();
  double six_volumes = 0;
  for (const auto& t : triangulate(mesh).triangles) {
    const Vec3 a = mesh.positions[t[0]] - origin;
    const Vec3 b = mesh.positions[t[1]] - origin;
    const Vec3 c = mesh.positions[t[2]] - origin;
    six_volumes += a.dot(b.cross(c));
  }
  return six_volumes / 6;
}

double surface_area(const Mesh& mesh) {
  double twice = 0;
  for (const auto& t : triangulate(mesh).triangles) {
    const Vec3& a = mesh.positions[t[0]];
    twice += (mesh.positions[t[1]] - a).cross(mesh.positions[t[2]] - a).norm();
  }
  return twice / 2;
}

}  // namespace anvil
