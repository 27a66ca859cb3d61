// SPDX-License-Identifier: GPL-3.0-or-later
// Mirroring a part about a plane, without a wall left inside.
#pragma once

#include "core/boolean/combine.h"
#include "core/shape/half_space.h"
#include "core/soundness/report.h"

namespace anvil {

enum class MirrorHow {
  half,  ///< what lies below the plane is kept and doubled
  copy   ///< a mirrored copy of the whole part is added
};

struct MirrorSettings {
  Vec3 point = Vec3::Zero();       ///< any point of the plane, mesh units
  Vec3 normal = Vec3(1, 0, 0);     ///< any length but zero
  MirrorHow how = MirrorHow::half;
  /// Vertices nearer to the plane than this are put onto it, mesh units; at least a millionth of the part's diagonal.
  double weld = 0;
  bool free_of_crossings = false;  ///< the part is known not to cross itself
  CombineCache* cache = nullptr;   ///< as for combine()
};

struct Mirrored {
  BooleanResult result;     ///< one piece; fresh edges are those of the seam
  SoundnessReport soundness;
};

/// Keeps one half of a part and doubles it, or adds a mirrored copy to it.
///
/// Vertices within `weld` of the plane are put onto it first. Where the two halves meet they share their vertices (one
/// vertex, so the same bits), and faces that lie in the plane are left out on both sides, so no wall stays inside and
/// edges run on across the seam. Half: the part is cut by the plane first (plane_cut.h); its enclosed volume doubles.
/// Copy: where the part reaches across the plane, it and its copy are united by the engine instead. The same happens
/// where halves that are sound would touch themselves along an edge in the plane. Works on sheets and unsound parts
/// as well; the result is then as sound as its half.
/// @return empty with a reason when nothing lies on the side that is kept. Throws Stopped.
Result<Mirrored> mirror(const std::shared_ptr<const Mesh>& mesh, const std::string& name, const MirrorSettings& settings,
                        const Control& control = {});

}  // namespace anvil
