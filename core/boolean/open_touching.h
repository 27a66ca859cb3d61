// SPDX-License-Identifier: GPL-3.0-or-later
// Opens the places where a solid touches itself, for readers that tell vertices by their position.
#pragma once

#include "core/control.h"
#include "core/mesh/mesh.h"

namespace anvil {

struct OpeningSettings {
  double width = 0;     ///< how far apart, mesh units; 0: the least that works, at least min_opening
  bool floats = false;  ///< coordinates are 32-bit numbers, and stay so
};
inline constexpr double min_opening = 1e-5;  ///< mesh units; a hundredth of a micrometre in millimetres

struct Opened {
  std::size_t places = 0;  ///< what a person sees as one: touching edges that hang together, or a vertex
  double width = 0;        ///< of the widest place, mesh units; no vertex moved by more than twice that
  std::vector<Vec3> at;    ///< of each place
  std::vector<Index> source;  ///< per face of the mesh, which it was before; empty where nothing shared a position
  std::vector<Vec3> left;  ///< positions of vertices that no width tried could take apart; they stay where they were
};

/// Moves vertices that lie at one position apart, so that no two in use share one: each into its own material or, at the
/// tip of a cavity that touches another surface, into the cavity. Faces with more than three corners at such vertices are
/// cut into the triangles of triangulate(). Where the width makes faces cross or collapse, other widths, from two steps of
/// the numbers to 64 times as much, and other directions are tried.
/// @param mesh  closed and manifold by its vertices; free of crossings but for shared positions. Nothing else of it changes
/// Throws Stopped.
Opened open_touching(Mesh& mesh, const OpeningSettings& settings = {}, const Control& control = {});

}  // namespace anvil
