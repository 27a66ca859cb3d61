// SPDX-License-Identifier: GPL-3.0-or-later
// Contours whose triangles cross each other: their vertices are drawn back until none does.
#pragma once

#include <span>

#include "core/recast/contour.h"

namespace anvil::recast {

/// Moves vertices of triangles that cross others or have no area: those that are hardly sharp first, to where they would stand on one surface, then all to the middle of their
/// crossings. Where that ends well, vertices of sharp edges that need not have gone go back.
/// @param movable  per vertex, which may be moved; empty: all
/// @return per triangle, whether it still crosses another or has no area; empty: none does. Throws Stopped.
std::vector<char> uncross(Contour& contour, const Control& control = {}, std::span<const char> movable = {});

}  // namespace anvil::recast
