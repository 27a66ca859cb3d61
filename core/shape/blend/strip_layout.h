// SPDX-License-Identifier: GPL-3.0-or-later
// The lines by which strips trim the faces beside them, and the strips' outlines at each end.
#pragma once

#include <array>
#include <map>
#include <set>

#include "core/shape/blend/strip_ends.h"

namespace anvil {

/// A piece of a trim line, within a facet that is kept on its left.
struct Trim {
  Index from, to;  ///< points
  Index facet;
  std::array<Index, 2> cells;  ///< that it comes from
};

/// Points are numbered behind the vertices of the mesh; those that are vertices keep their numbers.
class StripLayout {
 public:
  /// @param ends  settled
  explicit StripLayout(const StripEnds& ends);

  const StripEnds& ends() const { return ends_; }
  const Vec3& at(Index point) const { return point < mesh_.positions.size() ? mesh_.positions[point] : points_[point - mesh_.positions.size()].at; }
  Index point_count() const { return static_cast<Index>(mesh_.positions.size() + points_.size()); }
  /// The cell that a point stands for, when faces are attached again; no_index for one on the way between two.
  Index home_of(Index point) const { return point < mesh_.positions.size() ? cell_at_[point] : homes_[point - mesh_.positions.size()]; }
  /// The feature edge on which a point lies; no_index for a vertex, and for one within a facet.
  Index edge_of(Index p) const { return p >= mesh_.positions.size() && points_[p - mesh_.positions.size()].on == SurfacePoint::On::edge ? points_[p - mesh_.positions.size()].where : no_index; }
  bool lies_in(Index point, Index facet) const { return ends_.walk().lies_in(surface_point(point), facet); }
  Index add_point(const Vec3& at, Index home);

  std::vector<Trim> trims;
  std::vector<std::vector<Index>> cuts;     ///< per feature edge: points on it, from where its half 2 e begins
  // Per finished half that leaves a station:
  std::vector<std::vector<Index>> sector;   ///< points of the sector that follows it, against the order of the halves
  std::vector<std::vector<Index>> profile;  ///< the outline where it leaves, from its left to its right
  std::vector<std::vector<Index>> side;     ///< the trim line on its left
  /// Where a round of one kind is led over one of the other (CellLayout): the half of the other one, and rows of places that cover the cell. The first places of the rows are
  /// the outline of that half, the first and the last row those of the halves after it, and the last places lie in the facet between these.
  struct Lead {
    Index odd;
    std::vector<std::vector<Vec3>> rows;
  };
  std::map<Index, Lead> led_over;  ///< per cell
  std::set<Index> blamed;  ///< cells whose trim lines could not be drawn

 private:
  friend class CellLayout;
  SurfacePoint& point(Index p) { return points_[p - mesh_.positions.size()]; }
  SurfacePoint surface_point(Index p) const;
  Index add(const SurfacePoint& p, Index home);
  void connect(Index from, Index to, const Vec3& up, Index facet, std::array<Index, 2> cells, std::vector<Index>& line);

  const StripEnds& ends_;
  const Mesh& mesh_;
  std::vector<Index> cell_at_;  // per vertex
  std::vector<SurfacePoint> points_;
  std::vector<Index> homes_;
};

}  // namespace anvil
