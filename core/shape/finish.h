// SPDX-License-Identifier: GPL-3.0-or-later
// Chamfers and rounds: chosen edges finished by real volumes, which the engine takes away along convex edges and adds along concave ones.
#pragma once

#include <limits>
#include <span>

#include "core/mesh/edges.h"
#include "core/shape/with_made.h"

namespace anvil {

struct FinishSettings {
  bool round = false;
  double width = 1;         ///< of a chamfer: how far from the edge on the faces beside it; of a round: its radius; mesh units
  double second_width = 0;  ///< of a chamfer: on the other face; 0: as `width`, or by the angle
  double angle = 0;         ///< of a chamfer: between the first face and the new one, degrees; 0: by the second width
  bool swapped = false;     ///< the first width lies on the other face
  Index segments = 8;       ///< of a round
  double weld = 0;          ///< vertices of the result nearer to each other than this are made to meet, mesh units
};

/// What is taken away and what is added.
struct FinishVolumes {
  Mesh removed, added;
  /// The largest width up to which no strip is cut short by the next one; beyond it they end in each other. Infinity where nothing limits it. What lies on the
  /// far side of the faces is not looked at.
  double fits = std::numeric_limits<double>::infinity();
  /// How far the new face is from its edge, at least: little, where the faces beside it are nearly in one plane.
  double thinnest = std::numeric_limits<double>::infinity();
};

/// The volumes for edges of a mesh; each edge must have two faces that do not lie in one plane (core/mesh/edge_rule.h, proper_edges).
///
/// Each edge gets a prism whose section is the corner between the edge and the new face. Edges that follow each other share a section where they meet,
/// so that a chain around a faceted hole is one strip; where three or more chosen edges meet, prisms end in each other in the planes in which their
/// new faces meet, and rounds of three in a ball. At the end of a chain a prism ends at the faces that stand there, or straight across where the edge goes on
/// unchosen. A prism too long for its edge ends in a point. The volumes grow with the width.
/// The first width lies on the flat side of a chain, if one side is flat and the other is not; else on its left.
FinishVolumes finish_volumes(const Mesh& mesh, const EdgeTable& edges, std::span<const Index> list, const FinishSettings& settings, const Control& control = {});

/// Told with the largest width that fits, where that is exceeded.
inline constexpr Note wider_than_fits{"wider_than_fits", "wider than {1} there is no room: strips end in each other", "wider than {1} there is no room: strips end in each other",
                                      Note::Place::card};

/// Finishes edges. The part as for combine(). Nothing left is told by the empty result, with the largest width that leaves something.
/// Throws Stopped.
Result<BooleanResult> finish_edges(const Workpiece& part, const EdgeTable& edges, std::span<const Index> list, const FinishSettings& settings, const Control& control = {});

}  // namespace anvil
