// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/soundness/analysis.h"

namespace anvil {

/// Shells so small beside the largest one that they are most likely left-overs.
void find_strays(const Analysis& a, SoundnessReport& report) {
  constexpr double stray_share = 1.0 / 50;
  if (a.shells < 2) return;
  std::vector<Box3> box(a.shells);
  std::vector<Index> faces(a.shells, 0);
  for (Index f = 0; f < a.mesh.face_count(); ++f) {
    ++faces[a.shell[f]];
    for (Index v : a.mesh.face(f)) box[a.shell[f]].add(a.mesh.positions[v]);
  }
  double largest = 0;
  for (const Box3& b : box) largest = std::max(largest, b.diagonal());
  FamilyReport& family = report.of(Family::stray_shells);
  for (std::size_t s = 0; s < box.size(); ++s) {
    if (box[s].diagonal() >= stray_share * largest) continue;
    ++family.count;
    Place place = place_around({box[s].lo, box[s].hi}, fmt::format("loose shell of {} faces", faces[s]));
    family.places.push_back(std::move(place));
  }
}

}  // namespace anvil
