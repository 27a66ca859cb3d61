// SPDX-License-Identifier: GPL-3.0-or-later
// Fresh edges from one call to the next: formats have no place for them, so they stand in a small file beside the mesh.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "core/mesh/mesh.h"
#include "core/result.h"

namespace anvil::cli {

/// Edges by the places of their ends.
using PlacedEdges = std::vector<std::array<Vec3, 2>>;

PlacedEdges placed(const Mesh& mesh, const std::vector<std::array<Index, 2>>& edges);

/// Where those of the mesh in a file stand.
std::string fresh_edges_file(const std::string& path);

/// Writes "OUT.fresh" for the edges that are of a mesh, with a checksum of its file OUT, by which it is known to be of that; where there
/// is no such edge, one that stands there goes. A file of that name that is something else stays, which is said.
Result<bool> write_fresh_edges(const std::string& output, const Mesh& mesh, const PlacedEdges& edges);

/// The fresh edges of the mesh that was read from a file; none where no file of that name says so, or that is of another content.
std::vector<std::array<Index, 2>> read_fresh_edges(const std::string& input, const Mesh& mesh);

}  // namespace anvil::cli
