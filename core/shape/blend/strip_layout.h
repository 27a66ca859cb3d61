// SPDX-License-Identifier: GPL-3.0-or-later
// Where strips lie on the faces beside their edges: the lines by which the faces are trimmed, solved cell by cell.
#pragma once

#include <array>
#include <map>
#include <set>

#include "core/control.h"
#include "core/shape/blend/chains.h"
#include "core/shape/blend/surface_walk.h"

namespace anvil {

/// What a blend works on, and what is asked of it. All of it stays as it is.
struct BlendTask {
  const Mesh& mesh;
  const EdgeTable& edges;
  const FeatureGraph& graph;
  const EdgeBlendSettings& settings;
  const Control& control;
  std::vector<char> chosen;            ///< per feature edge
  std::vector<CrossSection> sections;  ///< per feature edge, along its half 2 e
  std::vector<double> growth;          ///< per half: by how much its widths are multiplied where it begins
  std::vector<double> turn;            ///< per feature edge, radians: by how much the surface turns there

  BlendTask(const Mesh& mesh, const EdgeTable& edges, const FeatureGraph& graph, std::span<const Index> list, const EdgeBlendSettings& settings, const Control& control);

  /// Throws Stopped now and then, when asked to stop.
  void listen(Index k) const {
    if (k % 1024 == 0) check_stop(control);
  }
  const Vec3& vertex_of(Index cell) const { return mesh.positions[graph.cells[cell].vertex]; }
  Vec3 way(Index half) const { return (half & 1 ? -1.0 : 1.0) * sections[half / 2].way; }
  /// The section as it is seen along a half.
  CrossSection section(Index half) const;
};

/// A piece of a trim line, within a facet that is kept on its left.
struct Trim {
  Index from, to;  ///< points
  Index facet;
  std::array<Index, 2> cells;  ///< that it comes from
};

/// All trim lines, for given scales of the widths at each cell.
///
/// Points are numbered behind the vertices of the mesh; those that are vertices keep their numbers. Around a cell, a *sector* is what lies between
/// two finished edges that follow each other, or all around the end of a single one. In a sector, offset lines of two edges meet in the facet
/// that both share; on an edge that parts two facets, if it leaves the cell steeply enough; else where a way across the surface has the widths from both.
class StripLayout {
 public:
  explicit StripLayout(const BlendTask& task);

  std::vector<double> scale;  ///< per cell, 0 to 1, by which widths are multiplied there; at 0 strips end in the vertex

  /// Lays everything out anew. What cannot be laid out is in `blamed`.
  void solve();

  /// An edge is finished unless its widths are 0 at both ends.
  bool is_finished(Index half) const { return task_.chosen[half / 2] != 0 && (scale[task_.graph.cell_of[half]] > 0 || scale[task_.graph.cell_of[half ^ 1]] > 0); }
  bool is_laid_out(Index cell) const { return scale[cell] > 0 && touched_[cell] != 0; }
  double left_width(Index half) const;
  double right_width(Index half) const;

  const BlendTask& task() const { return task_; }
  const Vec3& at(Index point) const { return point < task_.mesh.positions.size() ? task_.mesh.positions[point] : points_[point - task_.mesh.positions.size()].at; }
  Index point_count() const { return static_cast<Index>(task_.mesh.positions.size() + points_.size()); }
  /// The cell that a point stands for, when faces are attached again; no_index for one on the way between two.
  Index home_of(Index point) const { return point < task_.mesh.positions.size() ? cell_at_[point] : homes_[point - task_.mesh.positions.size()]; }
  Index add_point(const Vec3& at, Index home);
  /// The feature edge on which a point lies; no_index for a vertex, and for one within a facet.
  Index edge_of_point(Index p) const { return p >= task_.mesh.positions.size() && point(p).on == SurfacePoint::On::edge ? point(p).where : no_index; }

  std::vector<Trim> trims;
  std::vector<std::vector<Index>> cuts;     ///< per feature edge: points on it, from where its half 2 e begins
  std::vector<std::vector<Index>> sector;   ///< per finished half that goes out from a cell: points of the sector that follows it, against the order of the halves
  std::vector<std::vector<Index>> profile;  ///< per finished half: the outline where it goes out, from its left to its right
  std::vector<std::vector<Index>> side;     ///< per finished half: the trim line on its left
  /// Per cell where a round of one kind is led over one of the other (SectorSolver): rows of points that cover it.
  std::map<Index, std::vector<std::vector<Index>>> led_over;
  /// What is to become smaller: by how much, per cell.
  std::vector<double> room;
  std::set<Index> blamed;

 private:
  friend class SectorSolver;
  const SurfacePoint& point(Index p) const { return points_[p - task_.mesh.positions.size()]; }
  SurfacePoint surface_point(Index p) const;
  Index add(const SurfacePoint& p, Index home);
  void solve_cell(Index cell);
  void connect(Index from, Index to, const Vec3& up, Index facet, std::array<Index, 2> cells, std::vector<Index>& line);
  void lay_side(Index half);
  void order_cuts();
  void less(Index cell, double by);

  const BlendTask& task_;
  std::vector<char> passable_;
  SurfaceWalk walk_;
  std::vector<Index> cell_at_;  // per vertex
  std::vector<char> touched_;   // per cell
  std::vector<SurfacePoint> points_;
  std::vector<Index> homes_;
};

}  // namespace anvil
