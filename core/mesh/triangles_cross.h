// SPDX-License-Identifier: GPL-3.0-or-later
// Do two triangles of a mesh meet where they should not?
#pragma once

#include "core/mesh/triangulate.h"

namespace anvil {

/// True when two triangles meet anywhere but at the corners they share. Exact.
///
/// Corners are shared when their vertex is the same, so vertices at one position must be one vertex. Neither
/// triangle may be degenerate. The same triangle twice does not count as crossing.
bool triangles_cross(std::span<const Vec3> positions, Triangle s, Triangle t);

}  // namespace anvil
