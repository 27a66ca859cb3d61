// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices, edges and faces chosen out of a mesh, and the adjacency that choosing and editing walk along.
#pragma once

#include "core/mesh/edges.h"

namespace anvil {

enum class ElementKind { vertices, edges, faces };

/// "vertex", "edge", "face"; with "s" and so on for several.
const char* name_of(ElementKind kind, bool several);

/// Chosen elements of one kind, in the order of choosing, each once. Edges are numbered as in the EdgeTable of their mesh.
struct Elements {
  ElementKind kind = ElementKind::faces;
  std::vector<Index> list;
  bool empty() const { return list.empty(); }
  std::size_t size() const { return list.size(); }
  bool operator==(const Elements&) const = default;
};

/// Which faces and edges meet at each vertex. Any polygon mesh.
struct Topology {
  explicit Topology(const Mesh& mesh);

  EdgeTable edges;
  std::span<const Index> edges_at(Index v) const { return {edge_list_.data() + first_edge_[v], edge_list_.data() + first_edge_[v + 1]}; }
  std::span<const Index> faces_at(Index v) const { return {face_list_.data() + first_face_[v], face_list_.data() + first_face_[v + 1]}; }
  /// Faces on an edge, in the order of their corners.
  std::vector<Index> faces_on(Index edge) const;
  /// no_index when there is no such edge.
  Index edge_between(Index v, Index w) const;
  Index other_end(Index edge, Index v) const { return edges.vertices[edge][edges.vertices[edge][0] == v]; }
  std::size_t count(const Mesh& mesh, ElementKind kind) const;

 private:
  std::vector<Index> first_edge_, edge_list_, first_face_, face_list_;
};

/// Vertices of one element: itself, the two ends, the ring.
std::vector<Index> vertices_of(const Mesh& mesh, const Topology& topology, ElementKind kind, Index element);
/// The vertex, the middle of the edge, the centroid of the ring.
Vec3 place_of(const Mesh& mesh, const Topology& topology, ElementKind kind, Index element);

}  // namespace anvil
