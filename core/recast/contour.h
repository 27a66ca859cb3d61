// SPDX-License-Identifier: GPL-3.0-or-later
// From the crossings of a grid to a mesh: each crossing becomes a polygon, each round of crossings within a cell a vertex.
#pragma once

#include <functional>

#include "core/control.h"
#include "core/mesh/mesh.h"
#include "core/recast/corner.h"
#include "core/recast/grid.h"

namespace anvil::recast {

struct Contour {
  std::vector<Vec3> positions;
  std::vector<Triangle> triangles;
  std::vector<Index> source;        ///< per triangle: of the crossing that it comes from
  std::vector<Vec3> smooth;         ///< per vertex: where it would stand on one smooth surface
  std::vector<Vec3> middle;         ///< per vertex: of its crossings, a little within its cell; vertices there seldom make faces cross
  std::vector<float> sharpness;     ///< per vertex, as Corner::sharpness
  bool uneven = false;              ///< the crossings around a face of some cell were odd in number: it is empty then
  std::size_t dropped = 0;          ///< bits that cross one edge of the grid alone
};

struct ContourSettings {
  bool sharp = true;  ///< vertices stand where the planes of the crossings meet; else in the middle of them
  /// The nearest point of the surface, with its normal; may be empty. No vertex is then put on an edge or into a corner that is not there, and edges and corners are found that no line of the grid
  /// tells of. Asked from several threads.
  std::function<Tangent(const Vec3&)> nearest = {};
};

/// Dual contouring (Ju, Losasso, Schaefer and Warren, "Dual Contouring of Hermite Data", SIGGRAPH 2002), departing in that it is made of crossings, not of signs at grid points: an edge of the
/// grid may be crossed more than once. Each crossing gives a polygon about it; within each face of a cell crossings are joined in pairs, which gives the polygons' edges; the rounds that these
/// make within a cell give vertices. So every edge has exactly two polygons and every vertex one fan, whatever the crossings, and a sharp edge is never interrupted: where it passes through the
/// face of a cell, crossings of both its sides lie on the edges of that face.
///
/// @param normals  per triangle that a crossing may name: of length 1 or 0, either way up
/// @return closed, manifold by its vertex numbers. Triangles may cross each other. Throws Stopped.
Contour contour(const Grid& grid, const Crossings& crossings, std::span<const Vec3> normals, const ContourSettings& settings, const Control& control = {});

/// Without triangles whose corners are no_index, and without vertices that no triangle has.
void drop_gone(Contour& made);

}  // namespace anvil::recast
