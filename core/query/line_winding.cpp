// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/query/line_winding.h"

#include <algorithm>

#include "core/exact/predicates.h"

namespace anvil {
namespace {

/// A point, or the middle of three, seen by exact predicates.
struct Place {
  const std::array<Vec3, 3>& of;
  bool is_one;

  int turn(const Projection& plane, const Vec3& a, const Vec3& b) const {
    return is_one ? orient2d(plane(a), plane(b), plane(of[0])) : orient2d_of_middle(plane(a), plane(b), {plane(of[0]), plane(of[1]), plane(of[2])});
  }
  int side(const Vec3& a, const Vec3& b, const Vec3& c) const { return is_one ? orient3d(a, b, c, of[0]) : orient3d_of_middle(a, b, c, of); }
  Vec3 about() const { return is_one ? of[0] : Vec3((of[0] + of[1] + of[2]) / 3); }
};

/// As Place::turn, with the place moved by less than any number along the first coordinate, and by less than that along the second:
/// never 0 but for an edge that is a point as seen in the plane.
int turn_when_moved(const Projection& plane, const Place& place, const Vec3& a, const Vec3& b) {
  if (const int turn = place.turn(plane, a, b); turn != 0) return turn;
  const Point2 p = plane(a), q = plane(b);
  if (p.y != q.y) return p.y > q.y ? 1 : -1;
  return p.x == q.x ? 0 : q.x > p.x ? 1 : -1;
}

/// Does the place lie on a triangle with some area?
bool lies_on(const Place& place, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Projection plane = projection_of(a, b, c);
  const int turn = orient2d(plane(a), plane(b), plane(c));
  if (turn == 0 || place.side(a, b, c) != 0) return false;
  return place.turn(plane, a, b) != -turn && place.turn(plane, b, c) != -turn && place.turn(plane, c, a) != -turn;
}

}  // namespace

LineWinding::LineWinding(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<const Index> surface)
    : positions_(positions), triangles_(triangles), surface_(surface), tree_(positions, triangles) {}

std::vector<LineWinding::Around> LineWinding::around(const std::array<Vec3, 3>& of, bool is_one) const {
  const Place place{of, is_one};
  const Vec3 about = place.about();
  // What rounding may have made of a middle.
  const double slack = is_one ? 0 : 0x1p-50 * about.cwiseAbs().maxCoeff();
  std::vector<Index> met;
  const auto meets_few = [&](int axis, std::size_t most) {
    met.clear();
    Box3 line{about.array() - slack, about.array() + slack};
    line.hi[axis] = std::numeric_limits<double>::infinity();
    return tree_.for_each_overlapping(line, [&](Index t) { return met.push_back(t), met.size() <= most; });
  };
  constexpr std::size_t few = 64, times = 8;
  int axis = 0;
  for (std::size_t most = few; !meets_few(axis, most);)  // ends: it meets no more than there are
    if (++axis == 3) axis = 0, most *= times;
  const Projection plane = seen_along(axis);
  std::vector<Around> found;
  for (const Index t : met) {
    const Vec3 &a = positions_[triangles_[t][0]], &b = positions_[triangles_[t][1]], &c = positions_[triangles_[t][2]];
    const int turn = orient2d(plane(a), plane(b), plane(c));
    if (turn == 0) {  // a wall along the line, which misses it once it is moved
      if (lies_on(place, a, b, c)) found.push_back({surface_[t], 0, true});
      continue;
    }
    if (place.turn(plane, a, b) == -turn || place.turn(plane, b, c) == -turn || place.turn(plane, c, a) == -turn) continue;
    const int side = place.side(a, b, c);
    if (side == 0)
      found.push_back({surface_[t], 0, true});
    else if (side == -turn && turn_when_moved(plane, place, a, b) == turn && turn_when_moved(plane, place, b, c) == turn &&
             turn_when_moved(plane, place, c, a) == turn)
      found.push_back({surface_[t], turn, false});
  }
  std::sort(found.begin(), found.end(), [](const Around& x, const Around& y) { return x.surface < y.surface; });
  std::vector<Around> sums;
  for (const Around& one : found) {
    if (sums.empty() || sums.back().surface != one.surface) sums.push_back({one.surface, 0, false});
    sums.back().winding += one.winding;
    sums.back().on = sums.back().on || one.on;
  }
  std::erase_if(sums, [](const Around& one) { return one.winding == 0 && !one.on; });
  return sums;
}

}  // namespace anvil
