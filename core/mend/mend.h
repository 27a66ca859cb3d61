// SPDX-License-Identifier: GPL-3.0-or-later
// Mending a mesh: menders in their order, a look after each, until it is sound or nothing improves.
#pragma once

#include "core/mend/mender.h"
#include "core/report.h"

namespace anvil {

/// What mending did, or a plan of what it would do.
struct Mended {
  Mesh mesh;
  std::vector<Index> source;  ///< per face, which face of the mesh that came in; no_index: made anew
  std::vector<Index> vertex_source;  ///< per vertex, likewise; empty where the engine made a new mesh
  std::vector<Deed> deeds;    ///< one for each mender that did something, in the order of their first turns
  std::vector<std::string> left;  ///< what could not be mended, and why
  SoundnessReport before, after;
  int rounds = 0;
};

/// Mends a polygon mesh, which may be any soup of faces.
///
/// After each mender the mesh is looked at again, and what made it worse is put back. Goes on in rounds until the mesh is sound
/// or a round does not improve it; then, where the menders for crossings and holes are allowed, the Boolean engine takes
/// what the whole encloses. At most max_rounds rounds. Faces and vertices away from what is repaired stay bit for bit.
/// The result is sound, or `after` and `left` say what is not. Throws Stopped.
Mended mend(const Mesh& mesh, const MendSettings& settings, const Control& control = {});
inline constexpr int max_mend_rounds = 12;

/// The tolerance of the settings, or the one that is proposed: 1e-5 of the diagonal of the bounds.
double mend_tolerance(const Mesh& mesh, const MendSettings& settings);

}  // namespace anvil
