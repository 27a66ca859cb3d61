// SPDX-License-Identifier: GPL-3.0-or-later
// Lines thrown onto a part along a direction: as sheets that the engine scores or splits it by.
#pragma once

#include "core/mesh/planar_region.h"
#include "core/shape/drape.h"
#include "core/shape/with_made.h"

namespace anvil {

struct ThrowSettings {
  Vec3 direction = Vec3(0, 0, -1);  ///< of any length; the way in which they are thrown
  bool through = true;              ///< onto all faces; else onto the first ones that they meet
  std::vector<Index> faces = {};    ///< onto these alone; empty: onto any
};

/// The sheet that lines sweep over along the direction: right through a box, from in front of it to behind it. Pieces along the direction sweep over nothing and are
/// left out.
Mesh curtain(const Box3& part, std::span<const LinePiece> lines, const Vec3& direction);

/// The lines become edges of the part's faces; nothing else changes. Fresh edges are the new ones. An Issue when no line meets the part. Throws Stopped.
Result<BooleanResult> throw_lines(const Workpiece& part, std::span<const LinePiece> lines, const ThrowSettings& settings, const Control& control = {});

/// Lines of a grid across a direction, over all of the part.
/// @param origin  a crossing of two lines; `angle` degrees from the plane's first axis (half_space.h); spacing above 0
/// @return an Issue when there would be more than 2 000 lines
Result<std::vector<LinePiece>> grid_lines(const Box3& part, const Vec3& origin, const Vec3& direction, double spacing, double degrees);

/// Edges of a mesh at which it turns by more than so many degrees, and its borders.
std::vector<LinePiece> edge_lines(const Mesh& mesh, const Affine& placement, double degrees);

/// An outline's pieces in space.
std::vector<LinePiece> loop_lines(const std::vector<Loop2>& loops, const PlaneFrame& frame);

}  // namespace anvil
