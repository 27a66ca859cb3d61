// SPDX-License-Identifier: GPL-3.0-or-later
// Polygons to triangles, deterministically and without new vertices.
#pragma once

#include "core/mesh/mesh.h"

namespace anvil {


/// The triangles of a polygon mesh and the face each came from, in face order.
struct TriangleList {
  std::vector<Triangle> triangles;
  std::vector<Index> face;  ///< source face of each triangle; same length
};

/// Cuts every polygon into triangles by ear clipping in the plane of its dominant axis
/// (Meisters, "Polygons have ears", 1975), ears tested with exact predicates.
///
/// Triangles keep the polygon's orientation. A face of n corners gives n − 2 triangles whatever its
/// shape: concave, non-planar, with collinear or repeated corners. Ears of zero area are taken only
/// when nothing else is left, so a collinear corner costs no zero-area triangle where that can be avoided.
TriangleList triangulate(const Mesh& mesh);
/// The triangles that a face with this ring is cut into.
std::vector<Triangle> triangulate(const std::vector<Vec3>& positions, std::span<const Index> ring);

}  // namespace anvil
