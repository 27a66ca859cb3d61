// SPDX-License-Identifier: GPL-3.0-or-later
// Which faces meet at each edge. Derived from a mesh, never stored with it.
#pragma once

#include "core/mesh/mesh.h"

namespace anvil {

/// All undirected edges of a polygon mesh and, for each, the corners that start there.
///
/// A corner c stands for the directed edge from corners[c] to the next corner of its face. Edges are
/// ordered by their smaller vertex, then by the larger. Edges from a vertex to itself are left out.
struct EdgeTable {
  std::vector<std::array<Index, 2>> vertices;  ///< smaller vertex first
  std::vector<Index> first_use{0};             ///< edge e owns uses [first_use[e], first_use[e + 1])
  std::vector<Index> uses;                     ///< corners
  std::vector<Index> corner_face;              ///< face of every corner of the mesh
  std::vector<Index> corner_edge;              ///< edge of every corner; no_index for a self-edge

  std::size_t size() const { return vertices.size(); }
  std::span<const Index> corners_of(std::size_t e) const {
    return {uses.data() + first_use[e], uses.data() + first_use[e + 1]};
  }
};

/// Next corner within the same face.
inline Index next_corner(const Mesh& mesh, Index face, Index corner) {
  return corner + 1 == mesh.face_offsets[face + 1] ? mesh.face_offsets[face] : corner + 1;
}

/// Builds the table in O(corners).
/// @param vertex_id  when not empty, replaces every vertex by vertex_id[vertex] first, so that vertices at
///                   one position can be treated as one; ids must be smaller than positions.size()
EdgeTable build_edges(const Mesh& mesh, std::span<const Index> vertex_id = {});

/// Next corner of a triangle in a list of triangles, where triangle t has the corners 3 t to 3 t + 2.
inline Index next_in_triangle(Index corner) { return corner % 3 == 2 ? corner - 2 : corner + 1; }

/// The corner across each edge of a list of triangles: for corner 3 t + k, the corner 3 u + l from which triangle u of the
/// same part runs the edge (k, k + 1) of t the other way; no_index where not exactly two triangles of the part meet there,
/// one each way.
/// @param part      of each triangle; empty when all are of one
/// @param vertices  how many there are
std::vector<Index> find_opposites(std::span<const Triangle> triangles, std::span<const Index> part, std::size_t vertices);
/// Marks vertices where more than one closed fan of one part meets, or where a part has an edge without an opposite
/// half-edge.
void mark_maybe_non_manifold(std::span<const Triangle> triangles, std::span<const Index> opposite, std::vector<char>& maybe_non_manifold);

}  // namespace anvil
