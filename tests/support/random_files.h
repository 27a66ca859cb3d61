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

/// What one file is, read back by a reader of the test's own where the format is as simple as STL.
struct FileVerdict {
  std::string wrong;      ///< "" when it is sound
  double steps = 0;       ///< the farthest that the surface moved, either way, in steps of 32 bits at that place
  std::size_t faces = 0;
};
/// @param extension  ".stl", ".3mf" …
FileVerdict written(const Mesh& mesh, const std::string& extension);

/// Writes a sound mesh in all formats and judges what was written. @return "" when all hold
std::string what_is_wrong_with_files(const Mesh& mesh);

}  // namespace anvil::test
