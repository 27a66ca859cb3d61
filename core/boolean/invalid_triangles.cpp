// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/invalid_triangles.h"

#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>

#include "core/exact/predicates.h"
#include "core/mesh/bvh.h"
#include "core/mesh/charts.h"
#include "core/mesh/edges.h"
#include "core/mesh/near_marked.h"
#include "core/mesh/triangles_cross.h"

namespace anvil::boolean {

namespace {

bool same_corners(Triangle s, Triangle t) {
  if (s[0] + s[1] + s[2] != t[0] + t[1] + t[2]) return false;
  std::sort(s.begin(), s.end());
  std::sort(t.begin(), t.end());
  return s == t;
}

/// The same triangles on the points that they use.
std::pair<std::vector<Vec3>, std::vector<Triangle>> renumbered(std::span<const Vec3> points, std::vector<Triangle> triangles) {
  std::vector<Index> number(points.size(), no_index);
  std::vector<Vec3> used;
  for (Triangle& t : triangles)
    for (Index& v : t) {
      if (number[v] == no_index) {
        number[v] = static_cast<Index>(used.size());
        used.push_back(points[v]);
      }
      v = number[v];
    }
  return {std::move(used), std::move(triangles)};
}

}  // namespace

std::vector<char> find_invalid_triangles(std::span<const Vec3> points, std::span<const Triangle> all, std::span<const Index> piece,
                                std::span<const char> suspect, Across across, const Control& control,
                                std::span<const char> also) {
  std::vector<char> invalid(all.size(), 0);
  if (!also.empty()) invalid.assign(also.begin(), also.end());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, all.size(), 1024), [&](const auto& range) {
    for (std::size_t i = range.begin(); i < range.end(); ++i)
      if (suspect[i] && collinear(points[all[i][0]], points[all[i][1]], points[all[i][2]])) invalid[i] = 1;
  });
  if (std::find(suspect.begin(), suspect.end(), 1) == suspect.end()) return {};
  tbb::enumerable_thread_specific<std::vector<std::pair<Index, Index>>> found;
  const auto look = [&](Index s, Index t) {
    if (!suspect[s] && !suspect[t]) return;
    const bool one_piece = piece[s] == piece[t];
    if (!one_piece && across == Across::no) return;
    if ((one_piece && same_corners(all[s], all[t])) || triangles_cross(points, all[s], all[t])) found.local().emplace_back(s, t);
  };
  if (std::find(suspect.begin(), suspect.end(), 0) == suspect.end()) {
    for_each_possible_crossing(points, all, find_opposites(all, piece, points.size()), look, control.stop);
  } else {
    const NearMarked about(points, all, suspect);
    check_stop(control);
    const auto [own_points, triangles] = renumbered(points, about.triangles);
    const auto look_near = [&](Index i, Index j) { look(about.chosen[i], about.chosen[j]); };
    // Charts save looking within smooth surfaces, but have to be found; where most are not suspect there is less to save.
    if (2 * static_cast<std::size_t>(std::count(about.groups.begin(), about.groups.end(), no_index)) < about.groups.size()) {
      Bvh(own_points, triangles, 0, about.groups).for_each_pair(look_near, control.stop);
    } else {
      std::vector<Index> own_piece;
      for (Index i : about.chosen) own_piece.push_back(piece[i]);
      for_each_possible_crossing(own_points, triangles, find_opposites(triangles, own_piece, own_points.size()), look_near, control.stop);
    }
  }
  for (const auto& list : found)
    for (const auto& [s, t] : list) invalid[s] = invalid[t] = 1;
  if (std::find(invalid.begin(), invalid.end(), 1) == invalid.end()) return {};
  return invalid;
}

std::vector<char> with_neighbours(std::span<const Vec3> points, std::span<const Triangle> triangles,
                                  const std::vector<char>& marked, const Control& control) {
  std::vector<char> near = marked;
  if (std::find(marked.begin(), marked.end(), 1) == marked.end()) return near;
  const NearMarked about(points, triangles, marked);
  const Bvh tree(points, about.triangles, 0, about.groups);
  tree.for_each_pair(
      [&](Index i, Index j) {
        // Only ever set to one: the order of the calls does not matter.
        const Index s = about.chosen[i], t = about.chosen[j];
        if (marked[s]) std::atomic_ref(near[t]).store(1, std::memory_order_relaxed);
        if (marked[t]) std::atomic_ref(near[s]).store(1, std::memory_order_relaxed);
      },
      control.stop);
  return near;
}

}  // namespace anvil::boolean
