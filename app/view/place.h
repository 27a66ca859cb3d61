// SPDX-License-Identifier: GPL-3.0-or-later
// A spot to fly to, and what is drawn there.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "core/soundness/report.h"

namespace anvil::app {

struct Place {
  Vec3 position = Vec3::Zero();  ///< in the part's own frame
  double radius = 0;
  std::string text;                           ///< "hole, 12 edges, 37.2 mm"
  std::vector<std::array<Vec3, 2>> segments;  ///< edges to draw, at most a few thousand
};

/// The place of a defect: its edges, or the outlines of its faces where it names no edges.
Place place_of(const Defect& defect, const Mesh& mesh);

}  // namespace anvil::app
