// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "tests/support/dice.h"
#include "tests/support/meshes.h"

namespace anvil::test {

/// A rough ball of 20 · 4^subdivisions triangles: nothing about it is flat, and little can be left out.
inline Mesh rough_ball(int subdivisions, double size, unsigned seed) {
  Mesh mesh = stock("icosphere", {size, static_cast<double>(subdivisions)});
  Dice dice(seed);
  for (Vec3& p : mesh.positions) p *= dice.between(0.998, 1.002);
  return mesh;
}

}  // namespace anvil::test
