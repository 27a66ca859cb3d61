// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 9: the kept faces with rounded vertices, and what rounding broke.
#pragma once

#include "core/boolean/cells.h"

namespace anvil::boolean {

struct Rounded {
  // Points.
  std::vector<Vec3> points;
  std::vector<char> moved;               ///< it is new or has been moved
  std::vector<char> inexact;             ///< the last rounding has moved it
  std::vector<char> maybe_non_manifold;  ///< as in Soup; new points are
  Flags merged;                          ///< others fell together with it
  Reach reach;                           ///< as in Soup; of a new point also what rounding may have moved it by

  // Triangles.
  std::vector<Triangle> triangles;
  std::vector<FaceProvenance> provenance;

  UntouchedSeam seam;
};
/// @param to_float  round to 32-bit coordinates, all points
Rounded round_points(const Soup& soup, const Arrangement& arrangement, const Selection& selection, bool to_float);
/// Points that have come to one place become one; triangles that collapse by that go.
void merge_equal(Rounded& rounded);
/// Did rounding merge points, or bring the faces around an edge into disorder?
bool is_tangled(const Rounded& rounded);
/// Empty when rounding made no crossing, no zero-area triangle and merged nothing; else the triangles near it.
std::vector<char> find_invalid_after_rounding(const Rounded& rounded, const Control& control);
/// The rounded result as one part for each piece, which may cross itself near the trouble.
Soup soup_again(Rounded rounded, std::vector<char> near, Index pieces);

}  // namespace anvil::boolean
