// SPDX-License-Identifier: GPL-3.0-or-later
// A plane as people place it, and which side of it things lie on.
#pragma once

#include <vector>

#include "core/mesh/mesh.h"

namespace anvil {

/// A plane through a point; "above" is the side that the normal points to.
class HalfSpace {
 public:
  /// @param normal  any length but zero
  HalfSpace(const Vec3& point, const Vec3& normal);

  const Vec3& point() const { return point_; }
  const Vec3& normal() const { return normal_; }  ///< of length 1; exact along an axis
  /// Two directions in the plane, of length 1, right-handed with the normal; exact where the normal lies along an axis.
  const Vec3& u() const { return u_; }
  const Vec3& v() const { return v_; }

  double height(const Vec3& p) const;    ///< signed distance
  Vec3 projected(const Vec3& p) const;   ///< nearest point of the plane; for planes across an axis exactly on it
  Vec3 reflected(const Vec3& p) const;
  /// Heights of all vertices.
  std::vector<double> heights(const Mesh& mesh) const;

 private:
  Vec3 point_, normal_, u_, v_;
  int axis_ = -1;  ///< the axis that the normal lies along; -1: none
};

}  // namespace anvil
