// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

std::vector<Defect> find_fins(const Analysis& a) {
  std::vector<Defect> defects;
  for (const Orientation::Sheet& fin : a.orientation().fins) {
    defects.push_back(defect_of_faces(a, families::fins, fin.faces, fin.note));
    defects.back().count = 1;  // fins are counted, not their faces
  }
  return defects;
}

}  // namespace

/// Flaps with an open rim that hang off a surface at edges with more than two faces. Their edges decide the verdict.
const Family families::fins = {"fins", "Fins", "fin", "fins", Marker::diamond, FamilyRole::remark, 102, find_fins};

}  // namespace anvil
