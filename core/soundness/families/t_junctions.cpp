// SPDX-License-Identifier: GPL-3.0-or-later
// A vertex on the inside of another face's edge: the edge on one side is two edges on the other, and both stay open.
#include <tbb/enumerable_thread_specific.h>

#include <algorithm>

#include "core/exact/predicates.h"
#include "core/mesh/bvh.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// Is p on the inside of edge ab: exactly, or within a tolerance that is not reached at the ends?
bool lies_inside(const Vec3& a, const Vec3& b, const Vec3& p, double tolerance) {
  const Vec3 along = b - a;
  const double t = (p - a).dot(along), length = along.squaredNorm();
  if (!(t > 0 && t < length)) return false;
  if (tolerance == 0) return collinear(a, b, p) && p != a && p != b;
  return (p - a).norm() > tolerance && (p - b).norm() > tolerance && (a + t / length * along - p).norm() <= tolerance;
}

std::vector<Defect> find_junctions(const Analysis& a) {
  // Where an edge has its two faces, what touches it is a crossing and told as that.
  const EdgeTable& edges = a.position_edges();
  std::vector<Index> open;
  for (Index e = 0; e < edges.size(); ++e)
    if (edges.corners_of(e).size() != 2) open.push_back(e);
  std::vector<Defect> defects;
  if (open.empty()) return defects;
  std::vector<Index> a_face(a.positions.first.size(), no_index);  // of each position in use, one that has it
  for (Index f = 0; f < a.mesh.face_count(); ++f)
    for (Index v : a.mesh.face(f)) a_face[a.positions.id[v]] = std::min(a_face[a.positions.id[v]], f);
  std::vector<Vec3> points;
  for (Index first : a.positions.first) points.push_back(a.mesh.positions[first]);
  // Edges and points as triangles without area.
  std::vector<Triangle> things;
  std::vector<Index> groups;
  const auto place = [&](Index e, std::size_t end) { return a.positions.id[edges.vertices[e][end]]; };
  for (Index e : open) things.push_back({place(e, 0), place(e, 1), place(e, 1)}), groups.push_back(0);
  for (Index p = 0; p < points.size(); ++p)
    if (a_face[p] != no_index) things.push_back({p, p, p}), groups.push_back(1);
  tbb::enumerable_thread_specific<std::vector<std::array<Index, 2>>> parts;  // place in `open`, point
  Bvh(points, things, a.tolerance, groups)
      .for_each_pair(
          [&](Index i, Index j) {
            const Index edge = std::min(i, j), p = things[std::max(i, j)][0];
            const auto& [v, w, same] = things[edge];
            if (p != v && p != w && lies_inside(points[v], points[w], points[p], a.tolerance)) parts.local().push_back({edge, p});
          },
          a.stop);
  std::vector<std::array<Index, 2>> found;
  for (const auto& part : parts) found.insert(found.end(), part.begin(), part.end());
  std::sort(found.begin(), found.end());
  for (const auto& [k, p] : found) {
    const auto uses = edges.corners_of(open[k]);
    Defect defect = defect_around(families::t_junctions, {points[p]}, "vertex on the inside of another face's edge");
    defect.vertices.push_back(a.positions.first[p]);
    for (Index c : uses) {
      const Index f = edges.corner_face[c];
      defect.edges.push_back({a.mesh.corners[c], a.mesh.corners[next_corner(a.mesh, f, c)]});
      defect.faces.push_back(f);
    }
    defect.faces.push_back(a_face[p]);
    defects.push_back(std::move(defect));
  }
  return defects;
}

}  // namespace

/// Vertices that lie on the inside of an edge that has not its two faces, exactly or within the tolerance. The first faces of
/// a record have that edge, the last one has the vertex.
const Family families::t_junctions = {"t_junctions", "T-junctions", "T-junction", "T-junctions", Marker::ring,
                                      FamilyRole::remark, 104, find_junctions};

}  // namespace anvil
