// SPDX-License-Identifier: GPL-3.0-or-later
// Fewer triangles, as far as the shape allows.
#pragma once

#include "core/control.h"
#include "core/mesh/attributes.h"
#include "core/mesh/deviation.h"
#include "core/recast/held_edges.h"
#include "core/report.h"

namespace anvil {

struct ReduceSettings {
  std::size_t triangles = 0;     ///< so many, or as few as can be
  double max_deviation = 0;      ///< mesh units: neither surface may lie farther from the other; 0: any
  double rms = 0;                ///< mesh units: the root of the mean squared distance of what is drawn together into one vertex; 0: any
  recast::HeldEdges held = {};   ///< beside borders, which always are
};

struct Reduced {
  Mesh mesh;                   ///< triangles, with the material slots of the faces they come from
  std::vector<Index> source;   ///< per face, which face of the mesh it comes from; no_index where the engine made it anew
  OperationReport report;      ///< notes of what could not be as asked
  bool is_sound = false;       ///< proven
};

/// Draws edges together (core/recast/collapse.h), the cheapest first. Where triangles of the result cross, their vertices are drawn into the middle of their neighbours; where that does
/// not help, what was there is left as it was, and at last the engine settles it. The largest deviation is measured (at corners, middles of edges and of
/// triangles, and every 1/100 of the size, with a twentieth to spare), not estimated: where it is exceeded, the surface stays as it was.
/// @param name  of the part, for messages
/// @return sound if the mesh was. A mesh with no more triangles than asked for is given back in triangles. Throws Stopped.
Reduced reduce(const Mesh& mesh, const std::string& name, const ReduceSettings& settings, const Control& control = {});

}  // namespace anvil
