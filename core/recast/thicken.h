// SPDX-License-Identifier: GPL-3.0-or-later
// Walls thinner than asked for are made as thick as that, by moving both their sides apart.
#pragma once

#include "core/control.h"
#include "core/mesh/mesh.h"

namespace anvil::recast {

struct Thickened {
  std::vector<Vec3> positions;
  std::size_t thin = 0;      ///< faces that had too little behind them
  double thinnest = 0;       ///< mesh units: the least that any of them had
  std::vector<Vec3> places;  ///< where some of them are
  std::vector<Vec3> short_of;  ///< where some still have less than 0.95 of what was asked for: at the rims of walls, and where they would meet something else
};

/// Behind a face of a sound mesh is a wall as thick as the way into it, square to the face, to one that looks about the other way. Vertices of thin ones move so that each face goes out by half of what is
/// missing and all others stay in their planes; no
/// farther than leaves the mesh sound. Where both sides run into each other, at the rim of a sheet, it stays as thin as it is.
/// @param least  mesh units
/// Throws Stopped.
Thickened thicken(const Mesh& mesh, double least, const Control& control = {});

}  // namespace anvil::recast
