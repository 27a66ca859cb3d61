// SPDX-License-Identifier: GPL-3.0-or-later
// How often closed surfaces wind around a point, exactly: by a line along an axis that is cast through all of them.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "core/mesh/bvh.h"

namespace anvil {

/// Closed surfaces made of triangles, each triangle of one of them. Every decision is made by exact predicates; where the line
/// meets an edge or a corner it is moved by less than any number (Edelsbrunner and Mücke, "Simulation of Simplicity", 1990).
class LineWinding {
 public:
  /// @param surface  of each triangle: which surface it belongs to. All spans must outlive this
  LineWinding(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<const Index> surface);

  struct Around {
    Index surface;
    int winding;  ///< never 0, unless the point lies on it
    bool on;      ///< the point lies on this surface: the winding number means nothing there
  };
  /// The surfaces that wind around a point, or on which it lies, in the order of their numbers. A point given by three is their
  /// middle. O(log n + triangles that the line meets); of three axes one is taken along which these are few.
  std::vector<Around> around(const Vec3& point) const { return around({point, point, point}, true); }
  std::vector<Around> around(const std::array<Vec3, 3>& middle_of) const { return around(middle_of, false); }

 private:
  std::vector<Around> around(const std::array<Vec3, 3>& of, bool is_one) const;
  std::span<const Vec3> positions_;
  std::span<const Triangle> triangles_;
  std::span<const Index> surface_;
  Bvh tree_;
};

}  // namespace anvil
