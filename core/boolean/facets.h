// SPDX-License-Identifier: GPL-3.0-or-later
// Facets: the triangles of one flat polygon of a part, met and cut as a whole. The lines that cut a polygon into triangles
// are nobody's; without them a cut through it gets no corners but its own (docs/decisions/facets.md).
#pragma once

#include "core/boolean/soup.h"

namespace anvil::boolean {

/// Marks the lines inside flat polygons of a part: per corner, as `opposite`. Two triangles are of one facet where they come
/// from one polygon, lie exactly in one plane and face the same way.
std::vector<char> inner_lines(const Prepared& part);

/// Finds the facets that the soup's inner lines make up, for stages that cut them. A facet that touches itself at a corner
/// is taken apart into its triangles.
void find_facets(Soup& soup);

/// The same after contact: what it has changed is joined to facets again where it still lies in one plane.
/// @param pairs  all pairs of changed triangles that may cross; a facet that crosses itself is taken apart
void find_facets_again(Soup& soup, const std::vector<TrianglePair>& pairs);

}  // namespace anvil::boolean
