// SPDX-License-Identifier: GPL-3.0-or-later
// Where a part stands: position, angles and scale, as people type them.
#pragma once

#include "core/boolean/combine.h"

namespace anvil {

struct Placement {
  Vec3 position = Vec3::Zero();  ///< mm
  Vec3 angles = Vec3::Zero();    ///< degrees about x, then y, then z of the fixed axes
  Vec3 scale = Vec3::Ones();     ///< factors along the part's own axes, never zero

  /// position · Rz · Ry · Rx · scale. Quarter turns are exact.
  Affine matrix() const;
  bool operator==(const Placement& o) const {
    return position == o.position && angles == o.angles && scale == o.scale;
  }
};

/// Sine and cosine of an angle in degrees, exact at multiples of 90.
std::array<double, 2> sine_cosine(double degrees);

/// The angles of a pure rotation, in degrees, such that Placement{·, angles, ·} gives it back.
Vec3 angles_of(const Eigen::Matrix3d& rotation);

}  // namespace anvil
