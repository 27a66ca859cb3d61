// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

std::vector<Defect> find_zero_area(const Analysis& a) {
  // A polygon has no area when all its triangles have none.
  const auto& face = a.triangles.face;
  std::vector<Defect> defects;
  for (std::size_t i = 0; i < face.size();) {
    bool flat = true;
    const Index f = face[i];
    for (; i < face.size() && face[i] == f; ++i) flat = flat && a.degenerate[i];
    if (flat)
      defects.push_back(
          defect_of_faces(a, families::zero_area_faces, {f}, "face whose corners lie on one line"));
  }
  return defects;
}

}  // namespace

/// Faces whose corners lie exactly on one line, or one of which is nowhere (not a number).
const Family families::zero_area_faces = {"zero_area_faces",
                                          "Zero-area faces",
                                          "zero-area face",
                                          "zero-area faces",
                                          Marker::dot,
                                          FamilyRole::defect,
                                          60,
                                          find_zero_area};

}  // namespace anvil
