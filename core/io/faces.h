// SPDX-License-Identifier: GPL-3.0-or-later
// Polygons that mean the same to every reader of a file.
#pragma once

#include <optional>
#include <stop_token>
#include <string_view>

#include "core/mesh/mesh.h"

namespace anvil {

/// What is written where a format holds polygons.
enum class FacesWritten {
  polygons,  ///< every polygon as it is
  convex,    ///< polygons, as few as is simple, that every reader cuts into a sound mesh
  triangles  ///< the very triangles that soundness was judged by
};
/// "polygons", "convex" or "triangles".
std::optional<FacesWritten> faces_named(std::string_view name);

/// The mesh with convex polygons that stay sound however they are cut by a fan, each from any of its corners.
///
/// A polygon stays whole where it is strictly convex and no triangle of any of its fans crosses one of another face, or has
/// an edge that stands elsewhere as well. Others come apart into convex pieces, joined from the triangles of triangulate()
/// over their diagonals (Hertel and Mehlhorn, "Fast triangulation of simple polygons", 1983); pieces that are not sound
/// that way, into these triangles themselves. No vertex is added or moved.
/// @param mesh  any mesh; one that is not sound is not made so. Throws Stopped.
Mesh convex_faces(const Mesh& mesh, const std::stop_token& stop = {});

/// The mesh in the faces that are to be written.
Mesh faces_for(const Mesh& mesh, FacesWritten faces, const std::stop_token& stop = {});

}  // namespace anvil
