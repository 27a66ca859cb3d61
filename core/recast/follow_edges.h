// SPDX-License-Identifier: GPL-3.0-or-later
// Sharp edges that the triangles of a contour still cut across are led through them.
#pragma once

#include <span>

#include "core/recast/contour.h"

namespace anvil::recast {

/// Where several edges of the surface leave a corner within one cell, a vertex stands on one of them only, and triangles cut across the others: the edge between two triangles is turned over where it
/// then lies on the surface, else it is divided at the place where the surface's planes beside it meet. What spans a hole is left alone.
/// @param normals  as for contour()
/// @param nearest  as ContourSettings::nearest
/// @param slack    mesh units: what lies so near is on the surface
/// Throws Stopped.
void follow_edges(Contour& contour, std::span<const Vec3> normals, const std::function<Tangent(const Vec3&)>& nearest, double slack, const Control& control = {});

}  // namespace anvil::recast
