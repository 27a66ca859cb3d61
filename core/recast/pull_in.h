// SPDX-License-Identifier: GPL-3.0-or-later
// Triangles of a contour that cut deep across what they cover are divided, with new vertices on the surface.
#pragma once

#include <span>

#include "core/recast/contour.h"

namespace anvil::recast {

/// Divides edges and triangles whose middles lie farther from the surface than that, until none does or a few rounds are done. Vertices that are new or moved may be drawn back (smooth and
/// middle), which leaves the surface as it was. What spans a hole is left alone.
/// @param normals  as for contour()
/// @param nearest  as ContourSettings::nearest
/// @return per vertex, whether it is new or was moved: drawn back, all is as it was. Empty where nothing was done
std::vector<char> pull_in(Contour& contour, std::span<const Vec3> normals, const std::function<Tangent(const Vec3&)>& nearest, double farthest, const Control& control = {});

}  // namespace anvil::recast
