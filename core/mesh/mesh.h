// SPDX-License-Identifier: GPL-3.0-or-later
// The mesh: a value made of flat arrays. Polygons of any size share vertices by index; everything
// derived from it (triangles, adjacency, hierarchy) lives elsewhere.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "core/mesh/slots.h"
#include "core/result.h"

namespace anvil {

/// An axis-aligned box; empty when lo > hi.
struct Box3 {
  Vec3 lo = Vec3::Constant(std::numeric_limits<double>::infinity());
  Vec3 hi = Vec3::Constant(-std::numeric_limits<double>::infinity());

  bool empty() const { return !(lo.x() <= hi.x()); }
  void add(const Vec3& p) {
    lo = lo.cwiseMin(p);
    hi = hi.cwiseMax(p);
  }
  Vec3 centre() const { return empty() ? Vec3(0, 0, 0) : Vec3(0.5 * (lo + hi)); }
  Vec3 size() const { return empty() ? Vec3(0, 0, 0) : Vec3(hi - lo); }
  double diagonal() const { return size().norm(); }
};

/// A polygon mesh. Faces are counter-clockwise seen from outside and need not be planar.
struct Mesh {
  std::vector<Vec3> positions;
  std::vector<Index> face_offsets{0};  ///< face f owns corners [face_offsets[f], face_offsets[f + 1])
  std::vector<Index> corners;          ///< vertex index of each corner
  MaterialSlots materials;             ///< whoever adds faces to a mesh that has slots gives them theirs

  std::size_t face_count() const { return face_offsets.size() - 1; }
  std::span<const Index> face(std::size_t f) const {
    return {corners.data() + face_offsets[f], corners.data() + face_offsets[f + 1]};
  }
  bool empty() const { return corners.empty(); }
  /// True when every face has exactly three corners.
  bool triangles_only() const { return corners.size() == 3 * face_count(); }

  Index add_vertex(const Vec3& p) {
    positions.push_back(p);
    return static_cast<Index>(positions.size() - 1);
  }
  void add_face(std::span<const Index> vertices) {
    corners.insert(corners.end(), vertices.begin(), vertices.end());
    face_offsets.push_back(static_cast<Index>(corners.size()));
  }
  void add_face(std::initializer_list<Index> vertices) {
    add_face(std::span<const Index>(vertices.begin(), vertices.size()));
  }
};

/// Bounds of all vertices that a face uses.
Box3 bounds(const Mesh& mesh);

/// Appends a copy of `other`; its vertices stay separate from those already there, slots of one name become one.
void append(Mesh& mesh, const Mesh& other);

/// The faces of each group as a mesh of its own, in their order.
/// @param group  per face, below `count`; no_index: in none
std::vector<Mesh> taken_apart(const Mesh& mesh, std::span<const Index> group, Index count);

/// Turns every face over.
void reverse_faces(Mesh& mesh);

/// Sum of signed tetrahedra against the centre of the bounds; the enclosed volume when the mesh is
/// closed and oriented outwards.
double signed_volume(const Mesh& mesh);

/// Sum of triangle areas.
double surface_area(const Mesh& mesh);

}  // namespace anvil
