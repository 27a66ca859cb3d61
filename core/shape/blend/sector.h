// SPDX-License-Identifier: GPL-3.0-or-later
// One cell of a strip layout: where the strips of the edges that meet at a vertex begin.
#pragma once

#include "core/shape/blend/strip_layout.h"

namespace anvil {

/// A single finished edge ends there, and the surface goes on smoothly: its strip runs out into it.
bool runs_out(const BlendTask& task, Index cell);

/// Fills in the layout's sectors and profiles of one cell, and its trim lines.
class SectorSolver {
 public:
  SectorSolver(StripLayout& layout, Index cell);
  void solve();

 private:
  /// From a finished edge to the next, counter-clockwise. Numbers count through the cell's halves.
  struct Span {
    std::size_t first, edges;  ///< the finished one, and how many that are not follow
  };

  Index half(std::size_t i) const { return out_[i % out_.size()]; }
  Index facet(std::size_t i) const { return graph_.halves[half(i)].facet; }
  const Vec3& normal(std::size_t i) const { return graph_.facets[facet(i)].normal; }
  bool is_sharp(std::size_t i) const;
  double angle_between(std::size_t i) const;

  std::vector<Index> lay(const Span& span);
  std::vector<Index> meet_in_facet(std::size_t i);
  std::vector<Index> slide_on_sharp(const Span& span, const std::vector<std::size_t>& sharp);
  std::vector<Index> across_smooth(const Span& span);
  Index on_edge(Index half, double distance);
  Index reach(std::size_t i, const Vec3& direction, double length);
  Index beside(std::size_t i, bool left);

  std::vector<Index> outline(std::size_t i, std::size_t mitred_with);
  void make_profiles();
  bool meet_in_point();
  void follow_end_face(const Span& span);
  std::size_t odd_one() const;
  std::vector<std::vector<Vec3>> lead_over(std::size_t odd);
  void fill_lead(std::size_t odd, const std::vector<std::vector<Vec3>>& grid);

  StripLayout& layout_;
  const BlendTask& task_;
  const FeatureGraph& graph_;
  const Index cell_;
  const std::vector<Index>& out_;
  const Vec3& vertex_;
  std::vector<Span> spans_;
};

}  // namespace anvil
