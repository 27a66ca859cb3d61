// SPDX-License-Identifier: GPL-3.0-or-later
// Walls thinner than asked for are left out: before a skin is laid, of what the lines of its grid meet.
#pragma once

#include "core/control.h"
#include "core/recast/skin.h"

namespace anvil::recast {

struct LeftOut {
  std::size_t walls = 0;     ///< connected ones
  std::vector<Vec3> places;  ///< one in each of some of them
  Index without_plane = 0;   ///< triangles from this on are in name only
};

/// A wall is where a line goes in by one face and out by another that looks about the other way, and there is less than asked for between their planes. All that such lines pass through goes, and
/// the slivers that are left beside it at rims. Where a wall stands on something thicker the skin is closed across its root, half way between two points of the grid; its faces there come from
/// the wall, and have no plane (a normal of length 0).
///
/// @param least  mesh units
/// Throws Stopped.
LeftOut leave_out_thin(Ground::Met& met, const Grid& grid, double least, const Control& control = {});

}  // namespace anvil::recast
