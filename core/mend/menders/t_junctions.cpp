// SPDX-License-Identifier: GPL-3.0-or-later
// Gives an edge the vertices that lie on its inside as corners, so that both sides have the same edges.
#include "core/mend/cut_on_edges.h"
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_t_junctions(MendJob& job, Deed& deed) {
  const Mesh& mesh = job.mesh;
  CutOnEdges cuts(mesh, job.edit);
  for (const Defect& defect : job.of(families::t_junctions)) {
    const Index v = defect.vertices[0];
    bool any = false;
    for (std::size_t k = 0; k < defect.edges.size(); ++k) {
      const Index f = defect.faces[k];
      const auto ring = mesh.face(f);
      if (std::find(ring.begin(), ring.end(), v) != ring.end()) continue;  // would fold the face
      for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c)
        if (mesh.corners[c] == defect.edges[k][0] && mesh.corners[next_corner(mesh, f, c)] == defect.edges[k][1]) cuts.add(c, f, v), any = true;
    }
    if (!any) continue;
    ++deed.count;
    deed.places.push_back(defect.position);
  }
  cuts.carry_out();
}

constexpr Note did_t_junctions{"t_junctions_closed", "1 T-junction closed", "{0} T-junctions closed", Note::Place::card};

}  // namespace

const Mender menders::t_junctions = {"t-junctions", "Close T-junctions", &families::t_junctions,
                                     "give 1 edge the vertex that lies on it", "give edges the {0} vertices that lie on them", 70, true,
                                     "A vertex on the inside of another face's edge becomes a corner of that face.", apply_t_junctions, &did_t_junctions, nullptr, true};

}  // namespace anvil
