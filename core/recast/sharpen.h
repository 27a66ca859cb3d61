// SPDX-License-Identifier: GPL-3.0-or-later
// Sharp edges given back to a mesh that was made on a grid and lost them.
#pragma once

#include "core/control.h"
#include "core/mesh/mesh.h"
#include "core/report.h"

namespace anvil {

struct SharpenSettings {
  double sharper_than = 30;  ///< degrees: the least turn of an edge that is given back
  double reach = 0;          ///< how far from an edge its sides are looked for, mesh units; 0: about four of the mesh's usual edges
};

struct Sharpened {
  Mesh mesh;                   ///< faces at moved vertices are triangles; attributes are carried over
  std::vector<Index> source;   ///< per face, which face it was
  std::size_t moved = 0;       ///< vertices that stand on an edge or in a corner now
  std::vector<std::array<Index, 2>> edges;  ///< the edges that were given back, as vertex pairs
  OperationReport report;
  bool is_sound = false;       ///< proven; of a mesh that was not it need not be
};

/// Finds the vertices on the rounded strip that a grid leaves along a sharp edge, and moves them to where the surfaces beside it meet.
///
/// As in Attene, Falcidieno, Rossignac and Spagnuolo, "Sharpen&Bend: recovering curved sharp edges in triangle meshes produced by feature-insensitive sampling" (IEEE TVCG 11(2), 2005), the strip
/// is what lies between smooth regions. It departs from that in what it moves and whereto: not new vertices in chamfer triangles, but the strip's own, each to the planes, line or corner in which
/// the regions around it meet when they are carried on with the curvature that they have there; and triangles are turned so that the edge runs along theirs. Where regions carried on meet
/// at less than the angle there is no edge, so that rounds larger than the grid stay.
/// Vertices whose moving would make the mesh unsound stay, which is told.
/// @param name  of the part, for messages. Throws Stopped.
/// @return sound if the mesh was
Sharpened sharpen(const Mesh& mesh, const std::string& name, const SharpenSettings& settings, const Control& control = {});

}  // namespace anvil
