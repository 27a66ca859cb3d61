// SPDX-License-Identifier: GPL-3.0-or-later
// Clouds of points: which are near a place, how far apart they lie, and how the surface between them runs.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "core/control.h"
#include "core/types.h"

namespace anvil {

/// Points by their place (a k-d tree of nanoflann). May be asked from several threads.
class PointTree {
 public:
  /// @param points  have to live as long as this
  explicit PointTree(std::span<const Vec3> points);
  ~PointTree();

  struct Near {
    Index point;
    double square;  ///< of the distance
  };
  /// The nearest ones, the nearest first; fewer where there are fewer.
  void nearest(const Vec3& p, std::size_t count, std::vector<Near>& found) const;
  /// All within that distance, in no particular order.
  void within(const Vec3& p, double distance, std::vector<Near>& found) const;

 private:
  struct Data;
  std::unique_ptr<Data> data_;
};

/// How far it is from most points, nine of ten, to the next one that is elsewhere; 0 where all are at one place.
double spacing_of(std::span<const Vec3> points, const PointTree& tree);

/// The normals of the planes that fit the points around each one best, of length 1 and to either side (principal components of a cell of a grid and those around it). For showing a cloud.
/// O(n log n). Throws Stopped.
std::vector<Vec3> rough_normals(std::span<const Vec3> points, double spacing, const std::stop_token& stop = {});

}  // namespace anvil
