// SPDX-License-Identifier: GPL-3.0-or-later
// The triangles around vertices that were moved on to sharp edges: turned, joined and led into corners so that the edges run along theirs.
#pragma once

#include "core/control.h"
#include "core/mesh/mesh.h"

namespace anvil::recast {

/// Where the vertices of a mesh went, and the normals of the sides on which each of the moved ones stands: one beside an edge, two on one, three in a corner.
struct PlacedVertices {
  std::vector<Vec3> to;
  std::vector<std::vector<Vec3>> sides;

  void stand(Index v, const Vec3& at, std::vector<Vec3> on) {
    to[v] = at;
    sides[v] = std::move(on);
  }
  /// Do two moved vertices lie on one edge: do they have two sides in common, and runs what joins them along both?
  bool is_edge(Index v, Index w) const;
};

class EdgeTriangles {
 public:
  /// Takes the faces that touch a moved vertex, in triangles: of quads over the diagonal that lies on the edge, or else fits the sides.
  /// @param usual  the usual length of an edge, mesh units
  EdgeTriangles(const Mesh& mesh, PlacedVertices& moved, double usual, const Control& control);

  /// Turns, joins and fills corners, which moves vertices, until nothing changes any more.
  void settle();

  bool replaces(Index face) const { return cut_[face] != 0; }
  const std::vector<Triangle>& triangles() const { return triangles_; }
  /// Which face each triangle was part of.
  const std::vector<Index>& sources() const { return triangle_face_; }

 private:
  double fit(const Triangle& t) const;
  double score(const Triangle& a, const Triangle& b) const { return fit(a) + fit(b); }
  bool fill_corners();
  bool join_vertices();
  void turn();

  const Mesh& mesh_;
  PlacedVertices& moved_;
  const double usual_;
  const Control& control_;
  std::vector<char> cut_;  // per face: it is in triangles
  std::vector<std::uint64_t> edges_of_others_;  // of the faces that are not, the smaller vertex first
  std::vector<Triangle> triangles_;
  std::vector<Index> triangle_face_;
};

}  // namespace anvil::recast
