// SPDX-License-Identifier: GPL-3.0-or-later
// A surface for one hole. CGAL triangulates, behind this header.
#pragma once

#include <optional>

#include "core/control.h"
#include "core/mesh/mesh_editor.h"

namespace anvil {

/// Faces that fill a hole. Corners below the number of the hole's vertices are those, the others new_points in order.
struct HoleFilling {
  std::vector<Vec3> new_points;
  std::vector<std::vector<Index>> faces;
};

/// A flat filling: one polygon, or its triangles.
/// @param ring  the hole's vertices in the order in which the filling has to run
/// @return nothing when the ring is not a simple polygon in its plane
std::optional<HoleFilling> fill_flat(const std::vector<Vec3>& positions, std::span<const Index> ring, bool triangles);

/// A filling of least area, refined to the density around and faired into the surface beside it (Liepa, "Filling Holes in
/// Meshes", SGP 2003; by CGAL 5.5). Where the faces around cannot be taken into account it is of least area only. Rings of more than 120
/// corners are parted along the shortest lines across first: the search for the least area grows with the third power; what would cross
/// itself or the faces around is left less smooth, or flat. Throws Stopped.
/// @param around  faces next to the hole, in whose continuation the filling lies; triangles, may be none
/// @return nothing when CGAL finds none
std::optional<HoleFilling> fill_smooth(const std::vector<Vec3>& positions, std::span<const Index> ring, std::span<const Triangle> around, const Control& control);

/// Fills holes of one mesh, one after the other.
class HoleFiller {
 public:
  explicit HoleFiller(const Mesh& mesh, const Control& control = {}) : mesh_(mesh), control_(control) {}

  /// Adds faces that close a hole and are turned as most of those around it; triangles where those are.
  /// @param vertices  of the hole, as in BoundaryChain
  /// @param faces     of its edges, in the same order
  /// @param flat      tries a flat filling first
  /// @return false when no surface was found; then nothing is added
  bool fill(std::span<const Index> vertices, std::span<const Index> faces, bool flat, MeshEditor& edit);

 private:
  std::vector<Triangle> around(std::span<const Index> ring);

  const Mesh& mesh_;
  const Control control_;
  std::size_t may_look_at_ = 2'000'000;  // faces around holes, for all of them: where they share vertices of very many faces, they would be looked at again and again
  std::vector<std::vector<Index>> faces_at_;  // made when first asked for
};

}  // namespace anvil
