// SPDX-License-Identifier: GPL-3.0-or-later
// The end of stage 11: near faces, far untouched regions and their vertices as one mesh.
#pragma once

#include <set>

#include "core/boolean/stages.h"

namespace anvil::boolean {

/// A face of the rounded result.
struct OutFace {
  std::span<const Index> ring;  ///< points of the rounded result
  Index triangle;               ///< one of those it is made of
};

/// Writes mesh, provenance and fresh edges, in the order of the pieces, the parts and their faces.
/// @param scored  edges that a score drew, as points of the rounded result, smaller first
/// @return the number of faces of far untouched regions
std::size_t write_out(const std::vector<PreparedPtr>& parts, const Rounded& rounded,
                      std::vector<OutFace> faces, const std::set<std::pair<Index, Index>>& scored,
                      BooleanResult& result);

}  // namespace anvil::boolean
