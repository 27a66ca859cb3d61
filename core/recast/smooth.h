// SPDX-License-Identifier: GPL-3.0-or-later
// Unevenness taken out of a surface; its faces stay, their vertices move.
#pragma once

#include "core/control.h"
#include "core/mesh/mesh.h"
#include "core/recast/held_edges.h"
#include "core/report.h"

namespace anvil {

struct SmoothSettings {
  Index passes = 10;
  double strength = 0.5;        ///< 0 to 1: how far towards the middle of its neighbours a vertex goes in a pass; 1 is as far as goes well
  bool keep_volume = true;      ///< each pass is followed by one that widens what it has narrowed, and each shell ends with the volume it had
  bool along_normals = false;   ///< vertices move square to the surface alone, so that they stay where they are along it
  recast::HeldEdges held = {};  ///< their vertices stay
  bool hold_borders = true;
  std::vector<char> scope = {};  ///< per face; vertices that have other faces stay. Empty: all
};

struct Smoothed {
  std::vector<Vec3> positions;  ///< one for each vertex of the mesh
  OperationReport report;
  bool is_sound = false;  ///< proven; of a mesh that was not it need not be
};

/// The passes alone, without the look at what crosses: Laplacian, with keep_volume alternating with a negative one (Taubin, "A signal processing approach to fair surface design",
/// SIGGRAPH 1995), all of them at once by a polynomial (as Taubin, Zhang and Golub, "Optimal surface smoothing as filter design", ECCV 1996, design theirs; right to a thousandth of each
/// wave), and at the end offset along its normals by what the volume of each shell has changed. Deterministic. Throws Stopped.
std::vector<Vec3> smooth_passes(const Mesh& mesh, const SmoothSettings& settings, const Control& control = {});

/// Makes the passes, and then holds back the vertices of faces that would cross: half as far, again half as far, at last not at all, and their neighbours with them; and
/// shells that would turn inside out; at last all of them, where a shell went right through another. What crossed before may still do so.
/// @return sound if the mesh was
/// @param name  of the part, for messages
Smoothed smooth(const Mesh& mesh, const std::string& name, const SmoothSettings& settings, const Control& control = {});

}  // namespace anvil
