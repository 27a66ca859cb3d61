// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/chains.h"

#include <algorithm>

namespace anvil {
namespace {

constexpr double flat_turn = 1e-4;    // radians: sides that turn less are flat
constexpr double turns_back = 0.98;   // cosine between ways out of a vertex: a chain does not go on in such a cusp

}  // namespace

std::vector<BlendChain> blend_chains(const FeatureGraph& graph, const std::vector<char>& finished, const std::vector<CrossSection>& sections) {
  const auto way = [&](Index h) -> Vec3 { return (h & 1 ? -1.0 : 1.0) * sections[h / 2].way; };
  // The half in which a half goes on; no_index where its chain ends.
  const auto following = [&](Index half) {
    const Index back = FeatureGraph::twin(half);
    Index other = no_index;
    for (Index h : graph.cells[graph.cell_of[back]].out) {
      if (h == back || !finished[h / 2]) continue;
      if (other != no_index) return no_index;
      other = h;
    }
    if (other == no_index || sections[other / 2].convex != sections[half / 2].convex || way(other).dot(way(back)) > turns_back) return no_index;
    return other;
  };
  std::vector<BlendChain> chains;
  std::vector<char> done(finished.size(), 0);
  const auto walk = [&](Index start) {
    BlendChain chain;
    for (Index h = start;;) {
      done[h / 2] = 1;
      chain.halves.push_back(h);
      h = following(h);
      chain.closed = h == start;
      if (h == no_index || done[h / 2]) break;
    }
    chains.push_back(std::move(chain));
  };
  for (Index h = 0; h < graph.halves.size(); ++h)
    if (finished[h / 2] && !done[h / 2] && following(FeatureGraph::twin(h)) == no_index) walk(h);
  for (Index e = 0; e < finished.size(); ++e)
    if (finished[e] && !done[e]) walk(2 * e);
  return chains;
}

void give_widths(const std::vector<BlendChain>& chains, const EdgeBlendSettings& settings, std::vector<CrossSection>& sections) {
  for (const BlendChain& chain : chains) {
    // Normals of the sides, as seen along the chain.
    const auto normal = [&](Index h, bool left) -> Vec3 {
      const CrossSection& s = sections[h / 2];
      return left == ((h & 1) == 0) ? s.way.cross(s.left) : s.right.cross(s.way);
    };
    const auto is_flat = [&](bool left) {
      const Vec3 first = normal(chain.halves[0], left);
      return std::all_of(chain.halves.begin(), chain.halves.end(), [&](Index h) { return (normal(h, left) - first).norm() < flat_turn; });
    };
    const bool first_is_right = (chain.halves.size() > 1 && is_flat(false) && !is_flat(true)) != settings.swapped;
    for (Index h : chain.halves) {
      CrossSection& s = sections[h / 2];
      auto [left, right] = s.widths(settings);
      if (first_is_right != ((h & 1) != 0)) std::swap(left, right);
      s.left_width = left, s.right_width = right;
    }
  }
}

std::vector<double> growth_along(const std::vector<BlendChain>& chains, const FeatureGraph& graph, const EdgeBlendSettings& settings, const std::vector<CrossSection>& sections) {
  std::vector<double> growth(graph.halves.size(), 1);
  if (settings.end_width <= 0) return growth;
  for (const BlendChain& chain : chains) {
    if (chain.closed) continue;
    double whole = 0, at = 0;
    for (Index h : chain.halves) whole += sections[h / 2].length;
    const auto factor = [&] { return 1 + at / whole * (settings.end_width / settings.width - 1); };
    for (Index h : chain.halves) {
      growth[h] = factor();
      at += sections[h / 2].length;
      growth[FeatureGraph::twin(h)] = factor();
    }
  }
  return growth;
}

}  // namespace anvil
