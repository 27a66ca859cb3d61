// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/check.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void measure(const Analysis& a, SoundnessReport& report) {
  report.bounds = a.box;
  report.volume = a.volume;
  report.area = a.area;
  report.vertices = static_cast<std::size_t>(std::count(a.used.begin(), a.used.end(), 1));
  report.triangles = a.triangles.triangles.size();
  report.polygons = a.mesh.face_count();
  report.edges = a.edges.size();
  report.shells = a.shells;
}

/// Every record names its faces; loose vertices have none and are in no scope.
void keep_in_scope(const std::vector<char>& scope, std::vector<Defect>& defects) {
  std::erase_if(defects, [&](const Defect& defect) {
    return std::none_of(defect.faces.begin(), defect.faces.end(), [&](Index f) { return scope[f] != 0; });
  });
}

}  // namespace

SoundnessReport check_soundness(const Mesh& mesh, const std::stop_token& stop, const CheckSettings& settings) {
  constexpr double near_share = 1e-6;
  if (mesh.cloud) {
    SoundnessReport report;
    for (const Family* family : settings.families) report.families.push_back({family, 0, {}});
    report.points = report.vertices = mesh.positions.size();
    report.bounds = bounds(mesh);
    return report;
  }
  Analysis analysis(mesh, settings.tolerance < 0 ? near_share * bounds(mesh).diagonal() : settings.tolerance, stop);
  analysis.scope = settings.scope;
  return check_soundness(analysis, settings);
}

SoundnessReport check_soundness(const Analysis& a, const CheckSettings& settings) {
  const FamilyTable table = settings.families;
  SoundnessReport report;
  report.families.resize(table.size());
  tbb::parallel_invoke(
      [&] {
        tbb::parallel_for(std::size_t{0}, table.size(), [&](std::size_t k) {
          FamilyReport& found = report.families[k];
          found.family = table[k];
          found.defects = table[k]->find(a);
          if (!settings.scope.empty()) keep_in_scope(settings.scope, found.defects);
          for (const Defect& defect : found.defects) found.count += defect.count;
        });
      },
      [&] { measure(a, report); });
  report.sound = !a.mesh.empty();
  for (const FamilyReport& found : report.families)
    if (found.family->role == FamilyRole::defect && found.count > 0) report.sound = false;
  if (a.open_edge_count == 0 && a.non_manifold_edge_count == 0 &&
      report.count(families::non_manifold_vertices) == 0) {
    // Euler–Poincaré: V − E + F = 2 (S − G).
    const auto euler = static_cast<long long>(report.vertices) - static_cast<long long>(report.edges) +
                       static_cast<long long>(report.polygons);
    report.genus = static_cast<long long>(report.shells) - euler / 2;
  }
  return report;
}

}  // namespace anvil
