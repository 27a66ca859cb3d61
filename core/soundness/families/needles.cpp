// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/face_notes.h"

namespace anvil {
namespace {

std::vector<Defect> find_needles(const Analysis& a) {
  return defects_of_faces_that(a, families::needles, "needle", "needles", [&](Index f) {
    if (a.mesh.face(f).size() != 3) return false;
    const TriangleShape shape = shape_of(a, f);
    return shape.shortest > 0 && slender * shape.shortest < shape.middle;
  });
}

}  // namespace

/// Triangles with one side far shorter than the two others.
const Family families::needles = {"needles", "Needles", "needle", "needles", Marker::dot,
                                FamilyRole::note, 140, find_needles};

}  // namespace anvil
