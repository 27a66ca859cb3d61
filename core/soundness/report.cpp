// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/report.h"

#include <fmt/format.h>

#include <algorithm>

namespace anvil {

FamilyTable family_table() {
  static const auto in_order = [] {
    auto rows = family_rows;
    std::sort(rows.begin(), rows.end(), [](const Family* a, const Family* b) { return a->rank < b->rank; });
    return rows;
  }();
  return in_order;
}

const FamilyReport& SoundnessReport::of(const Family& family) const {
  static const FamilyReport nothing;
  const auto it = std::find_if(families.begin(), families.end(),
                               [&](const FamilyReport& f) { return f.family == &family; });
  return it == families.end() ? nothing : *it;
}

std::size_t SoundnessReport::holes() const {
  const auto& defects = of(families::open_edges).defects;
  return static_cast<std::size_t>(
      std::count_if(defects.begin(), defects.end(), [](const Defect& d) { return d.kind == "hole"; }));
}

std::string verdict(const SoundnessReport& report) {
  auto counted = [](std::size_t n, const char* one, const char* many) {
    return fmt::format("{} {}", n, n == 1 ? one : many);
  };
  if (report.points > 0) return "Points only: recast them";
  std::string defects, remarks;
  auto add = [](std::string& to, const std::string& what) { to += (to.empty() ? "" : ", ") + what; };
  const std::size_t holes = report.holes();
  if (holes > 0) add(defects, counted(holes, "hole", "holes"));
  for (const FamilyReport& found : report.families) {
    if (found.count == 0 || found.family->role == FamilyRole::note) continue;
    if (found.family == &families::open_edges && holes > 0) continue;  // told as holes
    add(found.family->role == FamilyRole::defect ? defects : remarks,
        counted(found.count, found.family->one, found.family->many));
  }
  if (report.sound) return remarks.empty() ? "Sound" : "Sound, with " + remarks;
  if (!remarks.empty()) add(defects, remarks);
  return defects.empty() ? "Empty: there are no faces" : "Not sound: " + defects;
}

}  // namespace anvil
