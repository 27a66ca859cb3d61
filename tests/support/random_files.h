// SPDX-License-Identifier: GPL-3.0-or-later
// Solids that files with 32-bit coordinates and readers of polygons find hard, and what must hold of their files.
#pragma once

#include <string>

#include "core/mesh/mesh.h"

namespace anvil::test {

/// Boxes on a coarse grid, in one union: they touch along edges, at vertices and both.
Mesh touching_boxes(unsigned seed);
/// A body with flats and fillets combined with itself, shifted by about a quarter of its size.
Mesh shifted_fillets(unsigned seed);
/// A body combined with itself, shifted or turned by 1e-9 … 1e-5 of its size: skins and gaps of that thickness.
Mesh thin_skins(unsigned seed);
/// A result of random_pair().
Mesh random_result(unsigned seed);

/// What is wrong with a mesh written to a file of this ending and read back, by a reader of the test's own where the format
/// is as simple as STL: it is to be sound by CGAL; no corner of it farther from the surface of the mesh than 8 steps of 32
/// bits, or twice the width by which touching places are said to have been opened (a sharp tip has to go far), unless that is told with how far; and as much of the volume gone or come as
/// that makes. @return "" when all holds
std::string what_is_wrong_with_file(const Mesh& mesh, const std::string& extension);

/// The same of an OFF as it is written when nothing is asked for, with its polygons cut by a fan from each corner in turn.
std::string what_is_wrong_with_polygons(const Mesh& mesh);

/// Writes a sound mesh in all formats and judges what was written. @return "" when all hold
std::string what_is_wrong_with_files(const Mesh& mesh);

}  // namespace anvil::test
