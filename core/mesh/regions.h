// SPDX-License-Identifier: GPL-3.0-or-later
// Regions: faces that hang together between sharp edges. A mesh may carry their numbers, and operations hand them on as they do material slots.
#pragma once

#include <vector>

#include "core/mesh/mesh.h"

namespace anvil {

/// The angle beyond which an edge parts regions where no other is asked for, degrees.
inline constexpr double usual_sharp_angle = 30;

/// Numbers faces by regions: over edges with two faces between which the surface turns by no more than that, one number goes on.
/// @param sharper_than  degrees
/// @param least  regions of fewer faces become part of the neighbour with which they share most of their border; 0 or 1: none
/// @return per face, from 1, the region of the largest area first. O(faces log faces).
std::vector<Index> regions_by_angle(const Mesh& mesh, double sharper_than, std::size_t least = 0);

/// The numbers that a mesh carries; of one that carries none those by the usual angle.
std::vector<Index> region_numbers(const Mesh& mesh);

struct Region {
  Index number = 0;
  std::size_t faces = 0;
  double area = 0;  ///< mesh units²
  Vec3 place = Vec3::Zero(), normal = Vec3::UnitZ();  ///< of a triangle of it near its middle
  std::vector<Vec3> places;  ///< that one first, and some more on it, far from each other: where one is hidden another may be seen
};
/// What there is of each number above 0, in their order.
std::vector<Region> regions_of(const Mesh& mesh, const std::vector<Index>& numbers);

}  // namespace anvil
