// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/exact/predicates.h"
#include "core/soundness/face_notes.h"

namespace anvil {
namespace {

std::vector<Defect> find_concave_faces(const Analysis& a) {
  if (a.triangles_only) return {};
  return defects_of_faces_that(a, families::concave_faces, "concave face", "concave faces", [&](Index f) {
    const auto ring = a.mesh.face(f);
    if (ring.size() < 4) return false;
    const Projection plane = Projection::along(newell_normal(a.mesh.positions, a.mesh.face(f)));
    for (std::size_t k = 0; k < ring.size(); ++k) {
      const Vec3 &p = a.mesh.positions[ring[k]], &q = a.mesh.positions[ring[(k + 1) % ring.size()]], &r = a.mesh.positions[ring[(k + 2) % ring.size()]];
      if (orient2d(plane(p), plane(q), plane(r)) < 0) return true;
    }
    return false;
  });
}

}  // namespace

/// Polygons with a corner that turns the other way.
const Family families::concave_faces = {"concave_faces", "Concave faces", "concave face", "concave faces", Marker::hook,
                                FamilyRole::note, 160, find_concave_faces};

}  // namespace anvil
