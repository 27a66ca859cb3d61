// SPDX-License-Identifier: GPL-3.0-or-later
// meshoptimizer's reduction, from and to our meshes.
#pragma once

#include <functional>

#include "core/mesh/mesh.h"

namespace anvil::bench {

/// @param triangles  of `mesh`, which has nothing else
/// @return what makes the reduction alone, and gives its indices (three to a triangle) into the same vertices; its float positions are made ready outside of it
std::function<std::vector<unsigned>()> meshopt_reduction(const Mesh& mesh, std::size_t triangles);

/// The mesh of such indices.
Mesh of_indices(const Mesh& mesh, const std::vector<unsigned>& indices);

}  // namespace anvil::bench
