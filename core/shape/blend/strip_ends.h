// SPDX-License-Identifier: GPL-3.0-or-later
// Where strips begin and end on the faces beside their edges, and widths for which there is room.
#pragma once

#include <unordered_map>
#include <utility>

#include "core/shape/blend/blend_task.h"
#include "core/shape/blend/surface_walk.h"

namespace anvil {

/// The ends of all strips, solved cell by cell.
///
/// A *station* is a cell at which strips end. Where the edges of a chain are short beside the width, some of its cells are none: a *run* of several edges has one strip.
/// Around a station, a *sector* is what lies between two finished edges that follow each other, or all around the end of a single one.
class StripEnds {
 public:
  explicit StripEnds(const BlendTask& task);
  StripEnds(const StripEnds&) = delete;

  const BlendTask& task() const { return task_; }
  const SurfaceWalk& walk() const { return walk_; }

  /// Makes widths less until strips have room along their edges, and on the edges that other ends slide along.
  void settle();
  /// The cells whose ends have been placed since the last call.
  std::vector<Index> take_placed() { return std::exchange(placed_, {}); }
  /// Less width at a cell; each time by more.
  /// @param by  what the width becomes at the first time, 0 to 1
  /// @return whether there was any
  bool blame(Index cell, double by);
  /// No edge is finished.
  void give_up();

  /// By which widths are multiplied at a cell, 0 to 1; at 0 strips end in the vertex.
  double scale(Index cell) const { return scale_[cell]; }
  /// An edge is finished unless its widths are 0 at both ends.
  bool is_finished(Index half) const { return finished_[half / 2] != 0; }
  bool is_station(Index cell) const { return dropped_[cell] == 0; }
  /// Strips end around it.
  bool is_laid_out(Index cell) const { return touched_[cell] != 0 && scale_[cell] > 0 && is_station(cell); }
  bool is_touched(Index cell) const { return touched_[cell] != 0 && is_station(cell); }

  /// Of a half that leaves a station: the last half of its run, which comes to a station.
  Index last_of_run(Index half) const { return last_[half]; }
  /// Of a half that leaves a station: all halves of its run, in order.
  std::vector<Index> run(Index half) const;
  /// That of the strip that comes back along the run.
  Index opposite(Index half) const { return FeatureGraph::twin(last_[half]); }
  Index cell(Index half) const { return task_.graph.cell_of[half]; }
  /// Of the run that a half leaves a station with.
  CrossSection section(Index half) const;
  Vec3 way(Index half) const;
  double left_width(Index half) const { return section(half).left_width * task_.growth[half] * scale_[cell(half)]; }
  double right_width(Index half) const { return section(half).right_width * task_.growth[half] * scale_[cell(half)]; }

  /// Of a finished half that leaves a station: the sector that follows it, from the next finished half's right to this one's left.
  const std::vector<SurfacePoint>& sector(Index half) const { return sectors_[half]; }
  /// The finished half before it.
  Index before(Index half) const { return before_[half]; }
  /// Are rounds to meet there as smoothly as they can? Where that has failed they meet as well as they may.
  bool is_smooth(Index cell) const { return set_back_[cell] != 0; }
  /// Do convex and concave finished edges meet there?
  bool has_both_kinds(Index cell) const;
  /// The greatest distance from the cell's vertex at which a strip ends.
  double reach(Index cell) const;

 private:
  friend class SectorSolver;
  void set_scale(Index cell, double scale);
  void touch(Index cell);
  void place(Index cell);
  void check_run(Index half);
  void check_edge(Index half);
  double progress(Index from, Index to) const;
  bool widen(Index half);
  bool can_be_dropped(Index cell) const;
  Index onward(Index half) const;
  void merge(const std::vector<Index>& halves);
  void less(Index cell, double by);
  void lessen(Index cell, double by);

  const BlendTask& task_;
  std::vector<char> passable_;
  SurfaceWalk walk_;
  std::vector<double> scale_, least_scale_;  // per cell
  std::vector<char> finished_;          // per feature edge
  std::vector<char> touched_, dropped_;  // per cell
  std::vector<int> blamed_;             // per cell, how often
  std::vector<Index> last_, before_;    // per half
  std::unordered_map<Index, CrossSection> merged_;  // per first half of a run of several edges
  std::vector<std::vector<SurfacePoint>> sectors_;  // per half
  std::vector<double> slide_;           // per half: how far along it an end lies
  std::vector<double> room_;            // per cell: what its scale is multiplied by next
  std::vector<char> set_back_;          // per cell: is_smooth
  std::vector<Index> open_;             // cells to be placed
  std::vector<char> is_open_;
  std::vector<Index> placed_;
};

}  // namespace anvil
