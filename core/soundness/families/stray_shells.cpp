// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// Shells so small beside the largest one that they are most likely left-overs.
std::vector<Defect> find_strays(const Analysis& a) {
  constexpr double stray_share = 1.0 / 50;
  if (a.shells < 2) return {};
  std::vector<Box3> box(a.shells);
  std::vector<Index> faces(a.shells, 0);
  // A small cavity is no left-over: it encloses less than nothing.
  std::vector<double> volume(a.shells, 0);
  std::vector<Vec3> origin(a.shells, Vec3::Zero());
  for (Index f = 0; f < a.mesh.face_count(); ++f) origin[a.shell[f]] = a.mesh.positions[a.mesh.face(f)[0]];
  for (std::size_t i = 0; i < a.triangles.triangles.size(); ++i) {
    const Index s = a.shell[a.triangles.face[i]];
    const auto& [p, q, r] = a.triangles.triangles[i];
    volume[s] += (a.mesh.positions[p] - origin[s]).dot((a.mesh.positions[q] - origin[s]).cross(a.mesh.positions[r] - origin[s]));
  }
  for (Index f = 0; f < a.mesh.face_count(); ++f) {
    ++faces[a.shell[f]];
    for (Index v : a.mesh.face(f)) box[a.shell[f]].add(a.mesh.positions[v]);
  }
  double largest = 0;
  for (const Box3& b : box) largest = std::max(largest, b.diagonal());
  std::vector<Index> place(a.shells, no_index);
  std::vector<Defect> defects;
  for (Index s = 0; s < a.shells; ++s) {
    if (box[s].diagonal() >= stray_share * largest || volume[s] < 0) continue;
    place[s] = static_cast<Index>(defects.size());
    defects.push_back(defect_around(families::stray_shells, {box[s].lo, box[s].hi},
                                    fmt::format("loose shell of {} faces", faces[s])));
  }
  for (Index f = 0; f < a.mesh.face_count(); ++f)
    if (place[a.shell[f]] != no_index) defects[place[a.shell[f]]].faces.push_back(f);
  return defects;
}

}  // namespace

/// Shells of less than 1/50 of the largest shell's diagonal, but for cavities.
const Family families::stray_shells = {"stray_shells", "Stray shells",     "stray shell", "stray shells",
                                       Marker::dot,    FamilyRole::remark, 100,           find_strays};

}  // namespace anvil
