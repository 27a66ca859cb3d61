// SPDX-License-Identifier: GPL-3.0-or-later
// Where the balls of a cloud leave gaps.
#pragma once

#include <span>
#include <vector>

#include "core/control.h"
#include "core/mesh/mesh.h"

namespace anvil::recast {

/// The middles of the rims at which a skin about the points of a cloud goes over from the one side of their surface to the other: around holes, and along a border.
/// Where points lie in no surface at all there is no telling. Throws Stopped.
std::vector<Vec3> gaps_of(const Mesh& skin, std::span<const Vec3> points, const Control& control);

}  // namespace anvil::recast
