// SPDX-License-Identifier: GPL-3.0-or-later
// The end of stage 11: near faces, untouched regions and their vertices as one mesh.
#pragma once

#include <set>

#include "core/boolean/rounded.h"

namespace anvil::boolean {

/// A face of the rounded result.
struct OutFace {
  std::span<const Index> ring;  ///< points of the rounded result
  Index triangle;               ///< one of those it is made of
};

/// Writes mesh, provenance and fresh edges, in the order of the pieces, the parts and their faces.
/// @param place   per point of the rounded result, the first at its position
/// @param scored  edges that a score drew, as points of the rounded result, smaller first
/// @return the number of faces of untouched regions
std::size_t write_out(const std::vector<PreparedPtr>& parts, const Rounded& rounded,
                      std::span<const Index> place, std::vector<OutFace> faces, const std::set<std::pair<Index, Index>>& scored,
                      BooleanResult& result);

}  // namespace anvil::boolean
