// SPDX-License-Identifier: GPL-3.0-or-later
// Recast: parts of any kind, open, crossing or turned the wrong way, as one watertight mesh.
#pragma once

#include "core/boolean/combine.h"
#include "core/recast/soup.h"

namespace anvil {

struct RecastSettings {
  double detail = 1;        ///< about how long the new edges are, mesh units
  bool sharp = true;        ///< sharp edges and corners are kept, on the surfaces themselves
  double offset = 0;        ///< how far the skin lies outside of the parts, mesh units; negative: inside
  bool inner = true;        ///< cavities are kept; else only the outer skin
  double point_radius = 0;  ///< mesh units: points of clouds are balls of this radius, or count so far; 0: as suits how far apart they lie
  bool through_points = true;  ///< the skin runs through points whose normals are known; else all are balls
  double least_wall = 0;    ///< mesh units: walls thinner than that are made so thick or left out, which is told; 0: they stay as thin as they are
  bool leave_out_thin = false;  ///< the latter; only of surfaces
  double smallest = 0;      ///< mesh units: shells of the skin smaller than that are left out, which is told; 0: twice the detail
  Index smoothing = 0;      ///< passes of core/recast/smooth.h
  double flatten = 0;       ///< 0 to 1: how far triangles that lie nearly in one plane are drawn together, at 1 by a tenth of the detail
  bool close_holes = true;  ///< holes are spanned; else the skin is left open there
  double widest_hole = 0;   ///< mesh units, across: wider ones are left open all the same; 0: none is
};

/// Re-skins parts as one mesh.
///
/// Points are inside where any part has them inside; of parts that are not closed, where the surface fills more than half of the view. The skin's vertices stand on the parts' own surfaces,
/// edges and corners (core/recast/contour.h), except along holes, which it spans. What it cannot do without crossing itself, the engine settles.
/// With an offset, edges are rounded where the skin moves away from them, as all that is so far from the parts, and sharp where it moves towards them.
/// Points of clouds are balls, or the skin runs through them (core/recast/cloud_field.h). Where a cloud is among the parts, edges are not kept sharp.
/// Walls thinner than the detail stay where a line of the grid passes through them.
/// @return one sound mesh; every face with the part and face that it comes from. Empty with the reason, where nothing is enclosed. An Issue where the grid would be too large, or where no
/// grid leads to a skin that is sound. Throws Stopped.
Result<BooleanResult> recast_parts(std::span<const recast::Part> parts, const RecastSettings& settings, const Control& control = {});

}  // namespace anvil
