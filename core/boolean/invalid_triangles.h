// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/control.h"
#include "core/mesh/triangulate.h"

namespace anvil::boolean {

/// Which pairs of different pieces of a result are looked at.
enum class Across { yes, no };

/// Finds triangles without area among the suspects, and pairs of which at least one is suspect that cross or, in one
/// piece, lie on the same corners.
/// @param piece  of each triangle
/// @param also   further triangles that are known to be invalid; may be empty
/// @return per triangle; empty when there is none
std::vector<char> find_invalid_triangles(std::span<const Vec3> points, std::span<const Triangle> triangles, std::span<const Index> piece,
                                std::span<const char> suspect, Across across, const Control& control,
                                std::span<const char> also = {});

/// Marks, beside the marked triangles, those whose boxes touch one of them.
std::vector<char> with_neighbours(std::span<const Vec3> points, std::span<const Triangle> triangles,
                                  const std::vector<char>& marked, const Control& control);

}  // namespace anvil::boolean
