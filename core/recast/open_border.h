// SPDX-License-Identifier: GPL-3.0-or-later
// Where a heap of triangles ends.
#pragma once

#include <span>
#include <vector>

#include "core/types.h"

namespace anvil::recast {

struct OpenEdge {
  Index from, to;  ///< the way that what closes the triangles has to run
  Index triangle;  ///< one that ends there
};

/// Edges that are passed more often one way than the other, as often as that.
std::vector<OpenEdge> open_border(std::span<const Triangle> triangles);

}  // namespace anvil::recast
