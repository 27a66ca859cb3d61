// SPDX-License-Identifier: GPL-3.0-or-later
// Sorting half-planes by angle about their common edge.
#pragma once

#include <algorithm>
#include <vector>

namespace anvil::boolean {

/// Sorts faces at one edge by angle about it, beginning with the first. No two lie at one angle, but for those that are
/// equal by `same`.
/// @param side  side(a, b): 1 when b lies ahead of the half-plane of a by less than half a turn, 0 in its plane, −1 behind;
///              exact
template <class Face, class Side, class Same>
void radial_sort(std::vector<Face>& faces, Side side, Same same) {
  const Face first = faces[0];
  struct Ranked {
    int half;  // 0: ahead of the first by less than half a turn, 1: by half a turn, 2: by more
    Face face;
  };
  std::vector<Ranked> rest;
  for (std::size_t k = 1; k < faces.size(); ++k) {
    const int s = side(first, faces[k]);
    rest.push_back({s > 0 ? 0 : s == 0 ? 1 : 2, faces[k]});
  }
  std::sort(rest.begin(), rest.end(), [&](const Ranked& a, const Ranked& b) {
    if (a.half != b.half) return a.half < b.half;
    return a.half != 1 && !same(a.face, b.face) && side(a.face, b.face) > 0;
  });
  for (std::size_t k = 0; k < rest.size(); ++k) faces[k + 1] = rest[k].face;
}

}  // namespace anvil::boolean
