// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/readings.h"

#include "core/soundness/check.h"

namespace anvil {
namespace {

std::size_t defects_in(const SoundnessReport& report) {
  std::size_t count = 0;
  for (const FamilyReport& found : report.families)
    if (found.family->role == FamilyRole::defect) count += found.count;
  return count;
}

}  // namespace

SoundnessReport check_any_reader(const Mesh& mesh, const std::stop_token& stop) {
  SoundnessReport harshest = check_soundness(mesh, stop);
  std::size_t most = defects_in(harshest), corners = 3;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) corners = std::max(corners, mesh.face(f).size());
  for (std::size_t first = 0; first < corners && corners > 3; ++first) {
    Mesh reading;
    reading.positions = mesh.positions;
    for (std::size_t f = 0; f < mesh.face_count(); ++f) {
      const auto ring = mesh.face(f);
      const std::size_t n = ring.size();
      for (std::size_t k = 1; k + 1 < n; ++k) reading.add_face({ring[first % n], ring[(first + k) % n], ring[(first + k + 1) % n]});
    }
    SoundnessReport report = check_soundness(reading, stop);
    if (const std::size_t count = defects_in(report); count > most) {
      most = count;
      harshest = std::move(report);
      harshest.polygons = mesh.face_count();
    }
  }
  return harshest;
}

}  // namespace anvil
