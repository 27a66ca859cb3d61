// SPDX-License-Identifier: GPL-3.0-or-later
// Made-up scans: worn surfaces with the unevenness of a scanner.
#pragma once

#include "core/mesh/triangulate.h"
#include "core/stock/primitive.h"

namespace anvil::bench {

/// A worn ball 100 across: bumps of a hundredth of its size, and noise of 1/5000 of it. About sides² triangles.
inline Mesh scan(double sides) {
  Mesh ball = *make_mesh(Primitive::of("sphere", {100, sides, sides / 2}));
  Mesh mesh;
  mesh.positions = ball.positions;
  for (const Triangle& t : triangulate(ball).triangles) mesh.add_face(t);
  std::uint32_t random = 7;
  for (Vec3& p : mesh.positions) {
    random = random * 1664525u + 1013904223u;
    const double noise = (random >> 8) / 16777216.0 - 0.5;
    p *= 1 + 0.01 * std::sin(0.3 * p.x()) * std::sin(0.23 * p.y() + 1) * std::sin(0.27 * p.z() + 2) + 0.0004 * noise;
  }
  return mesh;
}

}  // namespace anvil::bench
