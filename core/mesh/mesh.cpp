// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/mesh.h"

#include <algorithm>

#include "core/mesh/triangulate.h"

namespace anvil {

Box3 bounds(const Mesh& mesh) {
  Box3 box;
  for (Index v : mesh.corners) box.add(mesh.positions[v]);
  return box;
}

void append(Mesh& mesh, const Mesh& other) {
  if (!mesh.materials.empty() || !other.materials.empty()) {
    MaterialSlots& slots = mesh.materials;
    SlotNames names(slots);
    if (slots.empty() && mesh.face_count() > 0) slots.of_face.assign(mesh.face_count(), names.place_of(unnamed_slot));
    const std::vector<Index> place = names.places_of(other.materials);
    for (std::size_t f = 0; f < other.face_count(); ++f)
      slots.of_face.push_back(place[other.materials.empty() ? 0 : other.materials.of_face[f]]);
  }
  const auto vertex_base = static_cast<Index>(mesh.positions.size());
  const auto corner_base = static_cast<Index>(mesh.corners.size());
  mesh.positions.insert(mesh.positions.end(), other.positions.begin(), other.positions.end());
  mesh.corners.reserve(mesh.corners.size() + other.corners.size());
  for (Index v : other.corners) mesh.corners.push_back(v + vertex_base);
  for (std::size_t f = 1; f < other.face_offsets.size(); ++f)
    mesh.face_offsets.push_back(other.face_offsets[f] + corner_base);
}

std::vector<Mesh> taken_apart(const Mesh& mesh, std::span<const Index> group, Index count) {
  std::vector<Mesh> out(count);
  std::vector<Index> id(mesh.positions.size(), no_index), owner(mesh.positions.size(), no_index);
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    if (group[f] == no_index) continue;
    Mesh& to = out[group[f]];
    for (Index v : mesh.face(f)) {
      if (owner[v] != group[f]) owner[v] = group[f], id[v] = to.add_vertex(mesh.positions[v]);
      to.corners.push_back(id[v]);
    }
    to.face_offsets.push_back(static_cast<Index>(to.corners.size()));
    if (!mesh.materials.empty()) to.materials.of_face.push_back(mesh.materials.of_face[f]);
  }
  for (Mesh& part : out)
    if (!part.materials.empty()) part.materials.names = mesh.materials.names;
  return out;
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
