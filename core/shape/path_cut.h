// SPDX-License-Identifier: GPL-3.0-or-later
// A cut along a path over the faces of a part.
#pragma once

#include "core/outline.h"
#include "core/shape/curtain.h"

namespace anvil {

struct PathCutSettings {
  Path path;                        ///< points on the part's faces, in its frame
  Vec3 direction = Vec3(0, 0, -1);  ///< into the part: the line of sight along which it was drawn
  enum class What {
    edges,       ///< the path becomes edges
    both,        ///< both sides stay, as pieces
    left_goes,   ///< what lies on the left of the path goes, or within a closed one
    right_goes   ///< what lies on the right, or around a closed one
  } what = What::edges;
  bool through = true;  ///< through all of the part; else the edges only on what is seen, and a cut only to `depth`
  double depth = 5;     ///< below the deepest point of the path, mesh units
};

/// An open path goes straight on at both ends, beyond the part. What is cut open is closed by flat walls along the path.
Result<BooleanResult> path_cut(const Workpiece& part, const PathCutSettings& settings, const Control& control = {});

}  // namespace anvil
