// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/check.h"

#include <tbb/parallel_invoke.h>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void measure(const Analysis& a, SoundnessReport& report) {
  report.bounds = bounds(a.mesh);
  const Vec3 origin = report.bounds.centre();
  double six_volumes = 0, twice_area = 0;
  for (const Triangle& t : a.triangles.triangles) {
    const Vec3 p = a.mesh.positions[t[0]] - origin, q = a.mesh.positions[t[1]] - origin,
               r = a.mesh.positions[t[2]] - origin;
    six_volumes += p.dot(q.cross(r));
    twice_area += (q - p).cross(r - p).norm();
  }
  report.volume = six_volumes / 6;
  report.area = twice_area / 2;
  std::vector<char> used(a.mesh.positions.size(), 0);
  for (Index v : a.mesh.corners) used[v] = 1;
  for (char u : used) report.vertices += static_cast<std::size_t>(u);
  report.triangles = a.triangles.triangles.size();
  report.polygons = a.mesh.face_count();
  report.edges = a.edges.size();
  report.shells = a.shells;
}

}  // namespace

SoundnessReport check_soundness(const Mesh& mesh, const std::stop_token& stop) {
  const Analysis a(mesh, stop);
  SoundnessReport report;
  // Each finder writes to families of its own, so they may run side by side.
  tbb::parallel_invoke([&] { find_crossings(a, report); },
                       [&] {
                         measure(a, report);
                         find_open_edges(a, report);
                         find_non_manifold(a, report);
                         a.check_stop();
                         find_turned_faces_and_inner_walls(a, report);
                         find_degenerate(a, report);
                         find_doubled(a, report);
                         a.check_stop();
                         find_unwelded_and_contacts(a, report);
                         find_strays(a, report);
                       });
  auto none = [&](Family family) { return report.of(family).count == 0; };
  report.sound = !mesh.empty() && none(Family::open_edges) && none(Family::non_manifold_edges) &&
                 none(Family::non_manifold_vertices) && none(Family::flipped_faces) &&
                 none(Family::crossing_faces) && none(Family::zero_length_edges) &&
                 none(Family::zero_area_faces) && none(Family::doubled_faces) && none(Family::inner_walls);
  if (none(Family::open_edges) && none(Family::non_manifold_edges) && none(Family::non_manifold_vertices)) {
    // Euler–Poincaré: V − E + F = 2 (S − G).
    const auto euler = static_cast<long long>(report.vertices) - static_cast<long long>(report.edges) +
                       static_cast<long long>(report.polygons);
    report.genus = static_cast<long long>(report.shells) - euler / 2;
  }
  return report;
}

}  // namespace anvil
