// SPDX-License-Identifier: GPL-3.0-or-later
// What a blend works on, and what is asked of it.
#pragma once

#include <span>

#include "core/control.h"
#include "core/mesh/feature_graph.h"
#include "core/shape/blend/cross_section.h"

namespace anvil {

/// All of it stays as it is.
struct BlendTask {
  const Mesh& mesh;
  const EdgeTable& edges;
  const FeatureGraph& graph;
  const EdgeBlendSettings& settings;
  const Control& control;
  std::vector<char> chosen;            ///< per feature edge
  std::vector<CrossSection> sections;  ///< per feature edge, along its half 2 e; widths as asked for
  std::vector<double> growth;          ///< per half: by how much its widths are multiplied where it begins
  std::vector<double> turn;            ///< per feature edge, radians: by how much the surface turns there

  BlendTask(const Mesh& mesh, const EdgeTable& edges, const FeatureGraph& graph, std::span<const Index> list, const EdgeBlendSettings& settings, const Control& control);

  const Vec3& vertex_of(Index cell) const { return mesh.positions[graph.cells[cell].vertex]; }
  /// The section of an edge as it is seen along a half.
  CrossSection section(Index half) const { return half & 1 ? sections[half / 2].reversed() : sections[half / 2]; }
  /// Throws Stopped now and then, when asked to stop.
  void listen(Index k) const {
    if (k % 1024 == 0) check_stop(control);
  }
};

}  // namespace anvil
