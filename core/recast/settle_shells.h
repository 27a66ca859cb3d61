// SPDX-License-Identifier: GPL-3.0-or-later
// The shells of a contour that nothing crosses: what encloses nothing goes, what is inside out is turned over.
#pragma once

#include "core/recast/contour.h"

namespace anvil::recast {

/// Vertices stand on surfaces and edges, not where the crossings are that a shell was made of. By that one thinner than the detail may have become flat to the last digits, or have turned inside out; and
/// where the ground just touches a point of the grid one may go around that which is all rounding.
/// @param contour  closed, manifold, and no triangle of it crosses another
void settle_shells(Contour& contour, double detail);

}  // namespace anvil::recast
