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

/// Where a face of a part's result comes from. Parts and steps are counted along the recipe that made it (job/cast.h).
struct FaceOrigin {
  Index part = 0;         ///< the part whose source it is of; 0 is the part itself
  Index face = no_index;  ///< face of that source; no_index for one that a step made anew
  Index step = no_index;  ///< the step that cut or made it; no_index while it is as in the source
  bool operator==(const FaceOrigin&) const = default;
};

/// A polygon mesh. Faces are counter-clockwise seen from outside and need not be planar.
struct Mesh {
  std::vector<Vec3> positions;
  std::vector<Index> face_offsets{0};  ///< face f owns corners [face_offsets[f], face_offsets[f + 1])
  std::vector<Index> corners;          ///< vertex index of each corner
  // Attributes of faces. Whoever makes a mesh out of others carries them over by core/mesh/attributes.h.
  MaterialSlots materials;
  std::vector<FaceOrigin> origins;  ///< empty: every face is one of the source
  std::vector<Index> regions;  ///< per face the number of its region, from 1 (core/mesh/regions.h), 0: of none; empty: no numbers
  bool cloud = false;         ///< its vertices are the points of a cloud, and it has no faces
  std::vector<Vec3> normals;  ///< of a cloud: of the surface at its points, outwards, of length 1; empty: not known

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

/// Newell's normal of a polygon, as long as twice its area; of one that is not planar, of its best plane (in Sutherland,
/// Sproull and Schumacker, "A Characterization of Ten Hidden-Surface Algorithms", 1974).
inline Vec3 newell_normal(const std::vector<Vec3>& positions, std::span<const Index> ring) {
  const Vec3 origin = positions[ring[0]];
  Vec3 normal = Vec3::Zero();
  for (std::size_t k = 1; k + 1 < ring.size(); ++k) normal += (positions[ring[k]] - origin).cross(positions[ring[k + 1]] - origin);
  return normal;
}

/// Bounds of all vertices that a face uses; of a cloud, of its points.
Box3 bounds(const Mesh& mesh);

/// Appends a copy of `other`; its vertices stay separate from those already there, slots of one name become one. Neither is a cloud.
void append(Mesh& mesh, const Mesh& other);

/// The same of another piece of the same part: its regions keep their numbers.
void append_piece(Mesh& mesh, const Mesh& other);

/// Moves every vertex by `placement`; faces of one that mirrors are turned over, so that they still look outwards. Normals of points turn with it.
void place(Mesh& mesh, const Affine& placement);

/// Turns every face over.
void reverse_faces(Mesh& mesh);

/// Sum of signed tetrahedra against the centre of the bounds; the enclosed volume when the mesh is
/// closed and oriented outwards.
double signed_volume(const Mesh& mesh);

/// Sum of triangle areas.
double surface_area(const Mesh& mesh);

}  // namespace anvil
