// SPDX-License-Identifier: GPL-3.0-or-later
// Triangles that lie far from all other parts never enter the arrangement. This file holds all that the stages need to
// know of them: which they are, the regions they make up, and the seam along which the regions join the soup.
#pragma once

#include <tuple>

#include "core/boolean/prepared.h"

namespace anvil::boolean {

/// Which triangles stay out of the soup, and the untouched regions that they make up: what is left of a shell without its
/// near triangles, cut apart where those part it.
struct Untouched {
  struct Part {
    PreparedPtr prepared;
    bool all_near = true;          ///< then the two lists below are not made
    std::vector<Index> region_of;  ///< per triangle; no_index: near
    std::vector<Index> near;       ///< its near triangles in order
    std::vector<Index> meeting;    ///< the triangles that may meet others, in order
    Index first_point = 0, first_triangle = 0;  ///< among those of all parts
  };
  std::vector<Part> parts;
  std::vector<Index> part_of;  ///< per untouched region
};
/// Untouched triangles are farther than `margin` from other parts, and from what crosses in their own, and two rings of triangles away from all that is not.
/// @param nothing  leave all in the soup
Untouched find_untouched(const std::vector<PreparedPtr>& parts, double margin, bool nothing, const Control& control);

/// An untouched region as a soup or a result has it: it goes the way of the near triangles at its boundary.
struct UntouchedRegion {
  Index source;          ///< number of the region in Untouched
  Index part;            ///< of the soup; in the rounded result: the piece
  bool flipped = false;  ///< it runs the other way round
  bool trimmed = false;  ///< as FaceProvenance::trimmed
};

/// Thrown when something changes so near untouched triangles that they must be looked at one by one after all.
struct ReachesUntouched {};

/// Where untouched regions join the near triangles. Soup and Rounded each carry one; no stage looks behind it.
struct UntouchedSeam {
  /// A directed edge as the untouched triangle beyond it runs.
  struct Edge {
    Index from, to;  ///< points
    Index region;    ///< of `regions`
  };
  const Untouched* source = nullptr;  ///< null: every triangle is in the soup
  std::vector<UntouchedRegion> regions;
  std::vector<Edge> edges;
  std::vector<Index> given;  ///< per point, its number among the points of all parts, or no_index; new points lie behind

  bool empty() const { return regions.empty(); }
  Index part_of(const Edge& edge) const { return regions[edge.region].part; }
  /// Calls visit(point, part) for both ends of every edge; the point may be changed.
  template <class Visit>
  void for_each_end(Visit&& visit) {
    for (Edge& edge : edges)
      for (Index* point : {&edge.from, &edge.to}) visit(*point, part_of(edge));
  }
  template <class Visit>
  void for_each_end(Visit&& visit) const {
    for (const Edge& edge : edges)
      for (Index point : {edge.from, edge.to}) visit(point, part_of(edge));
  }
};

/// The region beyond an edge of a triangle.
class SeamLookup {
 public:
  explicit SeamLookup(const UntouchedSeam& seam);
  /// @return the region beyond the edge a → b of a triangle of the part, or no_index
  Index beyond(Index part, Index a, Index b) const;

 private:
  std::tuple<Index, Index, Index> key(Index edge) const;
  const UntouchedSeam& seam_;
  std::vector<Index> order_;
};

/// Untouched triangles that a line along an axis may meet.
class UntouchedOnLine {
 public:
  explicit UntouchedOnLine(const UntouchedSeam& seam);
  /// Calls visit(corners of a triangle, regions of the seam that it is in) until that returns false; returns that.
  template <class Visit>
  bool for_each(const Vec3& at, int axis, Visit&& visit) const {
    if (seam_.source == nullptr) return true;
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    for (const Untouched::Part& part : seam_.source->parts) {
      const Prepared& p = *part.prepared;
      for (std::size_t b = 0; b < p.blocks.size() && !part.all_near; ++b) {
        const Box3& box = p.blocks[b];
        if (at[u] < box.lo[u] || at[u] > box.hi[u] || at[v] < box.lo[v] || at[v] > box.hi[v]) continue;
        const std::size_t end = std::min(p.triangles.size(), (b + 1) * Prepared::block);
        for (auto t = static_cast<Index>(b * Prepared::block); t < end; ++t) {
          const Index region = part.region_of[t];
          if (region == no_index || of_source_[region].empty()) continue;
          if (!visit(p.corners(t), std::span<const Index>(of_source_[region]))) return false;
        }
      }
    }
    return true;
  }

 private:
  const UntouchedSeam& seam_;
  std::vector<std::vector<Index>> of_source_;  ///< per region of Untouched, its regions in the seam
};

struct Selection;
/// The seam of what is kept of a soup: a region for each side on which it bounds a piece.
/// @param new_point  per old point; of those in use, the number in the result
/// @param points     of the result
UntouchedSeam kept_seam(const UntouchedSeam& seam, const Selection& selection, std::span<const Index> new_point, std::size_t points);

/// Does one of the triangles that have a moved point come near an untouched one?
bool reaches_untouched(const UntouchedSeam& seam, std::span<const Vec3> points, std::span<const Triangle> triangles,
                       std::span<const char> moved);

}  // namespace anvil::boolean
