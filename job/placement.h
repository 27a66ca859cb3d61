// SPDX-License-Identifier: GPL-3.0-or-later
// Where a part stands: position, angles, scale and shear. Holds any affine map that keeps volumes above zero.
#pragma once

#include <array>

#include "core/turn.h"
#include "core/types.h"

namespace anvil {

struct Placement {
  Vec3 position = Vec3::Zero();  ///< mm
  Vec3 angles = Vec3::Zero();    ///< degrees about x, then y, then z of the fixed axes
  Vec3 scale = Vec3::Ones();     ///< factors along the part's own axes, never zero
  /// How far y leans towards x, z towards x, and z towards y, before scaling. Nobody types it: it keeps the shape of a
  /// tool that was turned, when the part that it rides on is scaled unevenly.
  Vec3 shear = Vec3::Zero();

  /// position · Rz · Ry · Rx · scale · shear. Quarter turns are exact.
  Affine matrix() const;
  /// The placement with this matrix, to some units in the last place. Its scale has the signs of `like` where the
  /// matrix leaves the choice, so that a mirrored part stays mirrored along the axis it was mirrored on.
  static Placement of(const Affine& matrix, const Vec3& like = Vec3::Ones());
  bool operator==(const Placement& o) const {
    return position == o.position && angles == o.angles && scale == o.scale && shear == o.shear;
  }
};

/// The angles of a pure rotation, in degrees, such that Placement{·, angles, ·} gives it back to rounding, also where
/// y is near a quarter turn.
Vec3 angles_of(const Eigen::Matrix3d& rotation);

}  // namespace anvil
