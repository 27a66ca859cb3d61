// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/soup.h"

#include <algorithm>

#include "core/exact/predicates.h"
#include "core/mesh/boundary.h"
#include "core/mesh/weld.h"
#include "core/soundness/analysis.h"

namespace anvil::recast {
namespace {

constexpr Note faces_turned{"recast_faces_turned", "1 face of {1} was taken the other way round", "{0} faces of {1} were taken the other way round"};

/// Does a triangle repeat one before it, the same way round? @param edges  of the mesh, before triangles were turned over
bool repeats(const Mesh& mesh, const EdgeTable& edges, Index t) {
  const Index edge = edges.corner_edge[3 * t];
  if (edge == no_index) return false;
  const auto ring = mesh.face(t);
  const auto uses = edges.corners_of(edge);
  return std::any_of(uses.begin(), uses.end(), [&](Index use) {
    const Index other = edges.corner_face[use];
    if (other >= t) return false;
    const auto its = mesh.face(other);
    const auto at = static_cast<std::size_t>(std::find(its.begin(), its.end(), ring[0]) - its.begin());
    return at < 3 && its[(at + 1) % 3] == ring[1] && its[(at + 2) % 3] == ring[2];
  });
}

}  // namespace

Soup soup_of(std::span<const Part> parts, OperationReport& report, const Control& control) {
  Soup soup;
  for (Index k = 0; k < parts.size(); ++k) {
    Mesh placed = *parts[k].mesh;
    place(placed, parts[k].placement);
    const WeldMap weld = weld_equal(placed.positions);
    Mesh mesh;
    for (Index v : weld.first) mesh.positions.push_back(placed.positions[v]);
    const TriangleList list = triangulate(placed);
    for (const Triangle& t : list.triangles) mesh.add_face({weld.id[t[0]], weld.id[t[1]], weld.id[t[2]]});
    check_stop(control);
    const Analysis analysis(mesh, 0, control.stop);
    std::vector<char> turned(mesh.face_count(), 0);
    for (Index t : analysis.orientation().flipped) turned[t] = 1;
    std::vector<char> face_turned(placed.face_count(), 0);
    for (Index t = 0; t < mesh.face_count(); ++t) face_turned[list.face[t]] = face_turned[list.face[t]] || turned[t];
    const auto count = static_cast<std::size_t>(std::count(face_turned.begin(), face_turned.end(), 1));
    if (count > 0) report.tell(faces_turned, count, parts[k].name);
    for (Index t = 0; t < mesh.face_count(); ++t)
      if (turned[t]) std::swap(mesh.corners[3 * t], mesh.corners[3 * t + 1]);
    const bool closed = is_closed(mesh);
    soup.closed = soup.closed && closed;
    const auto first = static_cast<Index>(soup.positions.size());
    soup.positions.insert(soup.positions.end(), mesh.positions.begin(), mesh.positions.end());
    for (Index t = 0; t < mesh.face_count(); ++t) {
      const Index a = mesh.corners[3 * t], b = mesh.corners[3 * t + 1], c = mesh.corners[3 * t + 2];
      const Vec3 &p = mesh.positions[a], &q = mesh.positions[b], &r = mesh.positions[c];
      if (collinear(p, q, r) || (!closed && repeats(mesh, analysis.edges, t))) continue;
      const Vec3 n = (q - p).cross(r - p).stableNormalized();
      soup.triangles.push_back({first + a, first + b, first + c});
      soup.normals.push_back(n);
      soup.part.push_back(k);
      soup.face.push_back(list.face[t]);
    }
  }
  return soup;
}

}  // namespace anvil::recast
