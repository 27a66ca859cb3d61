// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices at which very many triangles meet, as at the tip of a cone: the boxes of all of them overlap there, whatever lies beside what.
#pragma once

#include <functional>
#include <stop_token>
#include <vector>

#include "core/mesh/triangulate.h"

namespace anvil {

class Hubs {
 public:
  /// @param among  of which triangles there may be pairs
  Hubs(std::span<const Triangle> triangles, std::span<const Index> among, std::size_t vertices);

  bool empty() const { return members_.empty(); }
  Index count() const { return static_cast<Index>(members_.size()); }
  /// The hub of a triangle, a number below count(); no_index for one without. Of several it is one.
  Index of(Index triangle) const { return hub_of_.empty() ? no_index : hub_of_[triangle]; }
  /// Triangles as what their boxes are made of: those of hubs are long and slanting, and come as several smaller boxes, one behind the other from
  /// the hub outwards.
  struct Boxes {
    std::vector<Vec3> points;
    std::vector<Triangle> boxes;  ///< three points each that a box holds
    std::vector<Index> of;        ///< triangle of each box
  };
  Boxes boxes(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<const Index> among) const;
  /// Calls visit(i, j) once for every pair of triangles of one hub that may meet anywhere but in it: as seen from there, what they
  /// cover of a sphere overlaps; of very many with one edge, those that leave it the same way. Calls come from several threads at once. O(n log n) plus the pairs. Throws Stopped.
  void for_each_pair(std::span<const Vec3> positions, std::span<const Triangle> triangles, const std::function<void(Index, Index)>& visit,
                     const std::stop_token& stop) const;

 private:
  std::vector<Index> edges_of(Index hub, std::span<const Triangle> triangles) const;
  std::vector<Index> hub_of_;                ///< per triangle; empty where there are none
  std::vector<std::vector<Index>> members_;  ///< triangles of each
  std::vector<Index> vertex_;                ///< of each
};

}  // namespace anvil
