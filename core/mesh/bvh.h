// SPDX-License-Identifier: GPL-3.0-or-later
// A bounding-volume hierarchy over triangles: candidates for overlap, and the nearest hit of a ray.
// Boxes are single precision relative to the centre of the bounds, rounded outwards: they may say yes
// too often, never no.
#pragma once

#include <algorithm>
#include <functional>
#include <optional>

#include "core/control.h"
#include "core/mesh/triangulate.h"

namespace anvil {

/// The triangles along a Morton curve through the middles of their boxes, so that near ones are near each other.
std::vector<Index> morton_order(std::span<const Vec3> positions, std::span<const Triangle> triangles);

class Bvh {
 public:
  /// Sorts the triangles along a Morton curve and builds a perfect binary tree of boxes over groups of
  /// four (Lauterbach et al., "Fast BVH Construction on GPUs", 2009; here with equal-sized leaves).
  /// @param margin  boxes are larger by so much on every side
  /// @param groups  a number per triangle; pairs of one group are not asked for, except of group no_index.
  ///                Empty means that all pairs are
  Bvh(std::span<const Vec3> positions, std::span<const Triangle> triangles, double margin = 0,
      std::span<const Index> groups = {});
  /// Of some of the triangles, sorted already.
  Bvh(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::vector<Index> order, double margin,
      std::span<const Index> groups);

  /// Calls visit(i, j) once for every pair i ≠ j of triangles whose boxes overlap. Calls come from
  /// several threads at once and in no particular order. Throws Stopped.
  void for_each_pair(const std::function<void(Index, Index)>& visit, const std::stop_token& stop) const;

  /// Calls visit(triangle) for those whose boxes overlap `box`, until it returns false; may be called for some too many, never
  /// for too few. Sides of `box` may be infinite.
  /// @return whether it went through all of them
  template <class Visit>
  bool for_each_overlapping(const Box3& box, Visit&& visit) const;

  struct Hit {
    Index triangle;
    double distance;  ///< in lengths of `direction`
  };
  /// Nearest triangle hit by the ray, either side (Möller and Trumbore 1997; for picking, not exact).
  /// @param farthest  in lengths of `direction`: what lies farther is not looked for
  std::optional<Hit> nearest_hit(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Vec3& origin, const Vec3& direction,
                                 double farthest = std::numeric_limits<double>::infinity()) const;

  struct Nearest {
    Index triangle = no_index;
    double square = std::numeric_limits<double>::infinity();  ///< of the distance
  };
  /// The triangle nearest to a point, where one is nearer than `bound`, a distance squared; else its triangle is no_index.
  /// There have to be triangles, of positions as they were.
  Nearest nearest(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Vec3& p,
                  double bound = std::numeric_limits<double>::infinity()) const;
  /// The same for a few points near each other at once, which costs less. The square of each that is known is its bound; where
  /// none is nearer it stays as it is.
  /// @param leaves  scratch memory
  /// @return false, and nothing is known then, where the bounds leave so much to look at that it costs less to ask for one after the other
  bool nearest(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<const Vec3> points, std::span<Nearest> known,
               std::vector<std::size_t>& leaves) const;

 private:
  static constexpr float sure = 1 - 0x1p-20f;  ///< what rounding may make of a sum of squares is taken off
  void look_in_leaf(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::size_t place, const Vec3& p,
                    const std::array<float, 3>& at, float off, Nearest& nearest) const;
  struct Box {
    float lo[3], hi[3];
    bool overlaps(const Box& o) const {
      return (lo[0] <= o.hi[0]) & (lo[1] <= o.hi[1]) & (lo[2] <= o.hi[2]) & (o.lo[0] <= hi[0]) &
             (o.lo[1] <= hi[1]) & (o.lo[2] <= hi[2]);
    }
    void add(const Box& o);
  };
  static constexpr std::size_t leaf_size = 4;
  /// The boxes of a leaf side by side, to be compared with one box at once; those that are not there are empty.
  struct Leaf {
    float lo[3][leaf_size], hi[3][leaf_size];
    /// @return for each of the four, not 0 when it overlaps
    std::array<int, leaf_size> overlaps(const Box& o) const {
      std::array<int, leaf_size> hit;
      for (std::size_t j = 0; j < leaf_size; ++j)
        hit[j] = (lo[0][j] <= o.hi[0]) & (lo[1][j] <= o.hi[1]) & (lo[2][j] <= o.hi[2]) & (o.lo[0] <= hi[0][j]) &
                 (o.lo[1] <= hi[1][j]) & (o.lo[2] <= hi[2][j]);
      return hit;
    }
  };
  struct PairWalk;

  Box box(std::size_t place) const {
    const Leaf& leaf = leaf_boxes_[place / leaf_size];
    const std::size_t j = place % leaf_size;
    return {{leaf.lo[0][j], leaf.lo[1][j], leaf.lo[2][j]}, {leaf.hi[0][j], leaf.hi[1][j], leaf.hi[2][j]}};
  }

  Vec3 centre_;
  std::vector<Index> order_;  ///< triangle at each place of the curve
  std::vector<Leaf> leaf_boxes_;  ///< of the triangles at each leaf's places
  std::vector<Box> nodes_;    ///< heap order, root at 1; leaves at [leaves_, 2 leaves_)
  std::vector<Index> groups_;    ///< of each place
  std::vector<Index> group_of_;  ///< of each node: the group of all its triangles, no_index when they differ
  std::size_t leaves_ = 1;    ///< power of two
};

template <class Visit>
bool Bvh::for_each_overlapping(const Box3& box, Visit&& visit) const {
  // Differences of doubles are rounded in one way for what is asked and for what is kept, and what is kept was then rounded outwards.
  const Vec3 lo = box.lo - centre_, hi = box.hi - centre_;
  const auto misses = [&](const float* from, const float* to, std::size_t stride) {
    for (std::size_t k = 0; k < 3; ++k) {
      const auto axis = static_cast<Eigen::Index>(k);
      if (!(from[k * stride] <= hi[axis] && to[k * stride] >= lo[axis])) return true;
    }
    return false;
  };
  std::array<std::size_t, 128> stack{1};  // two for each level, and the tree is perfect
  for (std::size_t waiting = 1; waiting > 0;) {
    const std::size_t node = stack[--waiting];
    if (misses(nodes_[node].lo, nodes_[node].hi, 1)) continue;
    if (node < leaves_) {
      stack[waiting++] = 2 * node + 1;
      stack[waiting++] = 2 * node;
      continue;
    }
    const std::size_t begin = (node - leaves_) * leaf_size;
    const Leaf& leaf = leaf_boxes_[node - leaves_];
    for (std::size_t i = begin; i < std::min(order_.size(), begin + leaf_size); ++i)
      if (!misses(&leaf.lo[0][i - begin], &leaf.hi[0][i - begin], leaf_size) && !visit(order_[i])) return false;
  }
  return true;
}

}  // namespace anvil
