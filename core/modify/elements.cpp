// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/elements.h"

#include <algorithm>

namespace anvil {
namespace {

/// Lists by owner out of pairs (owner, item) that are asked for in order.
template <class ForEachPair>
void fill_lists(std::size_t owners, std::vector<Index>& first, std::vector<Index>& list, ForEachPair&& for_each_pair) {
  first.assign(owners + 1, 0);
  for_each_pair([&](Index owner, Index) { ++first[owner + 1]; });
  for (std::size_t k = 0; k < owners; ++k) first[k + 1] += first[k];
  list.resize(first.back());
  std::vector<Index> at(first.begin(), first.end() - 1);
  for_each_pair([&](Index owner, Index item) { list[at[owner]++] = item; });
}

}  // namespace

const char* name_of(ElementKind kind, bool several) {
  switch (kind) {
    case ElementKind::vertices: return several ? "vertices" : "vertex";
    case ElementKind::edges: return several ? "edges" : "edge";
    case ElementKind::faces: break;
  }
  return several ? "faces" : "face";
}

Topology::Topology(const Mesh& mesh) : edges(build_edges(mesh)) {
  fill_lists(mesh.positions.size(), first_edge_, edge_list_, [&](auto&& put) {
    for (Index e = 0; e < edges.size(); ++e)
      for (Index v : edges.vertices[e]) put(v, e);
  });
  fill_lists(mesh.positions.size(), first_face_, face_list_, [&](auto&& put) {
    for (Index f = 0; f < mesh.face_count(); ++f) {
      const auto ring = mesh.face(f);
      for (std::size_t k = 0; k < ring.size(); ++k)
        if (std::find(ring.begin(), ring.begin() + static_cast<std::ptrdiff_t>(k), ring[k]) == ring.begin() + static_cast<std::ptrdiff_t>(k)) put(ring[k], f);
    }
  });
}

std::vector<Index> Topology::faces_on(Index edge) const {
  std::vector<Index> faces;
  for (Index corner : edges.corners_of(edge)) faces.push_back(edges.corner_face[corner]);
  return faces;
}

Index Topology::edge_between(Index v, Index w) const {
  for (Index e : edges_at(v))
    if (other_end(e, v) == w) return e;
  return no_index;
}

std::size_t Topology::count(const Mesh& mesh, ElementKind kind) const {
  switch (kind) {
    case ElementKind::vertices: return mesh.positions.size();
    case ElementKind::edges: return edges.size();
    case ElementKind::faces: break;
  }
  return mesh.face_count();
}

std::vector<Index> vertices_of(const Mesh& mesh, const Topology& topology, ElementKind kind, Index element) {
  switch (kind) {
    case ElementKind::vertices: return {element};
    case ElementKind::edges: return {topology.edges.vertices[element][0], topology.edges.vertices[element][1]};
    case ElementKind::faces: break;
  }
  const auto ring = mesh.face(element);
  return {ring.begin(), ring.end()};
}

Vec3 place_of(const Mesh& mesh, const Topology& topology, ElementKind kind, Index element) {
  Vec3 sum = Vec3::Zero();
  const std::vector<Index> vertices = vertices_of(mesh, topology, kind, element);
  for (Index v : vertices) sum += mesh.positions[v];
  return sum / static_cast<double>(vertices.size());
}

}  // namespace anvil
