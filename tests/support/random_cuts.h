// SPDX-License-Identifier: GPL-3.0-or-later
// Random chamfers, ramps, pushes, stencils and thrown lines on many bodies, and what must hold of their results.
#pragma once

#include <string>

#include "core/mesh/mesh.h"

namespace anvil::test {

/// Forty bodies: primitives, polyhedra, brackets, plates with holes, and results of random combinations.
inline constexpr unsigned bodies = 40;
const Mesh& body(unsigned number);

/// A wedge along a random edge, taken away or added. Sound; the volume falls or rises, by no more than the wedge has.
std::string what_is_wrong_with_ramp(unsigned seed);
/// Random regions pushed in or pulled out, often just as far as to the other side. Sound; the volume falls or rises.
std::string what_is_wrong_with_push(unsigned seed);
/// Random outlines of 3 to 400 points, some that cross themselves, some along silhouettes. Sound, and the volume that of the same cut made by a part whose walls
/// and caps are put together here.
std::string what_is_wrong_with_stencil(unsigned seed);
/// Random grids thrown onto all or some faces, onto the first or right through. Sound, the volume as it was; every new edge on a chosen face and in sight; random
/// points of the lines lie on edges where their line of sight, looked for triangle by triangle, meets such a face.
std::string what_is_wrong_with_thrown(unsigned seed);

}  // namespace anvil::test
