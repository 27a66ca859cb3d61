// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices of a contour that stand at one place and are joined by an edge.
#pragma once

#include "core/recast/contour.h"

namespace anvil::recast {

/// Collapses edges that hardly have a length, where the surface stays manifold by it: both ends have just two neighbours in common (the link condition; Dey, Edelsbrunner, Guha and Nekhayev, "Topology
/// preserving edge contraction", 1999).
/// Triangles that go by it have no_index as their corners, as may some have before.
/// @param within  how far apart counts as one place, mesh units
void join_coincident(Contour& contour, double within);

}  // namespace anvil::recast
