// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 1, between: which triangles are so far from all other parts that they need not be looked at.
#include "core/boolean/untouched.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <numeric>

#include "core/mesh/box_cover.h"
#include "core/mesh/edges.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

Box3 box_of(const Prepared& part, Index t) {
  return anvil::box_of(part.points, part.triangles[t]);
}

std::pair<Index, Index> triangles_of(const Prepared& part, Index block) {
  const auto begin = static_cast<Index>(block * Prepared::block),
             count = static_cast<Index>(part.triangles.size());
  return {begin, std::min(count, begin + static_cast<Index>(Prepared::block))};
}

/// Triangles of one part that must be looked at one by one.
class NearOfPart {
 public:
  explicit NearOfPart(const Prepared& part) : part_(part), near_(part.triangles.size(), 0) {}

  void add(Index t) {
    if (near_[t]) return;
    near_[t] = 1;
    list_.push_back(t);
  }
  /// What lies about the triangles that may meet others: cutting and rounding those must not reach beyond.
  void add_about(const std::vector<Index>& meeting, double margin) {
    if (meeting.empty()) return;
    Box3 around;
    std::vector<char> meets(near_.size(), 0);
    for (Index t : meeting) {
      meets[t] = 1;
      for (Index v : part_.triangles[t]) around.add(part_.points[v]);
    }
    around.lo.array() -= margin;
    around.hi.array() += margin;
    // Blocks of triangles first: most are far from all that meets others.
    std::vector<Index> blocks, groups;
    std::vector<Box3> boxes;
    for (Index b = 0; b < part_.blocks.size(); ++b) {
      if (!overlap(part_.blocks[b], around)) continue;
      const auto [begin, end] = triangles_of(part_, b);
      blocks.push_back(b);
      boxes.push_back(part_.blocks[b]);
      groups.push_back(
          std::find(meets.begin() + begin, meets.begin() + end, 1) != meets.begin() + end ? no_index : 0);
    }
    const std::vector<char> close_blocks = broad_phase(boxes, groups, margin);
    std::vector<Index> chosen;
    groups.clear();
    boxes.clear();
    const std::size_t most = Prepared::block * static_cast<std::size_t>(std::count(close_blocks.begin(), close_blocks.end(), 1));
    chosen.reserve(most);
    groups.reserve(most);
    boxes.reserve(most);
    for (std::size_t k = 0; k < blocks.size(); ++k) {
      if (!close_blocks[k]) continue;
      const auto [begin, end] = triangles_of(part_, blocks[k]);
      for (Index t = begin; t < end; ++t) {
        const Box3 box = box_of(part_, t);
        if (!overlap(box, around)) continue;
        chosen.push_back(t);
        boxes.push_back(box);
        groups.push_back(meets[t] ? no_index : 0);
      }
    }
    const std::vector<char> close = broad_phase(boxes, groups, margin);
    for (std::size_t k = 0; k < chosen.size(); ++k)
      if (close[k]) add(chosen[k]);
  }
  /// All triangles at the vertices of those so far.
  void add_ring() {
    at_vertex_.resize(part_.points.size(), 0);
    for (const std::size_t inner = list_.size(); ringed_ < inner; ++ringed_) {
      const Index t = list_[ringed_];
      for (Index c = 3 * t; c < 3 * t + 3; ++c) {
        const Index v = part_.triangles[t][c % 3];
        if (at_vertex_[v]) continue;
        at_vertex_[v] = 1;
        if (part_.maybe_non_manifold[v]) continue;  // all near a place that is not manifold
        for (Index at = next_in_triangle(part_.opposite[c]); at != c; at = next_in_triangle(part_.opposite[at])) add(at / 3);
      }
    }
  }
  void add_non_manifold() {
    if (part_.near_non_manifold.uniform()) return;  // none
    for (Index t = 0; t < near_.size(); ++t)
      if (part_.near_non_manifold[t]) add(t);
  }
  /// A face passes whole or not at all.
  void add_whole_faces() {
    if (part_.one_triangle_each) return;
    for (std::size_t k = 0; k < list_.size(); ++k) {
      const auto [first, end] = part_.polygon(list_[k]);
      for (Index t = first; t < end; ++t) add(t);
    }
  }
  /// Every shell has a near triangle, by which it is told where the shell lies.
  void add_one_of_each_shell() {
    std::vector<char> has(part_.shells, 0);
    for (Index t : list_) has[part_.shell[t]] = 1;
    if (std::find(has.begin(), has.end(), 0) == has.end()) return;
    for (Index t = 0; t < near_.size(); ++t)
      if (!has[part_.shell[t]]) has[part_.shell[t]] = 1, add(t);
  }
  const std::vector<Index>& list() const { return list_; }
  std::vector<Index> in_order() const {
    std::vector<Index> sorted;
    if (list_.size() * 32 < near_.size()) {
      sorted = list_;
      std::sort(sorted.begin(), sorted.end());
      return sorted;
    }
    sorted.reserve(list_.size());
    for (Index t = 0; t < near_.size(); ++t)
      if (near_[t]) sorted.push_back(t);
    return sorted;
  }

 private:
  const Prepared& part_;
  std::vector<char> near_;
  std::vector<Index> list_;
  std::vector<char> at_vertex_;  ///< per point: all triangles there are in the list
  std::size_t ringed_ = 0;       ///< triangles of the list that have all at their vertices in it
};

/// Untouched triangles by the untouched region they lie in. From the boundary of the near ones a front goes out in every
/// direction, all at the same pace; fronts that meet go on as one. The last front of a shell need not be
/// followed to its end: what no other front has taken is its. So the work is that of the smaller untouched regions,
/// however large the shell is.
class RegionGrowth {
 public:
  RegionGrowth(const Prepared& part, const NearOfPart& near, std::vector<Index>& region_of)
      : part_(part), region_of_(region_of), first_front_(part.shells) {
    region_of_ = part.shell;
    for (Index t : near.list()) region_of_[t] = no_index;
    for (Index t : near.list())
      for (std::size_t k = 0; k < 3; ++k)
        if (const Index opposite = part.opposite[3 * t + k]; opposite != no_index && region_of_[opposite / 3] != no_index)
          seeds_.push_back(opposite / 3);
    std::sort(seeds_.begin(), seeds_.end());
    seeds_.erase(std::unique(seeds_.begin(), seeds_.end()), seeds_.end());
    fronts_.resize(seeds_.size());
    leader_ = UnionFind(seeds_.size());
    active_of_shell_.assign(part.shells, 0);
    for (Index k = 0; k < seeds_.size(); ++k) {
      ++active_of_shell_[part.shell[seeds_[k]]];
      region_of_[seeds_[k]] = first_front_ + k;
      fronts_[k].taken.push_back(seeds_[k]);
    }
  }

  /// @return the number of untouched regions
  Index run() {
    std::vector<Index> advancing(fronts_.size());
    for (Index k = 0; k < advancing.size(); ++k) advancing[k] = k;
    for (std::size_t pace = 16; !advancing.empty(); pace += pace / 2) {
      for (Index k : advancing) advance(k, pace);
      std::erase_if(advancing, [&](Index k) {
        if (leader_.find(k) != k) return true;
        return fronts_[k].done || active_of_shell_[shell(k)] == 1;
      });
    }
    // Names: that of the shell for its rest, then the fronts that ended.
    Index names = part_.shells;
    for (Index k = 0; k < fronts_.size(); ++k) {
      if (leader_.find(k) != k) continue;
      const Index name = fronts_[k].done ? names++ : shell(k);
      for (Index t : fronts_[k].taken) region_of_[t] = name;
    }
    // A shell of which nothing is left has no untouched region.
    std::vector<Index> number(names, no_index);
    for (Index t : seeds_) number[region_of_[t]] = 0;
    Index count = 0;
    for (Index& n : number)
      if (n != no_index) n = count++;
    if (count < names)
      for (Index& s : region_of_)
        if (s != no_index) s = number[s];
    return count;
  }

 private:
  struct Front {
    std::vector<Index> taken;  ///< triangles; those from `next` on have neighbours to be looked at
    std::size_t next = 0;
    bool done = false;
  };
  Index shell(Index front) const { return part_.shell[fronts_[front].taken.front()]; }

  void advance(Index k, std::size_t steps) {
    if (leader_.find(k) != k || fronts_[k].done) return;
    std::vector<Index> met;
    for (; steps > 0 && active_of_shell_[shell(k)] > 1; --steps) {
      Front& front = fronts_[k];
      if (front.next == front.taken.size()) {
        front.done = true;
        --active_of_shell_[shell(k)];
        return;
      }
      const Index t = front.taken[front.next++];
      for (Index c = 3 * t; c < 3 * t + 3; ++c) {
        const Index other = part_.opposite[c] / 3, there = region_of_[other];
        if (there == no_index) continue;
        if (there >= first_front_) {
          met.push_back(there - first_front_);
          continue;
        }
        region_of_[other] = first_front_ + k;
        front.taken.push_back(other);
      }
      for (Index other : met) {
        if (leader_.find(other) == k) continue;
        k = join(k, leader_.find(other));
        --active_of_shell_[shell(k)];
      }
      met.clear();
    }
  }

  /// What both have still to look at is behind `next` in the joined one.
  Index join(Index a, Index b) {
    leader_.unite(a, b);
    const Index to = leader_.find(a), from = to == a ? b : a;
    Front &into = fronts_[to], &other = fronts_[from];
    if (into.taken.size() < other.taken.size()) std::swap(into, other);
    // Looked at: [0, next). Keep that in front.
    const std::size_t open = into.taken.size() - into.next;
    into.taken.insert(into.taken.end(), other.taken.begin(), other.taken.end());
    const auto begin = into.taken.begin() + static_cast<std::ptrdiff_t>(into.next);
    std::rotate(begin, begin + static_cast<std::ptrdiff_t>(open),
                begin + static_cast<std::ptrdiff_t>(open + other.next));
    into.next += other.next;
    other = {};
    other.done = true;
    return to;
  }

  const Prepared& part_;
  std::vector<Index>& region_of_;  ///< shells, and from first_front_ on fronts
  Index first_front_;
  std::vector<Index> seeds_;  ///< untouched triangles beside near ones
  std::vector<Front> fronts_;
  UnionFind leader_{0};
  std::vector<Index> active_of_shell_;
};

/// Per part, the triangles that come near a triangle of another.
std::vector<std::vector<Index>> find_meeting(const std::vector<PreparedPtr>& parts, double margin,
                                             const Control& control) {
  /// Blocks or triangles of parts.
  struct Items {
    std::vector<Index> part, number;
    std::vector<Box3> box;
    void add(Index p, Index n, const Box3& b) {
      part.push_back(p);
      number.push_back(n);
      box.push_back(b);
    }
    void keep(const std::vector<char>& which) {
      std::size_t kept = 0;
      for (std::size_t k = 0; k < which.size(); ++k) {
        if (!which[k]) continue;
        part[kept] = part[k];
        number[kept++] = number[k];
      }
      part.resize(kept);
      number.resize(kept);
      box = {};  // asked for once
    }
  };
  // Blocks of triangles within the bounds of another part first, then those near a block of one, then their
  // triangles.
  std::vector<Box3> bounds;
  for (const PreparedPtr& part : parts) bounds.push_back(part->box);
  std::vector<BoxCover> others;
  for (std::vector<Box3>& common : common_boxes(bounds, margin)) others.emplace_back(std::move(common));
  Items blocks;
  for (Index k = 0; k < parts.size(); ++k)
    for (Index b = 0; b < parts[k]->blocks.size(); ++b)
      if (others[k].may_overlap(parts[k]->blocks[b])) blocks.add(k, b, parts[k]->blocks[b]);
  blocks.keep(broad_phase(blocks.box, blocks.part, margin));
  check_stop(control);
  Items triangles;
  for (std::size_t n = 0; n < blocks.part.size(); ++n) {
    const Index k = blocks.part[n];
    const auto [begin, end] = triangles_of(*parts[k], blocks.number[n]);
    for (Index t = begin; t < end; ++t)
      if (const Box3 box = box_of(*parts[k], t); others[k].may_overlap(box)) triangles.add(k, t, box);
  }
  triangles.keep(broad_phase(triangles.box, triangles.part, margin));
  check_stop(control);
  std::vector<std::vector<Index>> meeting(parts.size());
  for (std::size_t n = 0; n < triangles.part.size(); ++n) meeting[triangles.part[n]].push_back(triangles.number[n]);
  return meeting;
}

}  // namespace

Untouched find_untouched(const std::vector<PreparedPtr>& prepared, double margin, bool nothing, const Control& control) {
  Untouched untouched;
  untouched.parts.resize(prepared.size());
  Index points = 0, triangles = 0;
  for (std::size_t k = 0; k < prepared.size(); ++k) {
    Untouched::Part& part = untouched.parts[k];
    part.prepared = prepared[k];
    part.first_point = points;
    part.first_triangle = triangles;
    points += static_cast<Index>(prepared[k]->points.size());
    triangles += static_cast<Index>(prepared[k]->triangles.size());
  }
  auto all_meet = [](Untouched::Part& part) {
    part.meeting.resize(part.prepared->triangles.size());
    std::iota(part.meeting.begin(), part.meeting.end(), Index{0});
  };
  if (nothing) {
    for (Untouched::Part& part : untouched.parts) all_meet(part);
    return untouched;
  }

  std::vector<std::vector<Index>> meeting = find_meeting(prepared, margin, control);
  std::vector<Index> regions(prepared.size(), 0);
  tbb::parallel_for(std::size_t{0}, prepared.size(), [&](std::size_t k) {
    Untouched::Part& part = untouched.parts[k];
    const std::vector<Index>& crossing = prepared[k]->crossing;
    std::set_union(meeting[k].begin(), meeting[k].end(), crossing.begin(), crossing.end(), std::back_inserter(part.meeting));
    NearOfPart near(*prepared[k]);
    near.add_about(part.meeting, margin);
    near.add_whole_faces();  // a flat one is cut as a whole
    near.add_non_manifold();
    near.add_one_of_each_shell();
    near.add_ring();
    near.add_ring();
    near.add_whole_faces();
    const bool all_near = 2 * near.list().size() > prepared[k]->triangles.size();
    if (all_near && prepared[k]->crosses_itself) return all_meet(part);
    if (all_near) return;
    part.all_near = false;
    regions[k] = RegionGrowth(*prepared[k], near, part.region_of).run();
    part.near = near.in_order();
    // Beside what crosses, others of the part may lie nearly on each other.
    if (prepared[k]->crosses_itself) part.meeting = part.near;
  });
  for (Index k = 0; k < prepared.size(); ++k) {
    const auto first = static_cast<Index>(untouched.part_of.size());
    untouched.part_of.resize(first + regions[k], k);
    if (first == 0) continue;
    for (Index& r : untouched.parts[k].region_of)
      if (r != no_index) r += first;
  }
  return untouched;
}

}  // namespace anvil::boolean
