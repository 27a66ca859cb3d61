// SPDX-License-Identifier: GPL-3.0-or-later
// One station: where on the surface the strips of the edges that meet at a vertex end.
#pragma once

#include "core/shape/blend/strip_ends.h"

namespace anvil {

/// A single finished edge ends there, and the surface goes on smoothly: its strip runs out into it.
bool runs_out(const BlendTask& task, Index cell);
/// Trim lines end on an edge that is not finished, and so sharp; they run across others.
bool is_sharp(const BlendTask& task, Index half);

/// Finished edges of a cell, counter-clockwise, each with the number of unfinished ones that follow it.
struct Span {
  std::size_t first, edges;
};
std::vector<Span> spans_of(const StripEnds& ends, Index cell);

/// Solves the sectors of one cell. Where more than three rounds meet unevenly, or of both kinds, they are set back: each ends straight across its edge, beyond the place where the lines on
/// its sides meet their neighbours', and curves in the facets run from one to the next (Várady and Rockwood, "Geometric construction for setback vertex blending", Computer-Aided
/// Design 29, 1997; from memory).
/// In a sector, the offset lines of two edges meet in the facet that both share; on an edge that parts two facets, if it is sharp or leaves
/// the cell steeply; else where a way across the surface has the widths from both.
class SectorSolver {
 public:
  SectorSolver(StripEnds& ends, Index cell);
  void solve();

 private:
  using Points = std::vector<SurfacePoint>;
  Index half(std::size_t i) const { return out_[i % out_.size()]; }
  Index facet(std::size_t i) const { return graph_.halves[half(i)].facet; }
  const Vec3& normal(std::size_t i) const { return graph_.facets[facet(i)].normal; }
  double angle_between(std::size_t i) const;
  Vec3 way_within(std::size_t of, std::size_t i) const;

  Points lay(const Span& span);
  void set_back(const std::vector<Span>& spans);
  Points meet_in_facet(std::size_t i);
  Points slide_on_sharp(const Span& span, const std::vector<std::size_t>& sharp);
  Points across_smooth(const Span& span);
  SurfacePoint at_vertex() const { return {SurfacePoint::On::vertex, cell_, 0, vertex_}; }
  SurfacePoint on_edge(Index half, double distance);
  SurfacePoint reach(std::size_t i, const Vec3& direction, double length);
  SurfacePoint beside(std::size_t i, bool left) const;

  StripEnds& ends_;
  const BlendTask& task_;
  const FeatureGraph& graph_;
  const Index cell_;
  const std::vector<Index>& out_;
  const Vec3& vertex_;
};

}  // namespace anvil
