// SPDX-License-Identifier: GPL-3.0-or-later
// Cuts by outlines drawn on the view: an outline in a plane, led into the depth straight or towards an eye.
#pragma once

#include <optional>

#include "core/mesh/planar_region.h"
#include "core/shape/with_made.h"

namespace anvil {

/// A plane as it is seen: `right` in it, `normal` towards the one who looks.
/// @param right  of any length, need not lie in the plane; where it is along the normal another one is taken
PlaneFrame frame_seen(const Vec3& point, const Vec3& normal, const Vec3& right);

struct StencilSettings {
  std::vector<Loop2> loops;     ///< in the plane's coordinates; what they wind around is the outline
  PlaneFrame frame;
  double eye = 0;               ///< how far in front of the plane the eye is, mesh units; 0: the outline goes straight into the depth
  std::optional<double> from, to;  ///< depths behind the plane, negative in front of it; nothing: beyond the part
  Operation operation = Operation::difference;  ///< difference, unite, intersection, split or gather
};

/// The solid that an outline cuts: from one depth to another, each point led along its line of sight. Beyond the part by a fiftieth of its size
/// where no depth is given, and by no multiple of anything. In front it ends a thousandth of the way before the eye.
/// @return an Issue when the outline encloses nothing, or there is no depth left
Result<Mesh> stencil_solid(const StencilSettings& settings, const Box3& part);

/// Cuts a part by a stencil. The part as for combine(). Throws Stopped.
Result<BooleanResult> stencil_cut(const Workpiece& part, const StencilSettings& settings, const Control& control = {});

}  // namespace anvil
