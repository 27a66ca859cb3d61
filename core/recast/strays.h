// SPDX-License-Identifier: GPL-3.0-or-later
// Does a triangle or a face leave a surface?
#pragma once

#include <functional>

#include "core/mesh/mesh.h"
#include "core/recast/corner.h"

namespace anvil::recast {

/// @param nearest   of the surface
/// @param farthest  mesh units
/// @return false: no point of it (a face is cut into triangles from its first corner) is farther off than that. True: one is, or comes within a hundredth of its size of it
bool strays(const Vec3& a, const Vec3& b, const Vec3& c, const std::function<Tangent(const Vec3&)>& nearest, double farthest);
bool strays(const Mesh& mesh, Index face, const std::function<Tangent(const Vec3&)>& nearest, double farthest);

}  // namespace anvil::recast
