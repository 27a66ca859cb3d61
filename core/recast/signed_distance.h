// SPDX-License-Identifier: GPL-3.0-or-later
// How far a point is from a closed surface, and on which side.
#pragma once

#include <optional>

#include "core/control.h"
#include "core/mesh/bvh.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/winding.h"

namespace anvil::recast {

/// A field's value at a point, and where it grows.
struct FieldSample {
  double value;       ///< negative inside
  Vec3 gradient;      ///< of length 1, or zero where it is not known
  Index source;       ///< what there is responsible for it: a triangle of a surface; no_index: nothing
};

class SignedDistance {
 public:
  /// @param positions,triangles  closed, manifold, outwards, free of crossings; has to live as long as this
  /// Throws Stopped.
  SignedDistance(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Control& control = {});
  /// Exact but for rounding. On which side is told by the angle-weighted normal of the face, edge or vertex that is nearest (Bærentzen and Aanæs, "Signed distance computation using the angle
  /// weighted pseudonormal", IEEE TVCG 11(3), 2005). That fails beside triangles so narrow that rounding decides which way they look, and at walls and gaps without thickness, both sides of which are as
  /// near: there it is told by how often the surface winds around the point.
  FieldSample operator()(const Vec3& p) const;

 private:
  void find_doubtful(const Control& control);

  std::span<const Vec3> positions_;
  std::span<const Triangle> triangles_;
  Bvh tree_;
  std::vector<Vec3> face_normals_, vertex_normals_;
  std::vector<char> doubtful_;          // per triangle: its normal does not tell the side
  std::optional<WindingTree> winding_;  // where any is
  std::vector<Vec3> edge_normals_;  // per corner 3 t + k, of the edge (k, k + 1); not normalised
};

}  // namespace anvil::recast
