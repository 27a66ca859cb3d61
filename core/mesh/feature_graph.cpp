// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/feature_graph.h"

#include <algorithm>
#include <cmath>

namespace anvil {

std::optional<FeatureGraph> FeatureGraph::of(const Mesh& mesh, const EdgeTable& edges, double within, const std::vector<char>& kept, const Control& control) {
  FeatureGraph g;
  const auto listen = [&control](Index k) {
    if (k % 4096 == 0) check_stop(control);
  };
  // The corner that runs an edge the other way.
  std::vector<Index> opposite(mesh.corners.size(), no_index);
  for (Index e = 0; e < edges.size(); ++e) {
    listen(e);
    const auto uses = edges.corners_of(e);
    if (uses.size() != 2 || mesh.corners[uses[0]] == mesh.corners[uses[1]]) return std::nullopt;
    opposite[uses[0]] = uses[1], opposite[uses[1]] = uses[0];
  }
  for (Index o : opposite)
    if (o == no_index) return std::nullopt;  // an edge from a vertex to itself
  // Facets grow from the largest faces: their planes are the surest.
  std::vector<Vec3> normals(mesh.face_count());
  std::vector<double> areas(mesh.face_count());
  std::vector<Index> order(mesh.face_count());
  for (Index f = 0; f < mesh.face_count(); ++f) {
    normals[f] = newell_normal(mesh.positions, mesh.face(f));
    areas[f] = normals[f].squaredNorm();
    normals[f] = normals[f].stableNormalized();
    order[f] = f;
  }
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return areas[a] > areas[b]; });
  g.facet_of.assign(mesh.face_count(), no_index);
  for (Index seed : order) {
    if (g.facet_of[seed] != no_index) continue;
    const auto id = static_cast<Index>(g.facets.size());
    listen(id);
    Facet& facet = g.facets.emplace_back();
    facet.normal = normals[seed];
    const Vec3 origin = mesh.positions[mesh.face(seed)[0]];
    facet.faces = {seed};
    g.facet_of[seed] = id;
    for (std::size_t k = 0; k < facet.faces.size(); ++k) {
      const Index f = facet.faces[k];
      for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) {
        const Index other = edges.corner_face[opposite[c]];
        if (g.facet_of[other] != no_index || kept[edges.corner_edge[c]]) continue;
        const auto face = mesh.face(other);
        // A sliver's own normal says little; its corners do.
        const bool flat = std::all_of(face.begin(), face.end(), [&](Index v) { return std::abs(facet.normal.dot(mesh.positions[v] - origin)) <= within; });
        if (!flat || normals[other].dot(facet.normal) < 0.5) continue;
        g.facet_of[other] = id;
        facet.faces.push_back(other);
      }
    }
  }
  g.edge_of.assign(edges.size(), no_index);
  std::vector<Index> half_at(mesh.corners.size(), no_index);
  for (Index e = 0; e < edges.size(); ++e) {
    listen(e);
    const auto uses = edges.corners_of(e);
    const Index f = g.facet_of[edges.corner_face[uses[0]]], h = g.facet_of[edges.corner_face[uses[1]]];
    if (f == h && !kept[e]) continue;
    g.edge_of[e] = g.edge_count();
    g.mesh_edge.push_back(e);
    for (Index use : uses) {
      half_at[use] = static_cast<Index>(g.halves.size());
      g.halves.push_back({mesh.corners[use], mesh.corners[next_corner(mesh, edges.corner_face[use], use)], g.facet_of[edges.corner_face[use]], use, no_index, no_index});
    }
  }
  for (Index h = 0; h < g.halves.size(); ++h) {
    listen(h);
    // Within the facet around the head to the next border.
    Index c = next_corner(mesh, edges.corner_face[g.halves[h].corner], g.halves[h].corner);
    while (half_at[c] == no_index) c = next_corner(mesh, edges.corner_face[opposite[c]], opposite[c]);
    g.halves[h].next = half_at[c];
    g.halves[half_at[c]].previous = h;
  }
  std::vector<char> seen(g.halves.size(), 0);
  for (Index h = 0; h < g.halves.size(); ++h) {
    if (seen[h]) continue;
    FeatureGraph::Facet& facet = g.facets[g.halves[h].facet];
    facet.loops.push_back(h);
    for (Index at = h; !seen[at]; at = g.halves[at].next) seen[at] = 1, ++facet.size;
  }
  g.cell_of.assign(g.halves.size(), no_index);
  for (Index h = 0; h < g.halves.size(); ++h) {
    listen(h);
    if (g.cell_of[h] != no_index) continue;
    Cell cell{g.halves[h].from, {}};
    for (Index at = h; g.cell_of[at] == no_index; at = twin(g.halves[at].previous)) {
      g.cell_of[at] = static_cast<Index>(g.cells.size());
      cell.out.push_back(at);
    }
    g.cells.push_back(std::move(cell));
  }
  return g;
}

}  // namespace anvil
