// SPDX-License-Identifier: GPL-3.0-or-later
// Where a recast goes over from the parts to what spans their holes.
#pragma once

#include "core/recast/recast_so_far.h"
#include "core/recast/soup.h"

namespace anvil::recast {

/// Vertices between faces on the parts and faces that span stand where lines of the grid happened to leave the parts. Those nearer to where the parts end than a line to the next go there, as far as nothing
/// crosses then: the skin has straight edges where the parts have.
/// @param made  its mesh is one of triangles
/// @return per vertex, whether it has been moved. Throws Stopped.
std::vector<char> lead_rims(Recast& made, const Soup& soup, double detail, const Control& control = {});

}  // namespace anvil::recast
