// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/soundness/face_notes.h"

namespace anvil {
namespace {

std::vector<Defect> find_non_planar_faces(const Analysis& a) {
  if (a.triangles_only) return {};
  return defects_of_faces_that(a, families::non_planar_faces, "face that is not flat", "faces that are not flat", [&](Index f) {
    const auto ring = a.mesh.face(f);
    if (ring.size() < 4) return false;
    const Vec3 normal = newell_normal(a.mesh.positions, a.mesh.face(f)), middle = a.face_centre(f);
    const double size = normal.norm();
    if (!(size > 0)) return false;
    // Coordinates themselves are rounded.
    const double slack = std::max(a.tolerance, 0x1p-50 * middle.cwiseAbs().maxCoeff());
    return std::any_of(ring.begin(), ring.end(), [&](Index v) { return std::abs(normal.dot(a.mesh.positions[v] - middle)) > slack * size; });
  });
}

}  // namespace

/// Polygons with a corner farther than the tolerance from their plane.
const Family families::non_planar_faces = {"non_planar_faces", "Faces that are not flat", "face that is not flat", "faces that are not flat", Marker::hook,
                                FamilyRole::note, 150, find_non_planar_faces};

}  // namespace anvil
