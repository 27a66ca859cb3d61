// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/join_coincident.h"

#include <algorithm>
#include <unordered_map>

namespace anvil::recast {
namespace {

/// The triangles around a few of the vertices.
class Around {
 public:
  Around(std::vector<Triangle>& triangles, const std::vector<char>& wanted) : triangles_(triangles) {
    for (Index t = 0; t < triangles.size(); ++t)
      for (Index v : triangles[t])
        if (v != no_index && wanted[v]) at_[v].push_back(t);
  }

  /// @return false where it would not stay manifold
  bool collapse(Index kept, Index gone) {
    const std::vector<Index> here = neighbours(kept), there = neighbours(gone);
    std::vector<Index> both, opposite;
    std::set_intersection(here.begin(), here.end(), there.begin(), there.end(), std::back_inserter(both));
    std::vector<Index> between;
    for (Index t : at_[gone])
      if (has(t, kept)) between.push_back(t);
    if (both.size() != 2 || between.size() != 2) return false;
    for (Index t : between)
      for (Index v : triangles_[t])
        if (v != kept && v != gone) opposite.push_back(v);
    std::sort(opposite.begin(), opposite.end());
    // Two fans of three would fall onto each other.
    if (opposite != both || (here.size() <= 3 && there.size() <= 3)) return false;
    for (Index t : between) {
      for (Index v : triangles_[t])
        if (const auto it = at_.find(v); it != at_.end()) std::erase(it->second, t);
      triangles_[t] = {no_index, no_index, no_index};
    }
    for (Index t : at_[gone]) {
      for (Index& v : triangles_[t])
        if (v == gone) v = kept;
      at_[kept].push_back(t);
    }
    at_.erase(gone);
    return true;
  }

 private:
  bool has(Index t, Index v) const { return triangles_[t][0] == v || triangles_[t][1] == v || triangles_[t][2] == v; }
  std::vector<Index> neighbours(Index v) {
    std::vector<Index> all;
    for (Index t : at_[v])
      for (Index w : triangles_[t])
        if (w != v) all.push_back(w);
    std::sort(all.begin(), all.end());
    all.erase(std::unique(all.begin(), all.end()), all.end());
    return all;
  }

  std::vector<Triangle>& triangles_;
  std::unordered_map<Index, std::vector<Index>> at_;
};

}  // namespace

void join_coincident(Contour& contour, double within) {
  std::vector<std::array<Index, 2>> edges;
  std::vector<char> wanted;
  for (const Triangle& t : contour.triangles)
    for (std::size_t k = 0; k < 3; ++k) {
      const Index v = t[k], w = t[(k + 1) % 3];
      if (t[0] != no_index && v < w && (contour.positions[v] - contour.positions[w]).squaredNorm() <= within * within) edges.push_back({v, w});
    }
  if (edges.empty()) return;
  wanted.assign(contour.positions.size(), 0);
  for (const auto& [v, w] : edges) wanted[v] = wanted[w] = 1;
  Around around(contour.triangles, wanted);
  std::unordered_map<Index, Index> now;
  const auto current = [&](Index v) {
    for (auto it = now.find(v); it != now.end(); it = now.find(v)) v = it->second;
    return v;
  };
  for (const auto& [v, w] : edges) {
    const Index a = current(v), b = current(w);
    if (a != b && around.collapse(a, b)) now[b] = a;
  }
}

}  // namespace anvil::recast
