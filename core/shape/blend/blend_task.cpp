// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/blend_task.h"

#include <cmath>

#include "core/shape/blend/chains.h"

namespace anvil {

BlendTask::BlendTask(const Mesh& mesh, const EdgeTable& edges, const FeatureGraph& graph, std::span<const Index> list, const EdgeBlendSettings& settings, const Control& control)
    : mesh(mesh), edges(edges), graph(graph), settings(settings), control(control), chosen(graph.edge_count(), 0), sections(graph.edge_count()), turn(graph.edge_count()) {
  for (Index e : list) chosen[graph.edge_of[e]] = 1;
  for (Index e = 0; e < graph.edge_count(); ++e) {
    listen(e);
    const FeatureGraph::Half &half = graph.halves[2 * e], &other = graph.halves[2 * e + 1];
    const Vec3 &n = graph.facets[half.facet].normal, &m = graph.facets[other.facet].normal;
    turn[e] = std::atan2(n.cross(m).norm(), n.dot(m));
    sections[e] = CrossSection::of(mesh.positions[half.from], mesh.positions[half.to], n, m);
  }
  const std::vector<BlendChain> chains = blend_chains(graph, chosen, sections);
  give_widths(chains, settings, sections);
  growth = growth_along(chains, graph, settings, sections);
}

}  // namespace anvil
