// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

std::vector<Defect> find_walls(const Analysis& a) {
  std::vector<Defect> defects;
  for (const Orientation::Sheet& wall : a.orientation().walls) {
    defects.push_back(defect_of_faces(a, families::inner_walls, wall.faces, wall.note));
    defects.back().kind = wall.kind;
    defects.back().count = 1;  // walls are counted, not their faces
  }
  return defects;
}

}  // namespace

/// Walls with material on both sides.
const Family families::inner_walls = {"inner_walls",      "Inner walls",      "inner wall", "inner walls",
                                      Marker::double_bar, FamilyRole::defect, 80,           find_walls};

}  // namespace anvil
