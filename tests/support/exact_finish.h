// SPDX-License-Identifier: GPL-3.0-or-later
// Chamfers and rounds on exact surfaces, by a B-rep modeller: shares nothing with ours.
#pragma once

#include <functional>
#include <optional>

#include "core/mesh/mesh.h"

namespace anvil::test {

struct ExactFinish {
  bool round = true;
  double width = 1;
  /// Which edges, by their ends.
  std::function<bool(const Vec3& from, const Vec3& to)> chosen = [](const Vec3&, const Vec3&) { return true; };
};

/// Volume of a solid with flat faces, its edges finished; none where the modeller cannot.
/// @param mesh  closed, each face flat and without holes
std::optional<double> exact_volume(const Mesh& mesh, const ExactFinish& finish);
/// The same of a cylinder or, with two radii, of the frustum of a cone, both rims finished.
std::optional<double> exact_round_bar_volume(double lower_radius, double upper_radius, double height, const ExactFinish& finish);

}  // namespace anvil::test
