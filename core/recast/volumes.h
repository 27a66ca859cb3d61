// SPDX-License-Identifier: GPL-3.0-or-later
// Combining and hollowing by distance fields.
#pragma once

#include "core/boolean/combine.h"
#include "core/recast/soup.h"

namespace anvil {

struct BlendPart {
  recast::Part part;
  Operation operation = Operation::unite;  ///< union, difference or intersection with all before it; ignored on the first
};

struct BlendSettings {
  double detail = 1;  ///< about how long the new edges are, mesh units
  double blend = 0;   ///< radius with which the edges are filled or rounded in which parts meet; 0: they stay sharp
};

/// Combines parts by their distance fields; where two meet at right angles the blend is a round of that radius. Parts that are not sound are re-skinned first.
/// @return one sound mesh, every face with the part and face that is nearest; empty with the reason. An Issue as of recast_parts(). Throws Stopped.
Result<BooleanResult> blend_parts(std::span<const BlendPart> parts, const BlendSettings& settings, const Control& control = {});

struct ShellSettings {
  double thickness = 2;        ///< of the wall, mesh units
  bool outside = false;        ///< the wall is put on the outside of the part, not taken from its inside
  double detail = 1;           ///< about how long the edges of the new side are; that of the part stays as it is
  std::vector<Vec3> drains = {};  ///< near these points round holes go through the wall, square to it
  double drain_diameter = 4;
};

/// The part made hollow. Its own side stays bit for bit, but where drains go through it.
/// @param mesh  sound
/// @return sound; an Issue where nothing of the part is so thick that a hollow is left, where the mesh is not sound, where the detail is not below the thickness, and as of recast_parts().
/// Throws Stopped.
Result<BooleanResult> shell_part(const recast::Part& part, const ShellSettings& settings, const Control& control = {});

}  // namespace anvil
