// SPDX-License-Identifier: GPL-3.0-or-later
// Cutting a part by a plane.
#pragma once

#include "core/boolean/combine.h"
#include "core/shape/half_space.h"

namespace anvil {

enum class KeepSide { above, below, both };

struct PlaneCutSettings {
  Vec3 point = Vec3::Zero();         ///< any point of the plane, mesh units
  Vec3 normal = Vec3(0, 0, 1);       ///< towards "above"; any length but zero
  KeepSide keep = KeepSide::below;
  bool cap = true;                   ///< close the cut by a flat face; else it stays open on purpose
  std::optional<double> contact = {};  ///< as for combine(), of the part; 0: exactly where the plane is
  bool free_of_crossings = false;    ///< the part is known not to cross itself
  CombineCache* cache = nullptr;     ///< as for combine()
};

/// Cuts a part by a plane and keeps what lies above it, below it, or both as two pieces (0 above, 1 below; one
/// piece when the plane misses the part).
///
/// The part as for combine(): it must bound a volume, and may cross itself or be inside out. With `cap` the cut is
/// closed by one polygon wherever its outline is a simple one, and each piece is sound. Vertices and faces that lie in
/// the plane up to the contact tolerance count as in it: a cut along a flat side takes nothing away and leaves nothing
/// behind. Left open, a part that bounds nothing (a sheet) is cut face by face (clip.h).
/// @return empty with a reason when nothing lies on the side that is kept; an Issue when the part bounds nothing and a
///         cap is asked for. Throws Stopped.
Result<BooleanResult> plane_cut(const std::shared_ptr<const Mesh>& mesh, const std::string& name,
                                const PlaneCutSettings& settings, const Control& control = {});

}  // namespace anvil
