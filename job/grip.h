// SPDX-License-Identifier: GPL-3.0-or-later
// Where a step's numbers can be taken hold of in the view. Each kind of step says it where it runs, since it knows what its numbers mean there.
#pragma once

#include <string>
#include <vector>

#include "core/mesh/planar_region.h"

namespace anvil {

struct Grip {
  enum class What {
    along,          ///< a number: the grip stands at origin + value × way
    in_plane,       ///< a point: it can be moved about in the plane
    outline_point,  ///< a point of an outline, in the plane
    count,          ///< as along, a whole number
    lean            ///< an angle in degrees: the grip stands at origin + tan(value) × way
  } what = What::along;
  std::string field;             ///< key
  int component = -1;            ///< of a vector: which number; of an outline: which point, counted through all loops
  Vec3 origin = Vec3::Zero();    ///< in the part's frame
  Vec3 way = Vec3::UnitX();      ///< per unit of the value; of what lies in a plane its normal
  PlaneFrame frame = {};         ///< of a point of an outline
  struct Place {
    Vec3 origin, way;
  };
  std::vector<Place> elsewhere = {};  ///< of a number: where it can stand as well; the view takes the first place that is seen, and shows none where all are hidden
};
using Grips = std::vector<Grip>;

/// What is only shown while the step is worked on: a line that tells where something was, or will be.
struct Guide {
  std::vector<Vec3> line;           ///< in the part's frame
  std::string remark = {};          ///< beside its first point; may be empty
};
using Guides = std::vector<Guide>;

}  // namespace anvil
