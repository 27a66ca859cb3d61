// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

std::vector<Defect> find_loose(const Analysis& a) {
  std::vector<Defect> defects;
  for (Index v = 0; v < a.used.size(); ++v) {
    if (a.used[v]) continue;
    defects.push_back(defect_around(families::loose_vertices, {a.mesh.positions[v]}, "vertex without a face"));
    defects.back().vertices.push_back(v);
  }
  return defects;
}

}  // namespace

/// Vertices that no face uses.
const Family families::loose_vertices = {"loose_vertices", "Loose vertices", "loose vertex", "loose vertices",
                                         Marker::dot, FamilyRole::remark, 106, find_loose};

}  // namespace anvil
