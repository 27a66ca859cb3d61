// SPDX-License-Identifier: GPL-3.0-or-later
// Finished edges that go on in each other: what along a chain decides the widths of its strips.
#pragma once

#include <vector>

#include "core/mesh/feature_graph.h"
#include "core/shape/blend/cross_section.h"

namespace anvil {

/// Halves that follow each other, each ending where the next begins.
struct BlendChain {
  std::vector<Index> halves;
  bool closed = false;
};

/// Every finished edge lies in one chain, with one of its halves. A chain goes on where exactly two finished edges of one kind meet, convex or concave.
/// @param finished  per feature edge
/// @param sections  per feature edge, along its half 2 e
std::vector<BlendChain> blend_chains(const FeatureGraph& graph, const std::vector<char>& finished, const std::vector<CrossSection>& sections);

/// Sets the widths in `sections`. The first width lies on the flat side of a chain, if one side is flat and the other is not; else on its left.
void give_widths(const std::vector<BlendChain>& chains, const EdgeBlendSettings& settings, std::vector<CrossSection>& sections);

/// By how much the widths are multiplied at the beginning of each half: 1, or on its way to the width at the end of an open chain.
std::vector<double> growth_along(const std::vector<BlendChain>& chains, const FeatureGraph& graph, const EdgeBlendSettings& settings, const std::vector<CrossSection>& sections);

}  // namespace anvil
