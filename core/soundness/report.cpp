// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/report.h"

#include <fmt/format.h>

namespace anvil {
namespace {

struct Names {
  const char *key, *label, *one, *many;
};

constexpr std::array<Names, family_count> names = {{
    {"open_edges", "Open edges and holes", "open edge", "open edges"},
    {"non_manifold_edges", "Non-manifold edges", "non-manifold edge", "non-manifold edges"},
    {"non_manifold_vertices", "Non-manifold vertices", "non-manifold vertex", "non-manifold vertices"},
    {"flipped_faces", "Turned faces", "turned face", "turned faces"},
    {"crossing_faces", "Crossing faces", "crossing face", "crossing faces"},
    {"zero_length_edges", "Zero-length edges", "zero-length edge", "zero-length edges"},
    {"zero_area_faces", "Zero-area faces", "zero-area face", "zero-area faces"},
    {"doubled_faces", "Doubled faces", "doubled face", "doubled faces"},
    {"inner_walls", "Inner walls", "inner wall", "inner walls"},
    {"unwelded_vertices", "Unwelded vertices", "unwelded vertex", "unwelded vertices"},
    {"stray_shells", "Stray shells", "stray shell", "stray shells"},
}};

std::string counted(std::size_t n, const char* one, const char* many) {
  return fmt::format("{} {}", n, n == 1 ? one : many);
}

}  // namespace

const char* key_of(Family family) {
  return names[static_cast<std::size_t>(family)].key;
}
const char* label_of(Family family) {
  return names[static_cast<std::size_t>(family)].label;
}

std::string verdict(const SoundnessReport& report) {
  const std::size_t strays = report.of(Family::stray_shells).count;
  if (report.sound)
    return strays == 0 ? "Sound" : "Sound, with " + counted(strays, "stray shell", "stray shells");
  std::string text;
  auto add = [&](const std::string& what) { text += (text.empty() ? "Not sound: " : ", ") + what; };
  if (report.holes > 0) add(counted(report.holes, "hole", "holes"));
  for (std::size_t f = 0; f < family_count; ++f) {
    const std::size_t n = report.families[f].count;
    if (n == 0 || (f == 0 && report.holes > 0)) continue;
    add(counted(n, names[f].one, names[f].many));
  }
  return text.empty() ? "Empty: there are no faces" : text;
}

}  // namespace anvil
