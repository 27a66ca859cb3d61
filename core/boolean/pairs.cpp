// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 2: which triangles may meet.
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>

#include "core/boolean/contradiction.h"
#include "core/boolean/soup.h"
#include "core/mesh/bvh.h"
#include "core/mesh/box_cover.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/weld.h"

namespace anvil::boolean {
namespace {

constexpr const char* too_many_pairs = "ever more faces come near each other";
constexpr const char* too_much_work = "more had to be looked at than was allowed";

[[noreturn]] void refuse(const PairSearch& search) {
  if (search.max_pairs == PairSearch::many_pairs) throw TooLarge("faces that come near each other");
  throw Contradiction(too_many_pairs);
}

/// Triangles looked at, and pairs of them found. Throws Contradiction.
void count_work(const Control& control, std::size_t triangles, std::size_t pairs) {
  if (control.work != nullptr && (control.work->done += triangles + pairs) > control.work->most) throw Contradiction(too_much_work);
}

/// Triangles that may meet another: within the bounds of another part, or of a part that crosses itself.
struct Candidates {
  std::vector<Index> triangles;
  std::vector<Box3> boxes;
};
Candidates candidates(const Soup& soup, double margin, const std::vector<Index>* among) {
  const std::size_t parts = soup.parts.size(), count = among != nullptr ? among->size() : soup.triangles.size();
  auto triangle = [&](std::size_t k) { return among != nullptr ? (*among)[k] : static_cast<Index>(k); };
  auto left_out = [&](Index i) { return soup.removed[i] || !soup.active[i]; };
  // Bounds per part of all, and of what contact has changed: that may meet its own part.
  struct Bounds {
    std::vector<Box3> all, changed;
  };
  constexpr std::size_t block = 16384;
  std::vector<Bounds> of_block((count + block - 1) / block);
  tbb::parallel_for(std::size_t{0}, of_block.size(), [&](std::size_t b) {
    Bounds& bounds = of_block[b];
    bounds.all.resize(parts);
    bounds.changed.resize(parts);
    for (std::size_t k = b * block; k < std::min(count, (b + 1) * block); ++k) {
      const Index i = triangle(k);
      if (left_out(i)) continue;
      for (Index v : soup.triangles[i]) {
        bounds.all[soup.part[i]].add(soup.points[v]);
        if (soup.needs_self_test[i]) bounds.changed[soup.part[i]].add(soup.points[v]);
      }
    }
  });
  Bounds bounds{std::vector<Box3>(parts), std::vector<Box3>(parts)};
  for (const Bounds& b : of_block)
    for (std::size_t k = 0; k < parts; ++k)
      for (const auto& [from, to] : {std::pair(&b.all[k], &bounds.all[k]), std::pair(&b.changed[k], &bounds.changed[k])})
        if (!from->empty()) to->add(from->lo), to->add(from->hi);
  std::vector<std::vector<Box3>> common = common_boxes(bounds.all, margin);
  std::vector<BoxCover> others;
  for (std::size_t k = 0; k < parts; ++k) {
    common[k].push_back(bounds.changed[k]);
    others.emplace_back(std::move(common[k]));
  }
  std::vector<Candidates> chosen(of_block.size());
  tbb::parallel_for(std::size_t{0}, chosen.size(), [&](std::size_t b) {
    for (std::size_t k = b * block; k < std::min(count, (b + 1) * block); ++k) {
      const Index i = triangle(k);
      if (left_out(i)) continue;
      const Box3 box = box_of(soup.points, soup.triangles[i]);
      if (!soup.parts[soup.part[i]].crosses_itself && !others[soup.part[i]].may_overlap(box)) continue;
      chosen[b].triangles.push_back(i);
      chosen[b].boxes.push_back(box);
    }
  });
  if (chosen.size() == 1) return std::move(chosen[0]);
  Candidates all;
  for (const Candidates& some : chosen) {
    all.triangles.insert(all.triangles.end(), some.triangles.begin(), some.triangles.end());
    all.boxes.insert(all.boxes.end(), some.boxes.begin(), some.boxes.end());
  }
  return all;
}

/// The planes of triangles that are far larger than most: of a slanting one the box overlaps many that are nowhere near it.
class LargePlanes {
 public:
  LargePlanes(std::span<const Vec3> points, std::span<const Triangle> triangles, double margin) : points_(points), triangles_(triangles) {
    constexpr double times = 16;
    double sum = 0;
    std::vector<double> sizes;
    for (const Triangle& t : triangles) {
      sizes.push_back(box_of(points, t).size().maxCoeff());
      sum += sizes.back();
    }
    for (std::size_t i = 0; i < triangles.size(); ++i) {
      if (sizes[i] * static_cast<double>(triangles.size()) <= times * sum) continue;
      const auto& [a, b, c] = triangles[i];
      const Vec3 u = points[b] - points[a], v = points[c] - points[a], normal = u.cross(v);
      place_.resize(triangles.size(), no_index);
      place_[i] = static_cast<Index>(planes_.size());
      // Shewchuk 1997, o3derrboundA, as in core/mesh/triangles_cross.cpp; the length of the normal is off by far less than a hundredth.
      planes_.push_back({points[a], normal, 43 * 0x1p-53 * u.cwiseAbs().maxCoeff() * v.cwiseAbs().maxCoeff(), 1.01 * 2 * margin * normal.norm()});
    }
  }
  /// Does such a plane have all of the other triangle on one side, farther off than any margin?
  bool part(Index i, Index j) const { return !planes_.empty() && (is_beyond(i, j) || is_beyond(j, i)); }

 private:
  struct Plane {
    Vec3 origin, normal;
    double error, beyond;  ///< of a height, times the farthest coordinate from the origin; and the least one that is beyond the margin
  };
  bool is_beyond(Index large, Index other) const {
    if (place_[large] == no_index) return false;
    const Plane& plane = planes_[place_[large]];
    // 1 or -1 where it is surely beyond on that side.
    const auto side = [&](std::size_t k) {
      const Vec3 d = points_[triangles_[other][k]] - plane.origin;
      const double height = plane.normal.dot(d), least = plane.beyond + plane.error * d.cwiseAbs().maxCoeff() + std::numeric_limits<double>::min();
      return height > least ? 1 : height < -least ? -1 : 0;
    };
    const int first = side(0);
    return first != 0 && side(1) == first && side(2) == first;
  }
  std::span<const Vec3> points_;
  std::span<const Triangle> triangles_;
  std::vector<Index> place_;  ///< per triangle, of its plane; empty: there are none
  std::vector<Plane> planes_;
};

}  // namespace

std::vector<TrianglePair> find_pairs(const Soup& soup, const PairSearch& search, const Control& control) {
  auto [chosen, boxes] = candidates(soup, search.margin, search.among);
  std::vector<Index> groups;
  groups.reserve(chosen.size());
  for (Index i : chosen) {
    const bool alone = soup.parts[soup.part[i]].crosses_itself || soup.needs_self_test[i];
    groups.push_back(alone ? no_index : soup.part[i]);
  }
  count_work(control, chosen.size(), 0);
  const std::vector<char> near = broad_phase(boxes, groups, search.margin);
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
  const Bvh tree(soup.points, triangles, search.margin, groups);
  const LargePlanes large(soup.points, triangles, search.margin);
  check_stop(control);
  constexpr std::size_t counted_at_once = 4096;
  tbb::enumerable_thread_specific<std::vector<TrianglePair>> found;
  std::atomic<std::size_t> count = 0;
  tree.for_each_pair(
      [&](Index i, Index j) {
        const Index s = std::min(chosen[i], chosen[j]), t = std::max(chosen[i], chosen[j]);
        if (!soup.may_meet(s, t) || large.part(i, j)) return;
        std::vector<TrianglePair>& own = found.local();
        own.push_back({s, t});
        if (own.size() % counted_at_once == 0 && (count += counted_at_once) > search.max_pairs) refuse(search);
      },
      control.stop);
  std::vector<TrianglePair> pairs;
  for (const auto& list : found) pairs.insert(pairs.end(), list.begin(), list.end());
  if (pairs.size() > search.max_pairs) refuse(search);
  count_work(control, 0, pairs.size());
  sort_by_bucket(pairs, soup.triangles.size(), [](const TrianglePair& pair) { return pair.s; });
  return pairs;
}

void weld_parts(Soup& soup, const std::vector<TrianglePair>& pairs) {
  std::vector<char> meets(soup.triangles.size(), 0);
  for (const TrianglePair& pair : pairs)
    if (soup.part[pair.s] != soup.part[pair.t]) meets[pair.s] = meets[pair.t] = 1;
  // Places of their vertices, in order; then of each vertex the one that stays.
  std::vector<Index> place(soup.points.size(), no_index), vertices;
  for (std::size_t t = 0; t < meets.size(); ++t)
    for (std::size_t k = 0; k < 3 && meets[t]; ++k) place[soup.triangles[t][k]] = 0;
  std::vector<Vec3> places;
  for (Index v = 0; v < place.size(); ++v) {
    if (place[v] == no_index) continue;
    place[v] = static_cast<Index>(vertices.size());
    vertices.push_back(v);
    places.push_back(soup.points[v]);
  }
  const WeldMap weld = weld_equal(places);
  if (weld.first.size() == places.size()) return;
  auto stays = [&](Index v) { return vertices[weld.first[weld.id[place[v]]]]; };
  for (Index v : vertices)
    if (stays(v) != v) soup.maybe_non_manifold[stays(v)] = 1;
  for (std::size_t t = 0; t < meets.size(); ++t)
    for (std::size_t k = 0; k < 3 && meets[t]; ++k) soup.triangles[t][k] = stays(soup.triangles[t][k]);
}

}  // namespace anvil::boolean
