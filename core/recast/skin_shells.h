// SPDX-License-Identifier: GPL-3.0-or-later
// The shells of a recast: small ones, and those that lie within others.
#pragma once

#include "core/recast/recast_so_far.h"

namespace anvil::recast {

/// Leaves out shells smaller than that, but for the largest.
/// @param smallest  mesh units, across their boxes
/// @return how many went
std::size_t drop_small_shells(Recast& made, double smallest);

/// @param drop  leave them out
/// @return how many shells lie within another
std::size_t inner_shells(Recast& made, bool drop);

}  // namespace anvil::recast
