// SPDX-License-Identifier: GPL-3.0-or-later
// The mesh that a strip layout asks for: trimmed facets, strips, and what covers the cells.
#pragma once

#include "core/shape/blend/facet_trimmer.h"

namespace anvil {

/// Faces of a blended mesh, and what each of them is.
struct BlendMesh {
  Mesh mesh;
  std::vector<Index> source;                 ///< per face: of the input; no_index: of a strip or a corner
  std::vector<Index> beside;                 ///< per face: that one, or a face beside the strip
  std::vector<std::array<Index, 2>> cells;   ///< per face: that it comes from; no_index twice: as it was
  /// On which side of the old surface a face of a strip or a corner has to lie; `unasked` where it lies by construction, or has no right side, or others stand for it.
  enum class Side : char { unasked, within, outside };
  std::vector<Side> side;                    ///< per face
  std::set<Index> blamed;                    ///< cells whose trim lines lie so near to each other that what is left of a facet cannot be divided: the mesh is not whole
  std::vector<std::array<Index, 2>> long_edges;  ///< of the strips, where these meet the faces beside them: vertices
};

/// @param layout   gets points for the corners of cells
/// @param trimmer  run without anything to blame
BlendMesh make_blend_mesh(StripLayout& layout, const FacetTrimmer& trimmer);

}  // namespace anvil
