// SPDX-License-Identifier: GPL-3.0-or-later
// Random pairs of solids with as many degeneracies as possible, and what must hold of their combinations.
#pragma once

#include <string>
#include <utility>

#include "core/boolean/combine.h"

namespace anvil::test {

/// Up to 200 triangles each, corners on a coarse grid: tetrahedra that cross, touch, repeat and nest (self-
/// crossing soups), or primitives turned by multiples of 30° and shifted by 0, 1e-15 … 1e-5 of their size.
std::pair<Mesh, Mesh> random_pair(unsigned seed);

/// A finely tessellated part that crosses itself here and there, some of its shells inside out or nearly on each other, and a tool.
std::pair<Mesh, Mesh> fine_pair(unsigned seed);

/// Combines by all three operations both ways, has CGAL judge every result, and compares the volumes by
/// inclusion and exclusion. @return "" when all holds
/// @param files  write every result as STL and as OFF too, as they are when nothing is asked for, and judge what was written
std::string what_is_wrong(const Mesh& a, const Mesh& b, bool files = false);

}  // namespace anvil::test
