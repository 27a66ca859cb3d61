// SPDX-License-Identifier: GPL-3.0-or-later
// What a chamfer or a round takes from an edge, or adds to it, seen across the edge.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "core/types.h"

namespace anvil {

struct EdgeBlendSettings {
  bool round = false;
  double width = 1;         ///< of a chamfer: how far from the edge on the faces beside it; of a round: its radius; mesh units
  double end_width = 0;     ///< at the end of each open chain, growing evenly along it; 0: as `width`
  double second_width = 0;  ///< of a chamfer: on the other face; 0: as `width`, or by the angle
  double angle = 0;         ///< of a chamfer: between the first face and the new one, degrees; 0: by the second width
  bool swapped = false;     ///< the first width lies on the other face
  Index segments = 8;       ///< of a round
  std::string material = {};  ///< slot of the new faces; empty: that of the faces beside them
};

/// An edge seen along its way, from outside.
struct CrossSection {
  Vec3 way;          ///< along the edge, length 1
  Vec3 left, right;  ///< into the faces beside it, across the edge, length 1
  double length = 0;
  double corner = 0;  ///< between the faces, radians, more than 0 and less than pi
  bool convex = true;
  double left_width = 0, right_width = 0;  ///< from the edge to where the new face begins

  /// @param left_normal, right_normal  of the faces beside the edge, length 1
  static CrossSection of(const Vec3& from, const Vec3& to, const Vec3& left_normal, const Vec3& right_normal);

  CrossSection reversed() const;
  /// The two widths that a finish asks for: on the first face and on the other one.
  std::pair<double, double> widths(const EdgeBlendSettings& settings) const;
};

/// A point of a cross-section's outline, as shares of the two widths.
struct ProfilePoint {
  double left, right;
};

/// From the left face to the right one; a round lies on its circle, which touches both faces.
/// @param corner  between the faces, radians
std::vector<ProfilePoint> profile(double corner, const EdgeBlendSettings& settings);

}  // namespace anvil
