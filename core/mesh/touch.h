// SPDX-License-Identifier: GPL-3.0-or-later
// Whether two solids meet.
#pragma once

#include <stop_token>

#include "core/mesh/mesh.h"
#include "core/types.h"

namespace anvil {

/// Do two meshes touch: do their surfaces come as near as `within`, or does one lie in the other? Any polygon meshes; an open one
/// is taken to enclose what its generalised winding number says. Throws Stopped.
/// @param placement  of the second in the space of the first
/// @param within     at least 0, units of the first
bool touch(const Mesh& a, const Mesh& b, const Affine& placement, double within, const std::stop_token& stop = {});

}  // namespace anvil
