// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/soundness/readings.h"

#include <algorithm>
#include <set>

#include "core/exact/predicates.h"
#include "core/mesh/weld.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

std::size_t defects_in(const SoundnessReport& report) {
  std::size_t count = 0;
  for (const FamilyReport& found : report.families)
    if (found.family->role == FamilyRole::defect) count += found.count;
  return count;
}

/// Is every fan of a face the same surface, by its corners alone? Exact.
bool is_flat_and_convex(const Mesh& mesh, std::span<const Index> ring) {
  const std::size_t n = ring.size();
  const auto at = [&](std::size_t k) -> const Vec3& { return mesh.positions[ring[k % n]]; };
  const Projection plane = projection_of(at(0), at(1), at(2));
  const int turn = orient2d(plane(at(0)), plane(at(1)), plane(at(2)));
  if (turn == 0) return false;
  // It turns the same way at each corner, and goes around once: as seen from the first corner all others follow each other.
  for (std::size_t k = 0; k < n; ++k) {
    if (orient2d(plane(at(k)), plane(at(k + 1)), plane(at(k + 2))) != turn) return false;
    if (orient3d(at(0), at(1), at(2), at(k)) != 0) return false;
    if (k > 0 && k + 1 < n && orient2d(plane(at(0)), plane(at(k)), plane(at(k + 1))) != turn) return false;
  }
  return true;
}

/// Per face, whether it makes a difference from which corner it is cut.
std::vector<char> differing_faces(const Mesh& mesh) {
  const WeldMap weld = weld_equal(mesh.positions);
  std::vector<char> differs(mesh.face_count(), 0);
  std::vector<std::pair<Index, Index>> at;  // position, face
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) at.emplace_back(weld.id[v], f);
  std::sort(at.begin(), at.end());
  std::vector<Index> first(weld.first.size() + 1, 0);
  for (const auto& [place, face] : at) ++first[place + 1];
  for (std::size_t k = 1; k < first.size(); ++k) first[k] += first[k - 1];
  std::vector<std::pair<Index, Index>> shared;  // other face, place in the ring
  for (Index f = 0; f < mesh.face_count(); ++f) {
    const auto ring = mesh.face(f);
    const auto n = static_cast<Index>(ring.size());
    if (n <= 3) continue;
    differs[f] = !is_flat_and_convex(mesh, ring);
    shared.clear();
    // Where very many faces meet at a corner it is taken to make one: to look at all of them for all of them would not end.
    constexpr Index many = 500;
    differs[f] = differs[f] || std::any_of(ring.begin(), ring.end(), [&](Index v) { return first[weld.id[v] + 1] - first[weld.id[v]] > many; });
    for (Index k = 0; k < n && !differs[f]; ++k)
      for (Index i = first[weld.id[ring[k]]]; i < first[weld.id[ring[k]] + 1]; ++i)
        if (at[i].second != f) shared.emplace_back(at[i].second, k);
    std::sort(shared.begin(), shared.end());
    // Of each other face the corners that it has in common: two at most, which are neighbours.
    for (std::size_t i = 0, end = 0; i < shared.size() && !differs[f]; i = end) {
      while (end < shared.size() && shared[end].first == shared[i].first) ++end;
      const Index apart = shared[end - 1].second - shared[i].second;
      differs[f] = end - i > 2 || (end - i == 2 && apart != 1 && apart != n - 1);
    }
  }
  return differs;
}

/// A corner from which a fan of a face folds over, where there is one: beside the one that turns the wrong way the most.
std::size_t harsh_corner(const Mesh& mesh, std::span<const Index> ring) {
  const std::size_t n = ring.size();
  const auto at = [&](std::size_t k) -> const Vec3& { return mesh.positions[ring[k % n]]; };
  const Vec3 normal = newell_normal(mesh.positions, ring);
  double most = 0;
  std::size_t corner = 0;
  for (std::size_t k = 0; k < n; ++k) {
    const double turn = (at(k + 1) - at(k)).cross(at(k + 2) - at(k)).dot(normal);
    if (turn < most) most = turn, corner = (k + 2) % n;
  }
  return corner;
}

/// Corners to begin fans at: all, or as many as are allowed, first those that promise to be harsh.
std::vector<std::size_t> firsts_of(const Mesh& mesh, const std::vector<char>& differs, std::size_t corners, std::size_t allowed) {
  std::vector<std::size_t> firsts;
  if (corners <= allowed) {
    for (std::size_t k = 0; k < corners; ++k) firsts.push_back(k);
    return firsts;
  }
  std::set<std::size_t> taken;
  const auto take = [&](std::size_t first) {
    if (taken.size() < allowed && taken.insert(first).second) firsts.push_back(first);
  };
  for (std::size_t f = 0; f < mesh.face_count() && taken.size() < allowed / 2; ++f)
    if (differs[f]) take(harsh_corner(mesh, mesh.face(f)));
  for (std::size_t k = 0; k < allowed; ++k) take(k * corners / allowed);
  return firsts;
}

}  // namespace

SoundnessReport check_any_reader(const Mesh& mesh, const std::stop_token& stop, std::size_t* left_out) {
  SoundnessReport harshest = check_soundness(mesh, stop);
  std::size_t most = defects_in(harshest), corners = 0, triangles = 0;
  const std::vector<char> differs = differing_faces(mesh);
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    triangles += mesh.face(f).size();
    if (differs[f]) corners = std::max(corners, mesh.face(f).size());
  }
  constexpr std::size_t most_triangles = 2'500'000, always = 64;  // some ten seconds
  const std::size_t allowed = std::max(always, most_triangles / std::max<std::size_t>(1, triangles));
  std::size_t looked_at = 0;
  for (const std::size_t first : firsts_of(mesh, differs, corners, allowed)) {
    // Where they are not all looked at, one that is not sound is as good as a harsher one.
    if (corners > allowed && !harshest.sound) break;
    ++looked_at;
    Mesh reading;
    reading.positions = mesh.positions;
    for (std::size_t f = 0; f < mesh.face_count(); ++f) {
      const auto ring = mesh.face(f);
      const std::size_t n = ring.size(), from = differs[f] ? first : 0;
      for (std::size_t k = 1; k + 1 < n; ++k) reading.add_face({ring[from % n], ring[(from + k) % n], ring[(from + k + 1) % n]});
    }
    SoundnessReport report = check_soundness(reading, stop);
    if (const std::size_t count = defects_in(report); count > most) {
      most = count;
      harshest = std::move(report);
      harshest.polygons = mesh.face_count();
    }
  }
  if (left_out != nullptr) *left_out = corners - looked_at;
  return harshest;
}

}  // namespace anvil
