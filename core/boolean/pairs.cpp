// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 2: which triangles may meet.
#include <tbb/enumerable_thread_specific.h>

#include <algorithm>

#include "core/boolean/stages.h"
#include "core/mesh/bvh.h"
#include "core/mesh/sieve.h"

namespace anvil::boolean {
namespace {

/// Triangles that may meet another: within the bounds of another part, or of a part that crosses itself.
std::vector<Index> candidates(const Soup& soup, double margin) {
  const std::size_t parts = soup.parts();
  std::vector<Box3> box(parts);
  for (std::size_t k = 0; k < parts; ++k)
    for (Index i = soup.part_begin[k]; i < soup.part_begin[k + 1]; ++i)
      for (Index v : soup.triangles[i]) box[k].add(soup.points[v]);
  std::vector<Index> chosen;
  for (std::size_t k = 0; k < parts; ++k) {
    std::vector<Box3> others;
    for (std::size_t j = 0; j < parts; ++j) {
      if (j == k) continue;
      Box3 common;
      common.lo = box[k].lo.cwiseMax(box[j].lo);
      common.hi = box[k].hi.cwiseMin(box[j].hi);
      common.lo.array() -= margin;
      common.hi.array() += margin;
      if ((common.lo.array() <= common.hi.array()).all()) others.push_back(common);
    }
    if (!soup.loose.empty()) {
      Box3 changed;
      for (Index i = soup.part_begin[k]; i < soup.part_begin[k + 1]; ++i)
        if (soup.loose[i])
          for (Index v : soup.triangles[i]) changed.add(soup.points[v]);
      if (!changed.empty()) others.push_back(changed);
    }
    if (!soup.crosses_itself[k] && others.empty()) continue;
    for (Index i = soup.part_begin[k]; i < soup.part_begin[k + 1]; ++i) {
      if (!soup.tested.empty() && !soup.tested[i]) continue;
      bool near = soup.crosses_itself[k];
      if (!near) {
        const Triangle& t = soup.triangles[i];
        const Vec3 lo = soup.points[t[0]].cwiseMin(soup.points[t[1]]).cwiseMin(soup.points[t[2]]);
        const Vec3 hi = soup.points[t[0]].cwiseMax(soup.points[t[1]]).cwiseMax(soup.points[t[2]]);
        for (std::size_t o = 0; o < others.size() && !near; ++o)
          near = (lo.array() <= others[o].hi.array()).all() && (hi.array() >= others[o].lo.array()).all();
      }
      if (near) chosen.push_back(i);
    }
  }
  return chosen;
}

}  // namespace

std::vector<TrianglePair> find_pairs(const Soup& soup, double margin, const Control& control) {
  std::vector<Index> chosen = candidates(soup, margin);
  std::vector<Index> groups;
  groups.reserve(chosen.size());
  for (Index i : chosen) {
    const bool alone = soup.crosses_itself[soup.part[i]] || (!soup.loose.empty() && soup.loose[i]);
    groups.push_back(alone ? no_index : soup.part[i]);
  }
  const std::vector<char> near = near_other_group(soup.points, soup.triangles, chosen, groups, margin);
  check_stop(control);
  std::size_t kept = 0;
  std::vector<Triangle> triangles;
  for (std::size_t i = 0; i < chosen.size(); ++i) {
    if (!near[i]) continue;
    triangles.push_back(soup.triangles[chosen[i]]);
    chosen[kept] = chosen[i];
    groups[kept++] = groups[i];
  }
  chosen.resize(kept);
  groups.resize(kept);
  const Bvh tree(soup.points, triangles, margin, groups);
  check_stop(control);
  tbb::enumerable_thread_specific<std::vector<TrianglePair>> found;
  tree.for_each_pair(
      [&](Index i, Index j) {
        const Index s = std::min(chosen[i], chosen[j]), t = std::max(chosen[i], chosen[j]);
        if (!soup.may_meet(s, t)) return;
        found.local().push_back({s, t});
      },
      control.stop);
  std::vector<TrianglePair> pairs;
  for (const auto& list : found) pairs.insert(pairs.end(), list.begin(), list.end());
  std::sort(pairs.begin(), pairs.end());
  return pairs;
}

}  // namespace anvil::boolean
