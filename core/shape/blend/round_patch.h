// SPDX-License-Identifier: GPL-3.0-or-later
// Where three or more rounds meet: a surface that is tangent to all of them, in few faces.
#pragma once

#include "core/shape/blend/strip_layout.h"

namespace anvil {

/// Do three or more rounds end there, with more than one segment?
bool takes_round_patch(const StripLayout& layout, Index cell);

/// A surface of lines that run from the border to a middle. Between three rounds of one radius and kind they are arcs on the ball that touches the three facets;
/// else each begins in the tangent plane of the strip that ends there, without curvature, and ends so in the middle's: a patch with tangent continuity, as in
/// Várady and Rockwood, "Geometric construction for setback vertex blending", Computer-Aided Design 29, 1997 (from memory).
///
/// Its faces stand in rings, each of fewer points than the one outside it: at most 3/2 times as many as the border has edges.
/// @return rings of points, counter-clockwise from outside
std::vector<std::vector<Index>> round_patch(StripLayout& layout, Index cell);

}  // namespace anvil
