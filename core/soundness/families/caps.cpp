// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/face_notes.h"

namespace anvil {
namespace {

std::vector<Defect> find_caps(const Analysis& a) {
  return defects_of_faces_that(a, families::caps, "cap", "caps", [&](Index f) {
    if (a.mesh.face(f).size() != 3) return false;
    const TriangleShape shape = shape_of(a, f);
    return shape.height > 0 && slender * shape.height < shape.longest && slender * shape.shortest >= shape.middle;
  });
}

}  // namespace

/// Triangles whose longest side nearly is the two others: far lower than long, without a short side.
const Family families::caps = {"caps", "Caps", "cap", "caps", Marker::dot,
                                FamilyRole::note, 145, find_caps};

}  // namespace anvil
