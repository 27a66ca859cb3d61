// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/side_proof.h"

#include <map>

#include "core/mesh/triangulate.h"

namespace anvil {

/// Most finishes ask about nothing, so it is made when it is first needed.
const LineWinding& SideProof::old() {
  if (old_) return *old_;
  for (Index f = 0; f < task_.mesh.face_count(); ++f) {
    task_.listen(f);
    for (const Triangle& t : triangulate(task_.mesh.positions, task_.mesh.face(f))) triangles_.push_back(t);
  }
  surface_.assign(triangles_.size(), 0);
  return old_.emplace(task_.mesh.positions, triangles_, surface_);
}

std::set<Index> SideProof::faults(const BlendMesh& made) {
  std::map<std::array<Index, 2>, double> balance;  // per strip or corner: area on the right side less that on the wrong one
  for (Index f = 0; f < made.mesh.face_count(); ++f) {
    task_.listen(f);
    if (made.side[f] == BlendMesh::Side::unasked) continue;
    for (const Triangle& t : triangulate(made.mesh.positions, made.mesh.face(f))) {
      const auto& at = made.mesh.positions;
      const auto around = old().around(std::array<Vec3, 3>{at[t[0]], at[t[1]], at[t[2]]});
      if (!around.empty() && around[0].on) continue;
      const double area = (at[t[1]] - at[t[0]]).cross(at[t[2]] - at[t[0]]).norm();
      balance[made.cells[f]] += (around.empty() ? BlendMesh::Side::outside : BlendMesh::Side::within) == made.side[f] ? area : -area;
    }
  }
  std::set<Index> cells;
  for (const auto& [pair, area] : balance)
    if (area < 0) cells.insert(pair.begin(), pair.end());
  return cells;
}

}  // namespace anvil
