// SPDX-License-Identifier: GPL-3.0-or-later
// The stages of the Boolean engine and the plain data that pass from one to the next.
// The order: gather → intersect → subdivide → classify → round → (check, and round again) → assemble.
// After Zhou, Grinspun, Zorin and Jacobson, "Mesh Arrangements for Solid Geometry", SIGGRAPH 2016, with points
// that stay exact (core/exact/points.h) until the rounding stage.
#pragma once

#include <functional>

#include "core/boolean/combine.h"
#include "core/exact/points.h"
#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"

namespace anvil::boolean {

/// Stage 1. All parts as one list of triangles on vertices that are welded by bit-equal position.
struct Soup {
  std::vector<Vec3> points;
  std::vector<Triangle> triangles;  ///< none exactly degenerate; part after part
  std::vector<Index> part;          ///< of each triangle
  std::vector<Index> face;          ///< of each triangle: the source face in its part; no_index for a cap
  std::vector<Index> part_begin;    ///< first triangle of each part, and the end
  std::vector<char> crosses_itself;  ///< per part: its own triangles must be tested against each other
  std::vector<char> tested;          ///< per triangle: only these may meet others; empty means all
  std::vector<char> loose;           ///< per triangle: contact changed it, so it may cross its own part; or empty
  // What a triangle was before a rounded result came back as a soup.
  std::vector<Index> origin;  ///< triangle of the first soup
  std::vector<char> whole;    ///< nothing has cut it yet
  std::vector<char> turned;   ///< it runs the other way round than its origin
  std::vector<char> moved;    ///< per point: rounding or contact has moved it; empty means none

  /// Appends a triangle that takes everything but its corners from triangle i of `from`.
  void add(const Triangle& t, Index of_part, const Soup& from, Index i) {
    triangles.push_back(t);
    part.push_back(of_part);
    face.push_back(from.face.empty() ? no_index : from.face[i]);
    origin.push_back(from.origin[i]);
    whole.push_back(from.whole[i]);
    turned.push_back(from.turned[i]);
    if (!from.tested.empty()) tested.push_back(from.tested[i]);
    if (!from.loose.empty()) loose.push_back(from.loose[i]);
  }

  bool may_meet(Index s, Index t) const {
    return part[s] != part[t] || crosses_itself[part[s]] || (!loose.empty() && (loose[s] || loose[t]));
  }
  Plane plane(Index triangle) const {
    const Triangle& t = triangles[triangle];
    return {points[t[0]], points[t[1]], points[t[2]]};
  }
  std::size_t parts() const { return part_begin.size() - 1; }
};

/// Places, triangulates, welds, caps holes and drops degenerate triangles; what it did goes to the report.
/// Fails when a part does not bound anything: not every edge has as many faces one way as the other.
Result<Soup> gather(const std::vector<Operand>& operands, BooleanReport& report, const Control& control);

/// Stages 2 to 5: triangles on exact points that meet at common vertices and edges only.
struct Arrangement {
  PointSet points;
  std::vector<Triangle> faces;  ///< each set of three vertices once
  /// What lies at each face: source triangles, and whether they face the same way. Faces that nothing
  /// touched come first in the order of the soup and have one source.
  struct Source {
    Index triangle;
    bool same_way;
  };
  std::vector<Index> source_begin{0};
  std::vector<Source> sources;
  std::vector<char> touched;  ///< per soup triangle

  explicit Arrangement(std::span<const Vec3> given) : points(given) {}
  std::span<const Source> sources_of(std::size_t face) const {
    return {sources.data() + source_begin[face], sources.data() + source_begin[face + 1]};
  }
};

/// A point that an intersection needs, before points are numbered; equal keys are the same point.
struct Cut {
  enum Kind : Index { vertex, edge_triangle, edge_edge } kind;
  std::array<Index, 4> ids;  ///< vertex | edge lo, hi, triangle | edge lo, hi, other edge lo, hi
  auto operator<=>(const Cut&) const = default;
};

/// Stage 3. What the triangles that meet cut into each other; points by number in `points`.
struct Cuts {
  struct Segment {
    Index triangle;           ///< that it lies in
    Index from, to;           ///< points
    Index other;              ///< triangle that cut it
    Index edge_lo, edge_hi;   ///< the other's edge when both are coplanar, else no_index
  };
  struct EdgePoint {
    Index lo, hi, point;
  };
  struct FacePoint {
    Index triangle, point;
  };
  std::vector<Segment> segments;       ///< by triangle
  std::vector<EdgePoint> edge_points;  ///< by edge
  std::vector<FacePoint> face_points;  ///< by triangle, interior points
  std::vector<char> touched;           ///< per triangle
  std::vector<char> coplanar;          ///< per triangle: overlaps a coplanar one
};
Cuts intersect(const Soup& soup, PointSet& points, const Control& control);

/// Stage 2. Pairs of triangles, of different parts or of one that crosses itself, whose boxes come nearer
/// than `margin`; sorted.
struct TrianglePair {
  Index s, t;
  auto operator<=>(const TrianglePair&) const = default;
};
std::vector<TrianglePair> find_pairs(const Soup& soup, double margin, const Control& control);

/// Between stages 1 and 2: makes what lies nearer than `tolerance` meet exactly (contact.cpp).
/// @return how many vertices were merged and triangles split
std::size_t make_contact(Soup& soup, double tolerance, const Control& control);

/// Stages 4 and 5.
/// @param by_contact  segments meet at common points already, but those need not lie exactly in the plane; a
///                    triangle in which they contradict each other is cut at its edges only
void subdivide(const Soup& soup, Cuts& cuts, Arrangement& arrangement, const Control& control, bool by_contact = false);

/// Stages 6 to 8: which faces bound the result, and which way round.
struct Selection {
  enum class Keep : char { no, as_is, turned };
  std::vector<Keep> keep;  ///< per face of the arrangement
  std::size_t patches_left_out = 0;  ///< of closed skins thinner than rounding, which cannot be told in or out
};
using Inside = std::function<bool(std::span<const int> winding)>;  ///< winding number of every part
Selection classify(const Soup& soup, const Arrangement& arrangement, const Inside& inside, const Control& control);

/// Stage 9: the kept faces with rounded vertices.
struct Rounded {
  std::vector<Vec3> points;
  std::vector<char> moved;  ///< per point: it is new or has been moved
  std::vector<Triangle> triangles;
  std::vector<Index> source;  ///< triangle of the first soup
  std::vector<char> whole;    ///< it is that triangle, uncut
  std::vector<char> turned;   ///< it runs the other way round
  bool merged = false;        ///< points fell together

  void resize(std::size_t n) {
    triangles.resize(n);
    source.resize(n);
    whole.resize(n);
    turned.resize(n);
  }
};
/// @param to_float  round to 32-bit coordinates, all points
Rounded round_points(const Soup& soup, const Arrangement& arrangement, const Selection& selection, bool to_float);
/// Empty when rounding made no crossing, no zero-area triangle and merged nothing; else the triangles near it.
std::vector<char> find_trouble(const Rounded& rounded, const Control& control);
/// The rounded result as one part that may cross itself near the trouble.
Soup soup_again(const Rounded& rounded, std::vector<char> near);

/// Stages 10 and 11: separates solid wedges that touch, and puts uncut polygons back.
Mesh assemble(const Soup& first, const std::vector<Operand>& operands, Rounded rounded, BooleanReport& report);

/// Throws Stopped when asked to stop.
inline void check_stop(const Control& control) {
  if (control.stop.stop_requested()) throw Stopped{};
}

}  // namespace anvil::boolean
