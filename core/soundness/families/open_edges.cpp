// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/mesh/boundary.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// "in triangles", "in quads", "in polygons", "in faces of several kinds".
const char* kind_around(const Analysis& a, const std::vector<Index>& faces) {
  const std::size_t corners = a.mesh.face(faces[0]).size();
  for (Index f : faces)
    if (a.mesh.face(f).size() != corners) return "in faces of several kinds";
  return corners == 3 ? "in triangles" : corners == 4 ? "in quads" : "in polygons";
}

std::vector<Defect> find_open_edges(const Analysis& a) {
  std::vector<Defect> defects;
  if (a.open_edge_count == 0) return defects;
  for (const BoundaryChain& chain : boundary_chains(a.edges)) {
    std::vector<Vec3> points;
    std::vector<Index> faces;
    double length = 0;
    for (Index e : chain.edges) {
      const auto [v, w] = a.edges.vertices[e];
      points.insert(points.end(), {a.mesh.positions[v], a.mesh.positions[w]});
      length += (points.back() - points[points.size() - 2]).norm();
      faces.push_back(a.edges.corner_face[a.edges.corners_of(e)[0]]);
    }
    const bool planar = chain.closed && is_flat(a.mesh.positions, chain.vertices, a.tolerance);
    Defect defect = defect_around(families::open_edges, points,
                                  fmt::format("{}{}, {} edges {}, {:.4g} mm", planar ? "flat " : "", chain.closed ? "hole" : "open rim",
                                              chain.edges.size(), kind_around(a, faces), length));
    defect.kind = chain.closed ? "hole" : "open_rim";
    defect.count = chain.edges.size();
    defect.length = length;
    defect.planar = planar;
    for (Index e : chain.edges) defect.edges.push_back(a.edges.vertices[e]);
    defect.vertices = chain.vertices;
    defect.faces = std::move(faces);
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Edges with one face, by holes and open rims.
const Family families::open_edges = {"open_edges", "Open edges and holes", "open edge", "open edges",
                                     Marker::ring, FamilyRole::defect,     0,           find_open_edges};

}  // namespace anvil
