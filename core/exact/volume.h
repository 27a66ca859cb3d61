// SPDX-License-Identifier: GPL-3.0-or-later
// Exact sign of an enclosed volume, for shells so thin that floating-point arithmetic cannot tell.
#pragma once

#include <span>

#include "core/mesh/triangulate.h"

namespace anvil {

/// Sign of the sum of the signed tetrahedra over closed, oriented triangles, exact: 1 when they enclose more volume
/// than they exclude, 0 when none. Numbers are added exactly only where rounding could decide.
int volume_sign(std::span<const Vec3> points, std::span<const Triangle> triangles);

}  // namespace anvil
