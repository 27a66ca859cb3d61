// SPDX-License-Identifier: GPL-3.0-or-later
// Triangles made fewer by drawing edges together.
#pragma once

#include <span>
#include <vector>

#include "core/control.h"
#include "core/mesh/triangulate.h"

namespace anvil::recast {

/// What is made fewer, and what of it must stay as it is.
struct CollapseTask {
  std::vector<Vec3> positions;
  std::vector<Triangle> triangles;
  std::vector<char> held;   ///< per corner 3 t + k: the edge (k, k + 1) is kept as a line: its vertices only move along it. Both sides are told alike.
  std::vector<Index> opposite;  ///< find_opposites of the triangles, where it is known
  std::vector<char> fixed;  ///< per vertex: stays where it is; may be empty
  std::size_t goal = 0;     ///< so many triangles, or as few as go
  double farthest = 0;      ///< root of the mean squared distance from the planes of what has been drawn together that no vertex may have; 0: any
};

struct Collapsed {
  std::vector<Vec3> positions;      ///< only those in use
  std::vector<Triangle> triangles;
  std::vector<Index> source;        ///< per triangle, which it was
  std::vector<Index> became;        ///< per vertex that there was, what it is now; no_index where it was in no triangle
};

/// Edges are drawn together in passes, the cheapest of each first: the cost is the quadric error at the point where it is least (Garland and Heckbert 1997), each end taking part in one collapse
/// of a pass. Edges without an opposite are held whatever is said; where a held line turns by more than 50° its
/// vertex stays. A collapse keeps the surface manifold (the link condition: Dey, Edelsbrunner, Guha and Nekhayev, "Topology preserving edge
/// contraction", 1999), turns no triangle over, and makes no sliver that was not there. It may make far sheets cross.
/// Deterministic. Throws Stopped.
Collapsed collapse(CollapseTask task, const Control& control = {});

}  // namespace anvil::recast
