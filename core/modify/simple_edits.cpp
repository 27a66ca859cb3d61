// SPDX-License-Identifier: GPL-3.0-or-later
// Edits that go element by element.
#include "core/mesh/triangulate.h"
#include "core/modify/edits.h"

namespace anvil {

Edited delete_faces(const Mesh& mesh, std::span<const Index> faces) {
  MeshEditor edit(mesh);
  for (Index f : faces) edit.remove_face(f);
  return {edit.finish(), faces.size(), {}, {}};
}

Edited turn_faces(const Mesh& mesh, std::span<const Index> faces) {
  MeshEditor edit(mesh);
  for (Index f : faces) edit.reverse_face(f);
  return {edit.finish(), faces.size(), {}, {}};
}

Edited triangulate_faces(const Mesh& mesh, std::span<const Index> faces) {
  MeshEditor edit(mesh);
  std::size_t cut = 0;
  for (Index f : faces) {
    if (mesh.face(f).size() < 4) continue;
    std::vector<std::vector<Index>> triangles;
    for (const Triangle& t : triangulate(mesh.positions, mesh.face(f))) triangles.push_back({t.begin(), t.end()});
    edit.split_face(f, std::move(triangles));
    ++cut;
  }
  return {edit.finish(), cut, {}, {}};
}

Result<Edited> weld_chosen(const Mesh& mesh, std::span<const Index> vertices, WeldTo to) {
  if (vertices.size() < 2) return Issue{"welding takes two vertices or more", "", {}, "choose the vertices that are to become one"};
  const Vec3& first = mesh.positions[vertices[0]];
  Vec3 at = mesh.positions[vertices.back()];
  if (to == WeldTo::middle) {
    Vec3 sum = Vec3::Zero();
    for (Index v : vertices) sum += mesh.positions[v] - first;  // what lies at one place stays there, bit for bit
    at = first + sum / static_cast<double>(vertices.size());
  }
  MeshEditor edit(mesh);
  for (std::size_t k = 0; k + 1 < vertices.size(); ++k) edit.merge_vertex(vertices[k], vertices.back());
  if (at != mesh.positions[vertices.back()]) edit.move_vertex(vertices.back(), at);
  return Edited{edit.finish(), vertices.size() - 1, {}, {}};
}

Result<Edited> slide_vertex(const Mesh& mesh, const Topology& topology, Index v, Index towards, double share) {
  if (topology.edge_between(v, towards) == no_index)
    return Issue{"no edge joins the two vertices", "", {mesh.positions[v], mesh.positions[towards]}, "choose a vertex and then the other end of one of its edges"};
  MeshEditor edit(mesh);
  edit.move_vertex(v, mesh.positions[v] + share * (mesh.positions[towards] - mesh.positions[v]));
  return Edited{edit.finish(), 1, {}, {}};
}

Edited split_edges(const Mesh& mesh, const Topology& topology, std::span<const Index> edges, Index parts, const Control& control) {
  MeshEditor edit(mesh);
  for (Index e : edges) {
    check_stop(control);
    const auto [v, w] = topology.edges.vertices[e];
    std::vector<Index> between;
    for (Index k = 1; k < parts; ++k) between.push_back(edit.add_vertex(mesh.positions[v] + static_cast<double>(k) / parts * (mesh.positions[w] - mesh.positions[v])));
    for (Index f : topology.faces_on(e)) edit.insert_on_edge(f, v, w, between);
  }
  return {edit.finish(), edges.size(), {}, {}};
}

}  // namespace anvil
