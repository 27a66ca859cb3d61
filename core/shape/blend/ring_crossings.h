// SPDX-License-Identifier: GPL-3.0-or-later
// Closed lines in a plane that cross themselves or each other, exactly.
#pragma once

#include <algorithm>
#include <numeric>
#include <vector>

#include "core/exact/predicates.h"

namespace anvil {

/// A piece of a closed line; a and b differ.
struct RingSegment {
  Point2 a, b;
  std::size_t ring;
};

/// Do two pieces have more in common than that the one goes on in the other, or that two lines touch in a corner?
inline bool in_conflict(const RingSegment& s, const RingSegment& t) {
  const auto same = [](const Point2& p, const Point2& q) { return p.x == q.x && p.y == q.y; };
  if (std::max(s.a.y, s.b.y) < std::min(t.a.y, t.b.y) || std::max(t.a.y, t.b.y) < std::min(s.a.y, s.b.y)) return false;
  if (same(s.b, t.a) || same(s.a, t.b)) {
    // Neighbours: only if the one folds back on the other.
    const bool onward = same(s.b, t.a);
    const Point2 &middle = onward ? s.b : s.a, &from = onward ? s.a : s.b, &to = onward ? t.b : t.a;
    return orient2d(from, middle, to) == 0 && (from.x - middle.x) * (to.x - middle.x) + (from.y - middle.y) * (to.y - middle.y) > 0;
  }
  if (same(s.a, t.a) || same(s.b, t.b)) return false;
  return segments_meet(s.a, s.b, t.a, t.b);
}

/// @param found  called with the places of two segments in conflict; ends the search by false
template <class Found>
void find_crossings(const std::vector<RingSegment>& segments, Found found) {
  std::vector<std::size_t> order(segments.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  const auto low = [&](std::size_t k) { return std::min(segments[k].a.x, segments[k].b.x); };
  const auto high = [&](std::size_t k) { return std::max(segments[k].a.x, segments[k].b.x); };
  std::sort(order.begin(), order.end(), [&](std::size_t i, std::size_t j) { return low(i) < low(j); });
  for (std::size_t i = 0; i < order.size(); ++i)
    for (std::size_t j = i + 1; j < order.size() && low(order[j]) <= high(order[i]); ++j)
      if (in_conflict(segments[order[i]], segments[order[j]]) && !found(order[i], order[j])) return;
}

}  // namespace anvil
