// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/smooth.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <numeric>

#include "core/recast/move_vertices.h"

namespace anvil {
namespace {

constexpr Note smoothing_held_back{"smoothing_held_back", "1 vertex was held back so that the surface does not cross itself", "{0} vertices were held back so that the surface does not cross itself"};

/// The faces around each vertex, in order: who follows it in each, and who comes before it.
class Rings {
 public:
  explicit Rings(const Mesh& mesh) : first_(mesh.positions.size() + 1, 0), next_(mesh.corners.size()), previous_(mesh.corners.size()), face_(mesh.corners.size()) {
    for (Index v : mesh.corners) ++first_[v + 1];
    for (std::size_t v = 1; v < first_.size(); ++v) first_[v] += first_[v - 1];
    // Each takes all corners and leaves those of other vertices alone: there is nothing to put together afterwards.
    constexpr std::size_t shares = 4;
    const std::size_t vertices = mesh.positions.size(), each = (vertices + shares - 1) / shares;
    tbb::parallel_for(std::size_t{0}, shares, [&](std::size_t share) {
      const std::size_t begin = std::min(vertices, share * each), end = std::min(vertices, begin + each);
      std::vector<Index> place(first_.begin() + static_cast<std::ptrdiff_t>(begin), first_.begin() + static_cast<std::ptrdiff_t>(end));
      for (Index f = 0; f < mesh.face_count(); ++f) {
        const auto ring = mesh.face(f);
        for (std::size_t k = 0; k < ring.size(); ++k) {
          if (ring[k] < begin || ring[k] >= end) continue;
          const Index at = place[ring[k] - begin]++;
          next_[at] = ring[k + 1 < ring.size() ? k + 1 : 0];
          previous_[at] = ring[k > 0 ? k - 1 : ring.size() - 1];
          face_[at] = f;
        }
      }
    });
  }
  std::span<const Index> next(Index v) const { return of(v, next_); }
  std::span<const Index> previous(Index v) const { return of(v, previous_); }
  std::span<const Index> faces(Index v) const { return of(v, face_); }

 private:
  std::span<const Index> of(Index v, const std::vector<Index>& list) const { return {list.data() + first_[v], list.data() + first_[v + 1]}; }

  std::vector<Index> first_, next_, previous_, face_;  ///< the others of vertex v from first_[v] to first_[v + 1]
};

void for_each_vertex(std::size_t count, const Control& control, const auto& visit) {
  check_stop(control);
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(count), 4096), [&](const auto& range) {
    for (Index v = range.begin(); v < range.end(); ++v) visit(v);
  });
}

/// Which vertices may move.
std::vector<char> movable_in(const Mesh& mesh, const Rings& rings, const SmoothSettings& settings, const Control& control) {
  std::vector<Vec3> normals(mesh.face_count());
  tbb::parallel_for(std::size_t{0}, normals.size(), [&](std::size_t f) {
    const Vec3 normal = newell_normal(mesh.positions, mesh.face(f));
    const double square = normal.squaredNorm();
    constexpr double least = 1e-200;
    normals[f] = square > least ? normal / std::sqrt(square) : normal.stableNormalized();
  });
  const recast::EdgeHolder holds(mesh, settings.held);
  std::vector<char> movable(mesh.positions.size(), 1);
  for_each_vertex(movable.size(), control, [&](Index v) {
    const auto next = rings.next(v), previous = rings.previous(v), faces = rings.faces(v);
    for (std::size_t i = 0; i < next.size() && movable[v]; ++i) {
      if (!settings.scope.empty() && !settings.scope[faces[i]]) movable[v] = 0;
      // The edge to the next vertex has two sides where one face follows it there and one face comes from there.
      int follow = 0, come = 0;
      Index other = no_index;
      for (std::size_t j = 0; j < next.size(); ++j) {
        follow += next[j] == next[i];
        if (previous[j] != next[i]) continue;
        ++come;
        other = faces[j];
      }
      const bool has_two_sides = follow == 1 && come == 1;
      if (has_two_sides ? holds(faces[i], normals[faces[i]], other, normals[other]) : settings.hold_borders) movable[v] = 0;
    }
  });
  return movable;
}

/// Sum over the corners at a vertex: twice the area around it, as a vector along its normal.
Vec3 area_vector(const Rings& rings, const std::vector<Vec3>& at, Index v) {
  Vec3 sum = Vec3::Zero();
  const auto next = rings.next(v), previous = rings.previous(v);
  for (std::size_t k = 0; k < next.size(); ++k) sum += (at[next[k]] - at[v]).cross(at[previous[k]] - at[v]);
  return sum;
}

double volume_of(const Mesh& mesh, const std::vector<Vec3>& at) {
  const std::size_t faces = mesh.face_count();
  if (faces == 0) return 0;
  const Vec3 origin = at[mesh.corners[0]];
  // In blocks, so that the sum is the same on any number of threads.
  constexpr std::size_t together = 4096;
  std::vector<double> sums((faces + together - 1) / together, 0);
  tbb::parallel_for(std::size_t{0}, sums.size(), [&](std::size_t block) {
    for (std::size_t f = block * together; f < std::min(faces, (block + 1) * together); ++f) {
      const auto ring = mesh.face(f);
      for (std::size_t k = 1; k + 1 < ring.size(); ++k) sums[block] += (at[ring[0]] - origin).dot((at[ring[k]] - origin).cross(at[ring[k + 1]] - origin)) / 6;
    }
  });
  return std::accumulate(sums.begin(), sums.end(), 0.0);
}

/// Moves vertices along their normals, all by as much, until the volume is as it was. To first order a step of h changes it by h times the moving area, a third of each face for each corner.
void restore_volume(const Mesh& mesh, const Rings& rings, const std::vector<char>& movable, double volume, std::vector<Vec3>& at, const Control& control) {
  constexpr int rounds = 10;
  constexpr double done = 1e-12, well = 0.1;
  double lost = volume - volume_of(mesh, at);
  if (std::abs(lost) <= done * std::abs(volume)) return;
  std::vector<Vec3> normals(at.size(), Vec3::Zero());
  std::vector<double> areas(at.size(), 0);
  bool known = false;
  for (int k = 0; k < rounds && std::abs(lost) > done * std::abs(volume); ++k) {
    // The same normals as long as they serve.
    if (!known)
      for_each_vertex(at.size(), control, [&](Index v) {
        if (!movable[v]) return;
        normals[v] = area_vector(rings, at, v);
        areas[v] = normals[v].norm() / 6;
        normals[v] = normals[v].stableNormalized();
      });
    const double area = std::accumulate(areas.begin(), areas.end(), 0.0);
    if (!(area > 0)) return;
    for_each_vertex(at.size(), control, [&](Index v) { at[v] += lost / area * normals[v]; });
    const double now = volume - volume_of(mesh, at);
    known = std::abs(now) < well * std::abs(lost);
    lost = now;
  }
}

std::vector<Vec3> passes(const Mesh& mesh, const Rings& rings, const SmoothSettings& settings, const std::vector<char>& movable, const Control& control) {
  std::vector<Vec3> at = mesh.positions, next = at;
  const double volume = settings.keep_volume ? volume_of(mesh, at) : 0;
  const auto pass = [&](double by) {
    for_each_vertex(at.size(), control, [&](Index v) {
      if (!movable[v]) return;
      const auto around = rings.next(v);
      if (around.empty()) return;
      Vec3 sum = Vec3::Zero();
      for (Index neighbour : around) sum += at[neighbour];
      Vec3 way = sum / static_cast<double>(around.size()) - at[v];
      if (settings.along_normals) {
        const Vec3 normal = area_vector(rings, at, v).stableNormalized();
        way = way.dot(normal) * normal;
      }
      next[v] = at[v] + by * way;
    });
    at.swap(next);
  };
  // Taubin's pass band: what is longer than some twenty vertices stays.
  constexpr double pass_band = 0.1;
  // Beyond these a pass, or one with its widening, makes the shortest waves larger, not smaller.
  constexpr double strongest = 0.95, strongest_pair = 0.68;
  const double narrowing = settings.strength * (settings.keep_volume ? strongest_pair : strongest);
  const double widening = narrowing > 0 ? 1 / (pass_band - 1 / narrowing) : 0;
  Index looked = 0, look = 1;  // after so many passes at the volume: before it can have become much
  for (Index k = 0; k < settings.passes; ++k) {
    pass(narrowing);
    if (settings.keep_volume) {
      pass(widening);
      // Few vertices shrink fast all the same; what has shrunk far cannot be blown up again.
      constexpr double much = 0.01;
      if (k + 1 >= look) {
        const double lost = std::abs(volume_of(mesh, at) - volume), each = lost / (k + 1 - looked);
        if (lost > much * std::abs(volume)) restore_volume(mesh, rings, movable, volume, at, control);
        constexpr double seldom = 100;
        look = k + 2 + static_cast<Index>(std::min(seldom, 0.5 * std::max(0.0, much * std::abs(volume) - lost) / std::max(each, 1e-300)));
        looked = k + 1;
      }
    }
    if (control.progress != nullptr) *control.progress = 0.5 * (k + 1) / settings.passes;
  }
  if (settings.keep_volume) restore_volume(mesh, rings, movable, volume, at, control);
  return at;
}

}  // namespace

std::vector<Vec3> smooth_passes(const Mesh& mesh, const SmoothSettings& settings, const Control& control) {
  const Rings rings(mesh);
  return passes(mesh, rings, settings, movable_in(mesh, rings, settings, control), control);
}

Smoothed smooth(const Mesh& mesh, const std::string& name, const SmoothSettings& settings, const Control& control) {
  const Rings rings(mesh);
  const std::vector<char> movable = movable_in(mesh, rings, settings, control);
  recast::MovedVertices moved = recast::move_vertices(mesh, passes(mesh, rings, settings, movable, control), movable, control);
  std::vector<Vec3> places;
  for (std::size_t v = 0; v < moved.held_back.size() && places.size() < OperationReport::max_places; ++v)
    if (moved.held_back[v]) places.push_back(moved.positions[v]);
  Smoothed smoothed;
  smoothed.is_sound = moved.is_sound;
  if (const auto count = static_cast<std::size_t>(std::count(moved.held_back.begin(), moved.held_back.end(), 1)); count > 0)
    smoothed.report.tell(smoothing_held_back, count, name, std::move(places));
  smoothed.positions = std::move(moved.positions);
  return smoothed;
}

}  // namespace anvil
