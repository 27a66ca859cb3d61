// SPDX-License-Identifier: GPL-3.0-or-later
// Many passes of smoothing as one polynomial.
#pragma once

#include <vector>

#include "core/types.h"

namespace anvil::recast {

/// What a pass takes from the way of a vertex to the middle of its neighbours, and the widening one after it adds; 0: there is none.
struct PassPair {
  double narrowing = 0, widening = 0;
  /// What a wave becomes by it, where the middle of the neighbours is x times the vertex itself: 1 for the longest waves, down to -1.
  double gain(double x) const { return (1 - narrowing * (1 - x)) * (1 - widening * (1 - x)); }
};

/// So many passes as a polynomial of "the middle of the neighbours" that takes the ways to the middles to where the vertices end: the coefficients of its Chebyshev series, as many as
/// are needed for it to be right to a thousandth.
/// @param passes  > 0, pairs where there is a widening one
std::vector<float> series_of(const PassPair& pair, Index passes);

}  // namespace anvil::recast
