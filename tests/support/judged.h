// SPDX-License-Identifier: GPL-3.0-or-later
// What the referee says of a mesh, in words.
#pragma once

#include <fmt/format.h>

#include <string>

#include "tests/support/meshes.h"
#include "tests/support/referee.h"

namespace anvil::test {

/// @return in what a mesh, cut into triangles, is not sound; "" when it is
inline std::string judged(const Mesh& mesh) {
  const Judgement j = judge(in_triangles(mesh));
  if (j.sound()) return {};
  return fmt::format("not sound: manifold {} closed {} crosses {} bounds {} outward {} degenerate {}", j.manifold, j.closed, j.self_intersects, j.bounds_volume, j.outward, j.degenerate);
}

/// The same of a mesh with a name, which may be empty.
inline std::string judged(const char* name, const Mesh& mesh) {
  const std::string wrong = mesh.empty() ? "" : judged(mesh);
  return wrong.empty() ? wrong : fmt::format("{}: {}", name, wrong);
}

}  // namespace anvil::test
