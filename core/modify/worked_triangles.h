// SPDX-License-Identifier: GPL-3.0-or-later
// The triangles of a polygon mesh while an edge is led over them, evened out or brought on to its sides.
#pragma once

#include "core/control.h"
#include "core/mesh/mesh_editor.h"

namespace anvil {

/// Vertices keep their numbers, new ones count on; triangles are replaced one by one. A face keeps its polygon where none of its
/// triangles was cut and none of its corners moved out of a triangle.
class WorkedTriangles {
 public:
  explicit WorkedTriangles(const Mesh& mesh, const Control& control = {});

  std::vector<Vec3> positions;
  const std::vector<Triangle>& triangles() const { return triangles_; }

  /// Triangles at a vertex; as of the last link().
  std::span<const Index> fan(Index v) const { return {fans_.data() + first_[v], fans_.data() + first_[v + 1]}; }
  /// The corner across the edge that starts at a corner (find_opposites); as of the last link().
  Index opposite(Index corner) const { return opposite_[corner]; }
  /// Corners are numbered 3 t + k.
  Index at(Index corner) const { return triangles_[corner / 3][corner % 3]; }
  /// The corner of triangle t at vertex v, which it has.
  Index corner_of(Index t, Index v) const { return 3 * t + (triangles_[t][0] == v ? 0u : triangles_[t][1] == v ? 1u : 2u); }
  /// As long as twice the area.
  Vec3 normal(const Triangle& t) const { return (positions[t[1]] - positions[t[0]]).cross(positions[t[2]] - positions[t[0]]); }
  /// Mean of the normals around, of length 1; zero where there is none.
  Vec3 vertex_normal(Index v) const;
  /// Degrees by which the surface turns at the edge that starts at a corner; 180 where other than two triangles meet.
  double turn(Index corner) const;
  /// Has an edge at v other than two triangles?
  bool on_border(Index v) const;
  /// Mean length of the edges at vertices.
  double mean_edge(std::span<const Index> vertices) const;

  Index add_vertex(const Vec3& p);
  /// Puts others in a triangle's place; none: it goes. The numbers of triangles hold until link().
  void replace(Index t, std::vector<Triangle> by);
  /// Makes adjacency anew, after replacing. Throws Stopped.
  void link();

  /// Throws Stopped when asked to end.
  void hear_stop() const { check_stop(control_); }

  EditedMesh finish() const;

 private:
  const Mesh& mesh_;
  const Control control_;
  std::vector<Triangle> triangles_, added_;
  std::vector<Index> face_, added_face_;  // which face each is of
  std::vector<char> gone_, cut_;          // of triangles; of faces
  std::vector<Index> opposite_, first_, fans_;
};

}  // namespace anvil
