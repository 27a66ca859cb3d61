// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/field_lines.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <cmath>
#include <mutex>

namespace anvil::recast {
namespace {

using Place = std::array<Index, 3>;

/// Points of the grid as one number each.
class Numbers {
 public:
  explicit Numbers(const Grid& grid) : grid_(grid) {}
  /// In an order in which neighbours along the axis follow each other.
  std::uint64_t of(const Place& p, int axis = 0) const {
    const auto u = static_cast<std::size_t>(u_of(axis)), v = static_cast<std::size_t>(v_of(axis)), a = static_cast<std::size_t>(axis);
    return (static_cast<std::uint64_t>(p[v]) * grid_.size[u] + p[u]) * grid_.size[a] + p[a];
  }
  Place place(std::uint64_t number) const {
    return {static_cast<Index>(number % grid_.size[0]), static_cast<Index>(number / grid_.size[0] % grid_.size[1]), static_cast<Index>(number / grid_.size[0] / grid_.size[1])};
  }

 private:
  const Grid& grid_;
};

/// The points at the corners of cells in which the field may change its sign.
std::vector<std::uint64_t> points_of_interest(const Field& field, const Grid& grid, const Control& control) {
  constexpr Index block = 16;  // cells along each side
  const Numbers numbers(grid);
  std::array<Index, 3> blocks{};
  for (std::size_t k = 0; k < 3; ++k) blocks[k] = (grid.size[k] - 1 + block - 1) / block;
  std::vector<std::uint64_t> all;
  std::mutex mutex;
  tbb::parallel_for(Index{0}, blocks[0] * blocks[1] * blocks[2], [&](Index b) {
    check_stop(control);
    struct Cells {
      Place from;
      Index side;
    };
    std::vector<Cells> waiting{{{b % blocks[0] * block, b / blocks[0] % blocks[1] * block, b / blocks[0] / blocks[1] * block}, block}};
    std::vector<std::uint64_t> found;
    while (!waiting.empty()) {
      const Cells cells = waiting.back();
      waiting.pop_back();
      bool outside = false;
      for (std::size_t k = 0; k < 3; ++k) outside = outside || cells.from[k] + 1 >= grid.size[k];
      if (outside) continue;
      const double half = 0.5 * grid.step * cells.side;
      const Vec3 centre = grid.point(cells.from[0], cells.from[1], cells.from[2]) + Vec3::Constant(half);
      const double reach = std::sqrt(3.0) * half * (1 + 1e-9);
      if (field.may_vanish ? !field.may_vanish(centre, reach) : std::abs(field.at(centre).value) > field.steepest * reach) continue;
      if (cells.side > 1) {
        const Index s = cells.side / 2;
        for (Index k = 0; k < 8; ++k) waiting.push_back({{cells.from[0] + (k & 1) * s, cells.from[1] + (k >> 1 & 1) * s, cells.from[2] + (k >> 2) * s}, s});
        continue;
      }
      for (Index k = 0; k < 8; ++k) found.push_back(numbers.of({cells.from[0] + (k & 1), cells.from[1] + (k >> 1 & 1), cells.from[2] + (k >> 2)}));
    }
    std::sort(found.begin(), found.end());
    found.erase(std::unique(found.begin(), found.end()), found.end());
    const std::lock_guard lock(mutex);
    all.insert(all.end(), found.begin(), found.end());
  });
  tbb::parallel_sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  return all;
}

/// Where the field is zero between two points on a line, by false position with halved ends (Dowell and Jarratt, "A modified regula falsi method", BIT 11, 1971).
/// @return the share of the way
double zero_between(const Field& field, const Vec3& from, const Vec3& to, double at_from, double at_to, FieldSample& there) {
  constexpr int steps = 12;
  double a = 0, b = 1, fa = at_from, fb = at_to, share = 0.5;
  int last = 0;  // which end moved
  for (int k = 0; k < steps; ++k) {
    share = std::clamp(fb - fa != 0 ? a - fa * (b - a) / (fb - fa) : 0.5 * (a + b), a, b);
    there = field.at(from + share * (to - from));
    if (std::abs(there.value) <= 1e-9 * (to - from).norm()) break;
    if ((there.value < 0) == (fa < 0)) {
      a = share, fa = there.value;
      if (last == 1) fb /= 2;
      last = 1;
    } else {
      b = share, fb = there.value;
      if (last == 2) fa /= 2;
      last = 2;
    }
  }
  return share;
}

/// The crossings on an edge of the grid: one where its ends have different signs; else two where the field bends over between them, as at a tip or in a thin wall.
struct OnEdge {
  std::size_t count = 0;
  std::array<double, 2> share;
  std::array<FieldSample, 2> there;
};
OnEdge on_edge(const Field& field, const Vec3& from, const Vec3& to, const FieldSample& one, const FieldSample& other) {
  OnEdge found;
  if ((one.value < 0) != (other.value < 0)) {
    found.count = 1;
    found.share[0] = zero_between(field, from, to, one.value, other.value, found.there[0]);
    return found;
  }
  // Where it would bend if it were two planes.
  const Vec3 way = to - from;
  const double down = one.gradient.dot(way), up = other.gradient.dot(way);
  if (down == up) return found;
  const double bend = (other.value - up - one.value) / (down - up);
  if (!(bend > 1e-6 && bend < 1 - 1e-6)) return found;
  const FieldSample middle = field.at(from + bend * way);
  constexpr double just_touches = 1e-6;
  if ((middle.value < 0) == (one.value < 0) || std::abs(middle.value) < just_touches * way.norm()) return found;
  found.count = 2;
  found.share[0] = bend * zero_between(field, from, from + bend * way, one.value, middle.value, found.there[0]);
  found.share[1] = bend + (1 - bend) * zero_between(field, from + bend * way, to, middle.value, other.value, found.there[1]);
  return found;
}

}  // namespace

FieldCrossings crossings_of_field(const Field& field, const Grid& grid, const Control& control) {
  const Numbers numbers(grid);
  const std::vector<std::uint64_t> points = points_of_interest(field, grid, control);
  std::vector<FieldSample> sample(points.size());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, points.size(), 1024), [&](const auto& range) {
    check_stop(control);
    for (std::size_t i = range.begin(); i < range.end(); ++i) {
      const Place p = numbers.place(points[i]);
      sample[i] = field.at(grid.point(p[0], p[1], p[2]));
    }
  });
  FieldCrossings made;
  struct Along {
    std::uint64_t number;
    Index point;
    bool operator<(const Along& o) const { return number < o.number; }
  };
  for (int axis = 0; axis < 3; ++axis) {
    const auto a = static_cast<std::size_t>(axis), u = static_cast<std::size_t>(u_of(axis)), v = static_cast<std::size_t>(v_of(axis));
    std::vector<Along> order(points.size());
    tbb::parallel_for(std::size_t{0}, points.size(), [&](std::size_t i) { order[i] = {numbers.of(numbers.place(points[i]), axis), static_cast<Index>(i)}; });
    tbb::parallel_sort(order.begin(), order.end());
    std::vector<Index> pairs;  // places in the order, of the first of two neighbours between which there may be a crossing
    for (Index i = 0; i + 1 < order.size(); ++i) {
      if (order[i + 1].number != order[i].number + 1 || order[i + 1].number % grid.size[a] == 0) continue;
      const double f = sample[order[i].point].value, g = sample[order[i + 1].point].value;
      if ((f < 0) != (g < 0) || std::abs(f) + std::abs(g) < field.steepest * grid.step) pairs.push_back(i);
    }
    std::vector<OnEdge> found(pairs.size());
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, pairs.size(), 512), [&](const auto& range) {
      check_stop(control);
      for (std::size_t k = range.begin(); k < range.end(); ++k) {
        const Index one = order[pairs[k]].point, other = order[pairs[k] + 1].point;
        const Place p = numbers.place(points[one]), q = numbers.place(points[other]);
        found[k] = on_edge(field, grid.point(p[0], p[1], p[2]), grid.point(q[0], q[1], q[2]), sample[one], sample[other]);
      }
    });
    for (std::size_t k = 0; k < pairs.size(); ++k) {
      const Place p = numbers.place(points[order[pairs[k]].point]);
      bool inside = sample[order[pairs[k]].point].value < 0;
      for (std::size_t j = 0; j < found[k].count; ++j, inside = !inside) {
        made.crossings[a].push_back({p[u] + p[v] * grid.size[u], p[a], static_cast<Index>(made.normals.size()), inside, grid.at(axis, p[a]) + found[k].share[j] * grid.step});
        made.normals.push_back(found[k].there[j].gradient);
        made.source.push_back(found[k].there[j].source);
      }
    }
  }
  return made;
}

Ground ground_of(const Field& field, const Box3& box, const Control& control) {
  Ground ground;
  ground.box = box;
  ground.meet = [&field, control](const Grid& grid) {
    FieldCrossings found = crossings_of_field(field, grid, control);
    return Ground::Met{std::move(found.crossings), std::move(found.normals), std::move(found.source)};
  };
  ground.nearest = [&field](const Vec3& p) { return nearest_on_field(field, p); };
  ground.closed = field.closed;
  return ground;
}

Field offset_field(const SignedDistance& distance, double offset) {
  Field field;
  field.at = [&distance, offset](const Vec3& p) {
    FieldSample sample = distance(p);
    sample.value -= offset;
    return sample;
  };
  field.closed = true;
  return field;
}

Tangent nearest_on_field(const Field& field, const Vec3& p) {
  constexpr int steps = 8;
  Tangent found{p, Vec3::Zero()};
  for (int k = 0; k < steps; ++k) {
    const FieldSample sample = field.at(found.point);
    found.normal = sample.gradient;
    found.point -= sample.value * sample.gradient;
  }
  return found;
}

}  // namespace anvil::recast
