// SPDX-License-Identifier: GPL-3.0-or-later
// Combining and hollowing by distance fields.
#pragma once

#include "core/boolean/combine.h"
#include "core/recast/soup.h"

namespace anvil {

struct BlendSettings {
  Operation operation = Operation::unite;  ///< union, difference or intersection, with all parts behind the first
  double detail = 1;  ///< about how long the new edges are, mesh units
  double blend = 0;   ///< radius of the rounds along the edges in which parts meet; 0: they stay sharp
};

/// Combines parts by their distance fields. A blend is what a ball of that radius, rolled along outside of the whole (of a union) or inside of it (of the other two), leaves along the edges in
/// which parts meet: morphological closing or opening (Serra, "Image Analysis and Mathematical Morphology", 1982), within two radii of those edges, running out beyond. Flush faces stay as they are. Parts
/// that are not sound are re-skinned first.
/// @return one sound mesh, every face with the part and face that is nearest; empty with the reason. An Issue where the ball fits nowhere, and as of recast_parts(). Throws Stopped.
Result<BooleanResult> blend_parts(std::span<const recast::Part> parts, const BlendSettings& settings, const Control& control = {});

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
