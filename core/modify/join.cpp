// SPDX-License-Identifier: GPL-3.0-or-later
// Putting meshes together and welding them where they meet.
#include <algorithm>

#include "core/mesh/near_points.h"
#include "core/mesh/union_find.h"
#include "core/modify/edits.h"
#include "core/modify/weld.h"

namespace anvil {
namespace {

/// Vertices of open edges.
std::vector<Index> rim_of(const Mesh& mesh) {
  const EdgeTable edges = build_edges(mesh);
  std::vector<char> open(mesh.positions.size(), 0);
  for (Index e = 0; e < edges.size(); ++e)
    if (edges.corners_of(e).size() == 1)
      for (Index v : edges.vertices[e]) open[v] = 1;
  std::vector<Index> rim;
  for (Index v = 0; v < open.size(); ++v)
    if (open[v]) rim.push_back(v);
  return rim;
}

}  // namespace

Joined join(std::span<const Mesh* const> meshes, double distance) {
  Mesh all;
  FaceSources sources;
  std::vector<Index> of_vertex;
  for (Index k = 0; k < meshes.size(); ++k) {
    Mesh next = *meshes[k];
    next.origins.clear();
    if (k == 0)
      all = std::move(next);
    else
      append(all, next);
    of_vertex.resize(all.positions.size(), k);
    for (Index f = 0; f < meshes[k]->face_count(); ++f) sources.add(k, f);
  }
  const std::vector<Index> rim = rim_of(all);
  std::vector<Vec3> points;
  for (Index v : rim) points.push_back(all.positions[v]);
  // What is at one place differs by rounding once a placement was carried out.
  const double rounding = 1e-12 * bounds(all).diagonal(), reach = std::max(distance, rounding);
  UnionFind sets(rim.size());
  if (!points.empty() && reach > 0)
    for_each_near_pair(points, reach, [&](Index i, Index j) {
      if (of_vertex[rim[i]] != of_vertex[rim[j]]) sets.unite(i, j);
    });
  std::vector<Index> set_of;
  std::vector<std::vector<Index>> clusters(sets.number(set_of));
  for (Index i = 0; i < rim.size(); ++i) clusters[set_of[i]].push_back(rim[i]);
  const FacesAt faces = faces_at(all, rim);
  MeshEditor edit(all);
  Joined out;
  for (const auto& cluster : clusters) {
    if (cluster.size() < 2) continue;
    const Vec3 at = meeting_place(all, cluster);
    if (!is_harmless_weld(all, cluster, at, reach, faces)) continue;
    for (std::size_t k = 1; k < cluster.size(); ++k) edit.merge_vertex(cluster[k], cluster[0]);
    // The first mesh keeps its place where the gap is rounding only.
    if ((at - all.positions[cluster[0]]).norm() > rounding) edit.move_vertex(cluster[0], at);
    out.welded += cluster.size() - 1;
  }
  EditedMesh made = edit.finish();
  for (Index f : made.source) out.sources.add(sources.input[f], sources.face[f]);
  out.mesh = std::move(made.mesh);
  return out;
}

}  // namespace anvil
