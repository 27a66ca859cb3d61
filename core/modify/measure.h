// SPDX-License-Identifier: GPL-3.0-or-later
// Lengths, areas, distances and angles of chosen elements.
#pragma once

#include <optional>

#include "core/modify/elements.h"

namespace anvil {

struct Measured {
  std::optional<double> length;    ///< mm, of all edges together
  std::optional<double> area;      ///< mm², of all faces together
  std::optional<double> distance;  ///< mm, between the places (see place_of) of the first and the last of two elements
  /// Degrees. Of two edges between their lines, 0 to 90; of two faces between their normals, 0 to 180 (0: they look the same
  /// way); of three vertices at the one chosen second.
  std::optional<double> angle;
};

/// @param world  where the mesh stands; lengths are those in the job's space
Measured measure(const Mesh& mesh, const Topology& topology, const Elements& chosen, const Affine& world);

/// Degrees between two directions, 0 to 180; 0 where one has no length.
double angle_between(const Vec3& a, const Vec3& b);

}  // namespace anvil
