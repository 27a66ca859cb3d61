// SPDX-License-Identifier: GPL-3.0-or-later
// Generalised winding numbers: how often a surface encloses a point, also when it is not closed.
#pragma once

#include "core/mesh/triangulate.h"

namespace anvil {

/// Solid angles over 4π (Jacobson et al., "Robust Inside-Outside Segmentation using Generalized Winding
/// Numbers", SIGGRAPH 2013; the triangle's solid angle by Van Oosterom and Strackee, 1983). An integer up
/// to rounding for closed surfaces. O(triangles), same result on any number of threads.
double winding_number(std::span<const Vec3> positions, std::span<const Triangle> triangles,
                      const Vec3& point);

}  // namespace anvil
