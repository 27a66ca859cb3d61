// SPDX-License-Identifier: GPL-3.0-or-later
// Chamfers and rounds: strips in place of edges, built into the mesh where they lie.
#pragma once

#include <span>

#include "core/mesh/edges.h"
#include "core/shape/blend/cross_section.h"
#include "core/shape/with_made.h"

namespace anvil {

/// Told at the card, each with a length as {1}; places are the vertices where widths are less, and the middles of edges that stay.
inline constexpr Note blend_done{"edges_finished", "1 edge finished, {1}", "{0} edges finished, {1}", Note::Place::card};
inline constexpr Note blend_narrower{"edges_narrower", "1 edge has less width for lack of room, {1}", "{0} edges have less width for lack of room, {1}", Note::Place::both};
inline constexpr Note blend_left{"edges_left", "1 edge stays as it was for lack of room, {1}", "{0} edges stay as they were for lack of room, {1}", Note::Place::both};

/// An edge whose strip has its full width from end to end.
struct WholeStrip {
  Vec3 middle;  ///< of the edge
  Vec3 into;    ///< across the face beside it, as long as the strip is wide there
  Vec3 out;     ///< away from the part, length 1
  double length;
};

/// Finishes edges of a part. Works on the faces beside them; its cost grows with these.
///
/// Every edge gets a strip with the cross-section that is asked for: the faces beside it are trimmed, and the strip lies between the trim lines. Where edges
/// meet, strips share a section, or a patch covers the corner between them. Where neighbours or the body leave no room, widths become less at the
/// vertices there, down to nothing, which is told; every other width is kept. The result is proven sound where it changed.
/// @param part   closed and manifold, else an Issue says where; need not be free of crossings elsewhere
/// @param edges  of the part's mesh
/// @param list   each with two faces that do not lie in one plane (core/mesh/edge_rule.h, proper_edges)
/// @param whole  if given, gets all strips of full width
/// @return with the long edges of strips as fresh edges. New faces come from no source; their material is that of a face beside them. Throws Stopped.
Result<BooleanResult> blend_edges(const Workpiece& part, const EdgeTable& edges, std::span<const Index> list, const EdgeBlendSettings& settings, const Control& control = {},
                                  std::vector<WholeStrip>* whole = nullptr);

}  // namespace anvil
