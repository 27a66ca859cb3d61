// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/face_notes.h"

namespace anvil {
namespace {

std::vector<Defect> find_ngons(const Analysis& a) {
  if (a.triangles_only) return {};
  return defects_of_faces_that(a, families::ngons, "face of more than four corners", "faces of more than four corners", [&](Index f) {
    return a.mesh.face(f).size() > 4;
  });
}

}  // namespace

/// Polygons with more than four corners.
const Family families::ngons = {"ngons", "Faces of more than four corners", "face of more than four corners", "faces of more than four corners", Marker::hook,
                                FamilyRole::note, 170, find_ngons};

}  // namespace anvil
