// SPDX-License-Identifier: GPL-3.0-or-later
// What trim lines leave of the facets beside finished edges.
#pragma once

#include "core/shape/blend/strip_layout.h"

namespace anvil {

/// A closed line of points, the facet on its left. Beside each point stand the cells that the piece from it to the next comes from, if it is no old edge.
struct TrimmedRing {
  std::vector<Index> points;
  std::vector<std::array<Index, 2>> cells;
};

/// Follows trim lines and what stays of old edges around each facet, and takes away what lies wholly beyond them.
/// Whether rings cross themselves or each other is decided exactly.
class FacetTrimmer {
 public:
  enum class State : char { kept, trimmed, removed };

  /// @param layout  solved, with room everywhere
  explicit FacetTrimmer(const StripLayout& layout) : layout_(layout), graph_(layout.ends().task().graph) {}

  /// @return the cells whose widths have no room; none: all rings are sound
  std::set<Index> run();

  const std::vector<State>& state() const { return state_; }
  /// Of a trimmed facet; empty where nothing is left of it.
  const std::vector<TrimmedRing>& rings(Index facet) const { return rings_[facet]; }

 private:
  void count_pieces();
  void trim(Index facet, std::span<const Index> trims);
  bool follow(Index facet, std::span<const Index> trims, std::size_t begin, std::vector<char>& used, TrimmedRing& ring);
  void take_away();
  void check_removed();
  void compare_sides();
  std::array<Index, 2> nearest_cells(Index facet, Index half) const;
  void check_rings(Index facet);
  std::size_t piece(Index half, std::size_t passed) const;
  Index half_at(Index facet, Index point, std::size_t& passed) const;
  void blame(const std::array<Index, 2>& cells);
  void blame_facet(Index facet);

  const StripLayout& layout_;
  const FeatureGraph& graph_;
  std::vector<State> state_;
  std::vector<std::vector<TrimmedRing>> rings_;
  std::vector<std::array<Index, 2>> source_;  // of facets that went: the cells whose strips took them
  std::vector<Index> order_, first_;      // trims by facet
  std::vector<std::size_t> first_piece_;  // per feature edge
  std::vector<char> seen_[2];             // per piece of an edge: kept on the side of its half 2 e, 2 e + 1
  std::set<Index> blamed_;
};

}  // namespace anvil
