// SPDX-License-Identifier: GPL-3.0-or-later
// Cells thinner than the contact tolerance: thin sheets that no contact could close. They are joined with a thick neighbour.
//
// Contact is one pass: a point that it makes where two edges pass each other is never offered to a third part, whose edge
// stays straight beside two that are bent by some 1e-15. The exact stages then rightly find cells between them. What is
// thinner than the tolerance was never meant to be space of its own, so it goes the way of a thick cell beside it.
#pragma once

#include "core/boolean/cell_complex.h"
#include "core/boolean/probe.h"

namespace anvil::boolean {

/// For each cell the thick one that it goes with; a thick cell goes with itself.
///
/// A cell is a candidate when twice its volume over its area is less than the tolerance, and it is thin when all inner
/// points of its faces that are tried have a face that looks the other way within the tolerance: a lump on a wide layer is
/// no thin sheet. Thin cells are decided one by one, those first that are best surrounded by decided ones: a cell keeps its label
/// where a good share of its border has it beyond, else it takes that of most of its border; over sheets last. Of a component
/// of thin cells alone the outer one counts as thick.
///
/// Cells beside untouched regions are always thick, and so are the cells of a component whose outer one cannot be told.
/// @param label      of each cell
/// @param tolerance  0: all are thick
std::vector<Index> thick_neighbours(const Soup& soup, const Arrangement& arrangement, const Cells& cells, const Probe& probe,
                                    std::span<const Index> label, double tolerance, const Control& control);

}  // namespace anvil::boolean
