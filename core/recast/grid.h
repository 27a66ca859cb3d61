// SPDX-License-Identifier: GPL-3.0-or-later
// The grid that a surface is re-skinned on: points at equal steps along the three axes.
#pragma once

#include <array>
#include <tuple>
#include <vector>

#include "core/types.h"

namespace anvil::recast {

struct Grid {
  Vec3 origin = Vec3::Zero();
  double step = 1;               ///< mesh units
  std::array<Index, 3> size{};  ///< points along each axis

  double at(int axis, Index i) const { return origin[axis] + step * i; }
  Vec3 point(Index i, Index j, Index k) const { return {at(0, i), at(1, j), at(2, k)}; }
  double cells() const { return static_cast<double>(size[0]) * size[1] * size[2]; }
};

/// The two axes that follow one, so that all three are right-handed. Lines along `axis` are numbered by their place along these two.
inline int u_of(int axis) { return (axis + 1) % 3; }
inline int v_of(int axis) { return (axis + 2) % 3; }
inline std::size_t lines_along(const Grid& grid, int axis) {
  return static_cast<std::size_t>(grid.size[static_cast<std::size_t>(u_of(axis))]) * grid.size[static_cast<std::size_t>(v_of(axis))];
}

/// A grid around a box, with at least two cells to spare on all sides. Its planes do not lie where people put faces: not at the box's own corners, nor at whole shares of a step from them.
Grid grid_around(const Box3& box, double step);

/// Where a line of the grid comes out of a solid or goes into it.
struct Crossing {
  Index line;      ///< along its axis, u + v · (points along u)
  Index edge;      ///< between points `edge` and `edge` + 1 of the line
  Index triangle;  ///< of the surface; no_index: between its borders
  bool out;        ///< out of the solid, going up the axis
  double at;       ///< coordinate along the axis
  bool operator<(const Crossing& o) const { return std::tie(line, edge, at, triangle, out) < std::tie(o.line, o.edge, o.at, o.triangle, o.out); }
};

/// The crossings of the lines along each axis, sorted by line, edge and coordinate; along a line they go in and out in turn, and around every face of a cell they are even in number.
using Crossings = std::array<std::vector<Crossing>, 3>;

}  // namespace anvil::recast
