// SPDX-License-Identifier: GPL-3.0-or-later
// Takes out faces whose corners lie on one line. Its neighbour over each long side gets the corners on that side instead.
#include <algorithm>

#include "core/mend/cut_on_edges.h"
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_zero_area(MendJob& job, Deed& deed) {
  const Mesh& mesh = job.mesh;
  const EdgeTable& edges = job.analysis.edges;
  CutOnEdges cuts(mesh, job.edit);
  std::vector<char> held(mesh.face_count(), 0);  // a neighbour that was changed waits for the next look
  for (const Defect& defect : job.of(families::zero_area_faces)) {
    const Index f = defect.faces[0];
    if (held[f]) continue;
    const auto ring = mesh.face(f);
    // All corners by their place on the line.
    const Vec3 origin = mesh.positions[ring[0]];
    Vec3 along = Vec3::Zero();
    for (Index v : ring)
      if ((mesh.positions[v] - origin).squaredNorm() > along.squaredNorm()) along = mesh.positions[v] - origin;
    const auto place = [&](Index v) { return (mesh.positions[v] - origin).dot(along); };
    std::vector<std::pair<Index, std::vector<Index>>> gets;  // corner of the neighbour, vertices on its edge
    bool waits = false;
    for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) {
      if (edges.corner_edge[c] == no_index) continue;
      const Index v = mesh.corners[c], w = mesh.corners[next_corner(mesh, f, c)];
      std::vector<Index> between;
      for (Index x : ring)
        if (x != v && x != w && (place(x) - place(v)) * (place(x) - place(w)) < 0 && std::find(between.begin(), between.end(), x) == between.end()) between.push_back(x);
      for (Index use : edges.corners_of(edges.corner_edge[c])) {
        const Index g = edges.corner_face[use];
        if (g == f) continue;
        waits = waits || held[g];
        if (!between.empty()) gets.push_back({use, between});
      }
    }
    if (waits) continue;
    held[f] = 1;
    for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c)
      if (edges.corner_edge[c] != no_index)
        for (Index use : edges.corners_of(edges.corner_edge[c])) held[edges.corner_face[use]] = 1;
    job.edit.remove_face(f);
    for (const auto& [use, between] : gets)
      for (Index v : between) cuts.add(use, edges.corner_face[use], v);
    ++deed.count;
    deed.places.push_back(defect.position);
  }
  cuts.carry_out();
}

constexpr Note did_zero_area{"zero_area_taken_out", "1 face of no area taken out", "{0} faces of no area taken out", Note::Place::card};

}  // namespace

const Mender menders::zero_area = {"zero-area", "Take out zero-area faces", &families::zero_area_faces,
                                   "take out 1 face of no area", "take out {0} faces of no area", 30, true,
                                   "Faces whose corners lie on one line go; the faces beside them meet instead.", apply_zero_area, &did_zero_area, nullptr, true};

}  // namespace anvil
