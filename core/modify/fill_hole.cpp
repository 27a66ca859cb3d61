// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/fill_hole.h"

#include <algorithm>

#include "core/mesh/triangulate.h"

namespace anvil {
namespace {

/// The hole's vertices against the way in which most of its faces run.
std::vector<Index> against_faces(const Mesh& mesh, std::span<const Index> vertices, std::span<const Index> faces) {
  std::vector<Index> ring(vertices.begin(), vertices.end());
  std::size_t along = 0;
  for (std::size_t k = 0; k < ring.size(); ++k) {
    const auto face = mesh.face(faces[k]);
    const Index v = ring[k], w = ring[(k + 1) % ring.size()];
    for (std::size_t j = 0; j < face.size(); ++j) along += face[j] == v && face[(j + 1) % face.size()] == w;
  }
  if (2 * along > ring.size()) std::reverse(ring.begin() + 1, ring.end());
  return ring;
}

void sort_unique(std::vector<Index>& list) {
  std::sort(list.begin(), list.end());
  list.erase(std::unique(list.begin(), list.end()), list.end());
}

}  // namespace

/// Triangles of the faces within two steps of the hole.
std::vector<Triangle> HoleFiller::around(std::span<const Index> ring) {
  if (faces_at_.empty()) {
    faces_at_.resize(mesh_.positions.size());
    for (Index f = 0; f < mesh_.face_count(); ++f)
      for (Index v : mesh_.face(f)) faces_at_[v].push_back(f);
  }
  std::vector<Index> faces, vertices(ring.begin(), ring.end());
  for (int step = 0; step < 2; ++step) {
    std::size_t more = 0;
    for (Index v : vertices) more += faces_at_[v].size();
    if (more > may_look_at_) return {};
    may_look_at_ -= more;
    for (Index v : vertices) faces.insert(faces.end(), faces_at_[v].begin(), faces_at_[v].end());
    sort_unique(faces);
    vertices.clear();
    for (Index f : faces) vertices.insert(vertices.end(), mesh_.face(f).begin(), mesh_.face(f).end());
    sort_unique(vertices);
  }
  std::vector<Triangle> triangles;
  for (Index f : faces)
    for (const Triangle& t : triangulate(mesh_.positions, mesh_.face(f))) triangles.push_back(t);
  return triangles;
}

bool HoleFiller::fill(std::span<const Index> vertices, std::span<const Index> faces, bool flat, MeshEditor& edit) {
  std::vector<Index> ring = against_faces(mesh_, vertices, faces);
  const bool triangles = std::all_of(faces.begin(), faces.end(), [&](Index f) { return mesh_.face(f).size() == 3; });
  std::optional<HoleFilling> filling;
  if (flat) filling = fill_flat(mesh_.positions, ring, triangles || ring.size() == 3);
  if (!filling) filling = fill_smooth(mesh_.positions, ring, around(ring), control_);
  if (!filling) return false;
  for (const Vec3& p : filling->new_points) ring.push_back(edit.add_vertex(p));
  for (std::vector<Index>& face : filling->faces) {
    for (Index& v : face) v = ring[v];
    edit.add_face(std::move(face));
  }
  return true;
}

}  // namespace anvil
