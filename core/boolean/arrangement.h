// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 3 to 5: triangles on exact points that meet at common vertices and edges only.
// After Zhou, Grinspun, Zorin and Jacobson, "Mesh Arrangements for Solid Geometry", SIGGRAPH 2016, with points
// that stay exact (core/exact/points.h) until the rounding stage. Departing from it, triangles that nothing
// touches are never part of the arrangement: they pass through as triangles of the soup.
#pragma once

#include <algorithm>
#include <tuple>

#include "core/boolean/soup.h"

namespace anvil::boolean {

/// Stages 2 to 5: triangles on exact points that meet at common vertices and edges only.
struct Arrangement {
  PointSet points;
  std::vector<char> touched;      ///< per soup triangle; the others are faces as they are
  std::vector<Triangle> faces;    ///< what touched triangles came apart into: each set of three vertices once
  /// What lies at each of `faces`: source triangles, and whether they face the same way.
  struct Source {
    Index triangle;  ///< the first of its facet
    bool same_way;
    unsigned char scored;  ///< as FaceProvenance::scored, for the corners of the face
  };
  std::vector<Index> source_begin{0};
  std::vector<Source> sources;

  explicit Arrangement(std::span<const Vec3> given) : points(given) {}
  std::span<const Source> sources_of(std::size_t face) const {
    return {sources.data() + source_begin[face], sources.data() + source_begin[face + 1]};
  }
};

/// A point that an intersection needs, before points are numbered; equal keys are the same point.
struct Cut {
  enum Kind : Index { vertex, edge_triangle, edge_edge } kind;
  std::array<Index, 4> ids;  ///< vertex | edge lo, hi, triangle | edge lo, hi, other edge lo, hi
  bool operator==(const Cut&) const = default;
  bool operator<(const Cut& o) const {
    if (kind != o.kind) return kind < o.kind;
    const std::uint64_t own = pair_key(ids[0], ids[1]), other = pair_key(o.ids[0], o.ids[1]);
    return own != other ? own < other : pair_key(ids[2], ids[3]) < pair_key(o.ids[2], o.ids[3]);
  }
};

/// Stage 3. What the triangles that meet cut into each other; points by number in `points`.
struct Cuts {
  struct Segment {
    Index triangle;          ///< that it lies in, the first of its facet
    Index from, to;          ///< points
    Index other;             ///< triangle that cut it, likewise
    Index edge_lo, edge_hi;  ///< the other's edge when both are coplanar, else no_index

    auto key() const { return std::tuple(triangle, std::min(from, to), std::max(from, to), other, edge_lo, edge_hi); }
    bool operator<(const Segment& o) const { return key() < o.key(); }
  };
  struct EdgePoint {
    Index lo, hi, point;
    bool operator==(const EdgePoint&) const = default;
    auto operator<=>(const EdgePoint&) const = default;
  };
  struct FacePoint {
    Index triangle, point;  ///< the first of its facet
  };
  std::vector<Segment> segments;       ///< by triangle
  std::vector<EdgePoint> edge_points;  ///< by edge
  std::vector<FacePoint> face_points;  ///< by triangle, interior points
  std::vector<char> touched;           ///< per triangle
  std::vector<char> coplanar;          ///< per triangle: overlaps a coplanar one
};

/// Stage 3.
/// @param pairs  at least all pairs that meet
Cuts intersect(const Soup& soup, const std::vector<TrianglePair>& pairs, PointSet& points, const Control& control);

/// Stage 4: segments of one facet that cross each other get the point where they do.
void cross_segments(const Soup& soup, Cuts& cuts, PointSet& points, const Control& control);

/// Stage 5. Marks more points of the soup as maybe not manifold.
/// @param by_contact  segments meet at common points already, but those need not lie exactly in the plane; a
///                    triangle in which they contradict each other is cut at its edges only
void subdivide(Soup& soup, Cuts& cuts, Arrangement& arrangement, const Control& control, bool by_contact = false);

}  // namespace anvil::boolean
