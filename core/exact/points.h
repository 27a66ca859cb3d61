// SPDX-License-Identifier: GPL-3.0-or-later
// Points of an arrangement: given ones, and ones defined as a line meeting a plane or as three planes meeting.
// Defined points are never rounded in predicates: each keeps its definition and an approximation with a bound
// on its error; what that cannot decide is decided by exact integer arithmetic on homogeneous coordinates
// (after Attene, "Indirect Predicates for Geometric Constructions", CAD 2020; departing in that the bound
// belongs to the point and not to the predicate, and that the exact path is CGAL's Mpzf).
#pragma once

#include <atomic>

#include "core/exact/bounded.h"
#include "core/exact/predicates.h"

namespace anvil {

using Plane = std::array<Vec3, 3>;  ///< through three points that are not on one line

class PointSet {
 public:
  /// @param given  ids 0 … given.size()−1; must outlive the set
  explicit PointSet(std::span<const Vec3> given) : given_(given) {}

  std::size_t size() const { return given_.size() + defined_.size(); }
  bool is_given(Index id) const { return id < given_.size(); }

  /// The point where line pq meets the plane; they must meet in exactly one point.
  Index add(const Vec3& p, const Vec3& q, const Plane& plane);
  /// The point where three planes meet; they must meet in exactly one point.
  Index add(const Plane& a, const Plane& b, const Plane& c);
  /// The point where two coplanar lines cross; they must not be parallel.
  Index add_crossing(const Vec3& p, const Vec3& q, const Vec3& r, const Vec3& s);

  Vec3 approximate(Index id) const {
    if (is_given(id)) return given_[id];
    const Defined& d = defined_[id - given_.size()];
    return {d.at[0].value, d.at[1].value, d.at[2].value};
  }
  Bounded coordinate(Index id, int axis) const {
    return is_given(id) ? Bounded(given_[id][axis]) : defined_[id - given_.size()].at[static_cast<std::size_t>(axis)];
  }

  /// Sign of the side of the plane on which the point lies, as orient3d.
  int side(const Plane& plane, Index id) const;
  /// Sign of twice the area of the triangle as seen in the projection.
  int turn(const Projection& plane, Index a, Index b, Index c) const;
  /// Sign of a's coordinate minus b's.
  int compare(int axis, Index a, Index b) const;
  bool equal(Index a, Index b) const;

 private:
  struct Homogeneous;
  /// Exact coordinates, made when they are first asked for and kept; from any thread.
  struct Kept {
    mutable std::atomic<const Homogeneous*> exact{nullptr};
    Kept() = default;
    Kept(Kept&& other) noexcept : exact(other.exact.exchange(nullptr)) {}
    ~Kept();
  };
  struct Defined {
    std::array<Bounded, 3> at;
    Index first;  ///< in definers_
    bool three_planes;
    Kept kept = {};
  };
  const Homogeneous& exact_of_defined(Index id) const;
  Homogeneous compute(const Defined& d) const;
  Homogeneous of_given(Index id) const;
  Index finish(Defined d);

  std::span<const Vec3> given_;
  std::vector<Defined> defined_;
  std::vector<Vec3> definers_;
};

}  // namespace anvil
