// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

std::vector<Defect> find_flipped(const Analysis& a) {
  std::vector<Defect> defects;
  for (const auto& group : connected_groups(a, a.orientation().flipped))
    defects.push_back(defect_of_faces(a, families::flipped_faces, group,
                                      fmt::format("{} faces turned the wrong way", group.size())));
  return defects;
}

}  // namespace

/// Faces turned against their neighbours, and shells inside out.
const Family families::flipped_faces = {
    "flipped_faces", "Turned faces", "turned face", "turned faces", Marker::hook, FamilyRole::defect, 30,
    find_flipped};

}  // namespace anvil
