// SPDX-License-Identifier: GPL-3.0-or-later
// Finding vertices that sit at bit-equal positions.
#pragma once

#include <span>

#include "core/mesh/mesh.h"

namespace anvil {

/// One id per distinct position; ids count up in the order of first appearance.
struct WeldMap {
  std::vector<Index> id;     ///< for each input point, its id
  std::vector<Index> first;  ///< for each id, the first input point at that position
};

/// Groups bit-equal points (0 and −0 are the same). Deterministic on any number of threads;
/// the points must be finite. Memory: about 32 bytes a point while it runs.
WeldMap weld_equal(std::span<const Vec3> points);

/// The same on single-precision triples, `count` of them, three floats each.
WeldMap weld_equal(const float* points, std::size_t count);

/// Makes bit-equal vertices one vertex and drops vertices that no face uses. Faces keep their number
/// and order, also where welding leaves them with repeated corners.
Mesh welded(const Mesh& mesh);

}  // namespace anvil
