// SPDX-License-Identifier: GPL-3.0-or-later
// Sharp edges that were given back, made whole: led over the gaps in them and into their corners, and put where the sides meet as these are told from farther away.
#pragma once

#include "core/control.h"
#include "core/mesh/mesh_editor.h"

namespace anvil::recast {

struct ClosedGaps {
  EditedMesh mesh;
  std::vector<std::array<Index, 2>> edges;  ///< those that were made, as vertex pairs
};

/// @param edges         as vertex pairs; those at which the surface turns by less than the angle count for nothing
/// @param sharper_than  degrees
/// @param usual         the usual length of an edge, mesh units
/// @param keep_sound    of a sound mesh: gaps whose closing would make it unsound stay open
ClosedGaps close_edge_gaps(const Mesh& mesh, const std::vector<std::array<Index, 2>>& edges, double sharper_than, double usual, bool keep_sound, const Control& control);

/// Moves the vertices of sharp edges to where the surfaces beside them meet, and those near them on to their side (core/modify/onto_sides.h).
/// @param keep_sound  of a sound mesh: edges stay where it would become unsound
EditedMesh settle_edges(const Mesh& mesh, const std::vector<std::array<Index, 2>>& edges, double sharper_than, double usual, bool keep_sound, const Control& control);

}  // namespace anvil::recast
