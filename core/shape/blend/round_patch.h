// SPDX-License-Identifier: GPL-3.0-or-later
// Where three or more rounds meet: a surface that is tangent to all of them, in few faces.
#pragma once

#include "core/shape/blend/strip_layout.h"

namespace anvil {

/// Do three or more rounds end there, with more than one segment?
bool takes_round_patch(const StripLayout& layout, Index cell);

/// Where the edges are of one radius and kind and one ball touches all facets, as it does where three meet, a piece of that ball; else a patch that runs on from every strip without an
/// edge (ribbon_patch.h).
///
/// Its faces stand in rings, each of fewer points than the one outside it: at most 3/2 times as many as the border has edges.
/// @return rings of points, counter-clockwise from outside
std::vector<std::vector<Index>> round_patch(StripLayout& layout, Index cell);

}  // namespace anvil
