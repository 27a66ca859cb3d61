// SPDX-License-Identifier: GPL-3.0-or-later
// The stages of the Boolean engine and the plain data that pass from one to the next.
// The order: gather → contact → intersect → subdivide → classify → round → (trouble, and again) → assemble.
// After Zhou, Grinspun, Zorin and Jacobson, "Mesh Arrangements for Solid Geometry", SIGGRAPH 2016, with points
// that stay exact (core/exact/points.h) until the rounding stage. Departing from it, triangles that nothing
// touches are never part of the arrangement: they pass through as triangles of the soup.
#pragma once

#include <functional>
#include <string>

#include "core/boolean/combine.h"
#include "core/boolean/expression.h"
#include "core/exact/points.h"
#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"

namespace anvil::boolean {

/// Two numbers as one, which compares as the pair does but quicker.
inline std::uint64_t both(Index a, Index b) { return std::uint64_t{a} << 32 | b; }

/// Where a triangle comes from and what has become of it.
struct FaceProvenance {
  Index origin = 0;          ///< triangle of the first soup
  Index piece = 0;           ///< of the result
  bool whole = true;         ///< it is that triangle, nothing has cut it
  bool flipped = false;       ///< it runs the other way round
  bool trimmed = false;      ///< an open trim takes it away in the end
  unsigned char scored = 0;  ///< bit k: a score drew the edge from corner k to corner k + 1
  unsigned char non_manifold_edges = 0;  ///< bit k: other faces of the result touch that edge
};

/// Triangles of the parts that lie far from all other parts never enter the soup: an untouched region of them goes the way of
/// the near triangles at its boundary.
struct UntouchedRegion {
  Index source;          ///< number of the untouched region in Untouched
  Index part;            ///< of the soup; in the rounded result: the piece
  bool flipped = false;   ///< it runs the other way round
  bool trimmed = false;  ///< as FaceProvenance::trimmed
};
/// A directed edge as the far triangle beyond it runs.
struct BoundaryEdge {
  Index from, to;  ///< points
  Index untouched_region;
};
struct Untouched;

/// Thrown when something changes so near the far triangles that they must be looked at one by one after all.
struct ReachesUntouched {};

/// Stage 1. All near triangles as one list on vertices that are welded by bit-equal position.
struct Soup {
  std::vector<Vec3> points;
  std::vector<Triangle> triangles;  ///< none exactly degenerate; part after part
  std::vector<FaceProvenance> provenance;         ///< of each triangle
  std::vector<Index> part;          ///< of each triangle
  std::vector<Index> part_begin;    ///< first triangle of each part, and the end; contact adds more behind that
  std::vector<char> removed;           ///< per triangle: contact has flattened it; empty means none
  /// Per corner 3 t + k: the corner 3 u + l from which triangle u of the same part runs the edge (k, k + 1) of t
  /// the other way; no_index where not exactly two triangles of the part meet there, one each way.
  std::vector<Index> opposite;
  std::vector<char> maybe_non_manifold;         ///< per point: faces of several parts, or separate fans, may meet there
  std::vector<char> crosses_itself;  ///< per part: its own triangles must be tested against each other
  std::vector<char> sheet;           ///< per part: an open surface that only cuts
  std::vector<char> scores;          ///< per part: its faces draw edges that stay
  std::vector<char> active;          ///< per triangle: only these may meet others; empty means all
  std::vector<char> needs_self_test;           ///< per triangle: contact changed it, so it may cross its own part; or empty
  std::vector<char> moved;           ///< per point: rounding or contact has moved it; empty means none
  std::vector<Index> given;  ///< per point of a part: its number among the points of all parts; new ones lie behind
  const Untouched* untouched = nullptr;  ///< null: every triangle is here
  std::vector<UntouchedRegion> untouched_regions;
  std::vector<BoundaryEdge> boundary;
  std::vector<Index> meeting;  ///< of the first soup: the triangles that may meet others, in order

  std::size_t parts() const { return part_begin.size() - 1; }
  bool is_removed(Index t) const { return !removed.empty() && removed[t]; }
  bool may_meet(Index s, Index t) const {
    return part[s] != part[t] || crosses_itself[part[s]] || (!needs_self_test.empty() && (needs_self_test[s] || needs_self_test[t]));
  }
  Plane plane(Index triangle) const {
    const Triangle& t = triangles[triangle];
    return {points[t[0]], points[t[1]], points[t[2]]};
  }
};

/// The corner across each edge; see Soup::opposite half-edge.
/// @param part  of each triangle; empty when all are of one
std::vector<Index> find_opposites(std::span<const Triangle> triangles, std::span<const Index> part, std::size_t points);
/// Marks points where more than one closed fan of one part meets, or where a part has an edge without an opposite half-edge.
void mark_maybe_non_manifold(std::span<const Triangle> triangles, std::span<const Index> opposite, std::vector<char>& maybe_non_manifold);

/// What the engine derives from one part alone; kept between runs.
struct Prepared {
  std::vector<Vec3> points;  ///< placed and welded
  std::vector<Triangle> triangles;
  std::vector<Index> face;  ///< source face of each triangle; no_index for one that closes a hole
  bool one_triangle_each = false;   ///< every face is a triangle
  std::vector<Index> first_corner;  ///< per face, where its ring began; empty when every face is a triangle
  std::vector<Index> opposite;
  std::vector<char> maybe_non_manifold;
  Box3 box;
  bool crosses_itself = false, sheet = false;
  bool all_points_used = true;       ///< each is the corner of a triangle
  std::vector<OperationReport::Done> done;

  // What the far triangles need to pass.
  std::shared_ptr<const Mesh> mesh;  ///< of the operand
  std::vector<Index> point_of;       ///< per vertex of the mesh, its point; empty: the same
  bool mirrored = false;             ///< faces run the other way round than in the mesh
  std::vector<char> near_non_manifold;         ///< per triangle: at an edge without an opposite half-edge, at a point where it may not be manifold or of a face that did
                                     ///< not come through whole; empty: none is
  std::vector<Box3> blocks;          ///< bounds of every `block` triangles
  std::vector<Index> shell;          ///< per triangle; what is connected over opposite half-edges
  Index shells = 0;
  static constexpr std::size_t block = 16;

  /// Triangles of the face that a triangle belongs to: [first, end).
  std::pair<Index, Index> polygon(Index triangle) const {
    Index first = triangle, end = triangle + 1;
    if (one_triangle_each || face[triangle] == no_index) return {first, end};
    while (first > 0 && face[first - 1] == face[triangle]) --first;
    while (end < face.size() && face[end] == face[triangle]) ++end;
    return {first, end};
  }
  std::array<Vec3, 3> corners(Index t) const {
    return {points[triangles[t][0]], points[triangles[t][1]], points[triangles[t][2]]};
  }
};
using PreparedPtr = std::shared_ptr<const Prepared>;
/// Places, triangulates, welds, caps holes, drops degenerate triangles and, where that is not known, finds out whether
/// the part crosses itself.
/// Fails when the part bounds nothing and may not be used as a sheet.
Result<PreparedPtr> prepare(const Operand& operand, bool may_be_sheet, const Control& control);

/// Which triangles stay out of the soup, and the untouched regions that they make up: what is left of a shell without its near
/// triangles, cut apart where those part it.
struct Untouched {
  std::vector<PreparedPtr> parts;
  std::vector<std::vector<Index>> region_of;  ///< per part, per triangle; no_index: near. Empty: all are near
  std::vector<std::vector<Index>> near;        ///< per part, its near triangles in order; empty when all are
  std::vector<std::vector<Index>> meeting;     ///< per part, the triangles that may meet others, in order
  std::vector<Index> part_of;                  ///< per untouched region
  std::vector<Index> first_point, first_triangle;  ///< per part, among those of all, and the end
};
/// Untouched triangles are farther than `margin` from other parts and two rings of triangles away from all that is not.
/// @param nothing  leave all in the soup
Untouched find_untouched(const std::vector<PreparedPtr>& parts, double margin, bool nothing, const Control& control);

/// The near triangles of all parts as one soup, which refers to `far`.
Soup gather(const Untouched& untouched, std::vector<char> scores);

/// Stages 2 to 5: triangles on exact points that meet at common vertices and edges only.
struct Arrangement {
  PointSet points;
  std::vector<char> touched;      ///< per soup triangle; the others are faces as they are
  std::vector<Triangle> faces;    ///< what touched triangles came apart into: each set of three vertices once
  /// What lies at each of `faces`: source triangles, and whether they face the same way.
  struct Source {
    Index triangle;
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
    const std::uint64_t own = both(ids[0], ids[1]), other = both(o.ids[0], o.ids[1]);
    return own != other ? own < other : both(ids[2], ids[3]) < both(o.ids[2], o.ids[3]);
  }
};

/// Stage 3. What the triangles that meet cut into each other; points by number in `points`.
struct Cuts {
  struct Segment {
    Index triangle;          ///< that it lies in
    Index from, to;          ///< points
    Index other;             ///< triangle that cut it
    Index edge_lo, edge_hi;  ///< the other's edge when both are coplanar, else no_index
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

/// Stage 2. Pairs of triangles, of different parts or of one that crosses itself, whose boxes come nearer
/// than `margin`; sorted.
struct TrianglePair {
  Index s, t;
  bool operator==(const TrianglePair&) const = default;
  bool operator<(const TrianglePair& o) const { return both(s, t) < both(o.s, o.t); }
};
/// @param among  only these triangles; null: all
std::vector<TrianglePair> find_pairs(const Soup& soup, double margin, const Control& control,
                                     const std::vector<Index>* among = nullptr);
/// Vertices of different parts at one place become one vertex.
/// @param pairs  at least all pairs of triangles of different parts whose boxes meet
void weld_parts(Soup& soup, const std::vector<TrianglePair>& pairs);

/// Between stages 1 and 2: makes what lies nearer than `tolerance` meet exactly (contact.cpp).
struct ContactCount {
  std::size_t vertices = 0, faces = 0;  ///< merged with others; met by another nearly, not exactly
  bool changed = false;                 ///< the soup is not what it was
  std::vector<Vec3> places;             ///< at most a hundred
  std::vector<Index> involved;          ///< triangles that may meet others now
};
ContactCount make_contact(Soup& soup, std::vector<TrianglePair> pairs, double tolerance, const Control& control);

/// Stage 3.
/// @param pairs  at least all pairs whose boxes meet
Cuts intersect(const Soup& soup, const std::vector<TrianglePair>& pairs, PointSet& points, const Control& control);

/// Stages 4 and 5. Marks more points of the soup as maybe not manifold.
/// @param by_contact  segments meet at common points already, but those need not lie exactly in the plane; a
///                    triangle in which they contradict each other is cut at its edges only
void subdivide(Soup& soup, Cuts& cuts, Arrangement& arrangement, const Control& control, bool by_contact = false);

/// How the cells of an arrangement are read.
struct CellClassifier {
  std::function<std::string(std::span<const int>)> label_of;  ///< as Expression::class_of
  std::function<bool(std::span<const int>)> trims_away;       ///< null: none
  bool by_place = false;                                      ///< as Expression::pieces_by_place
  bool makes_pieces = false;
  /// Per part, the winding number by which it would change no class: is it idle wherever it has another? Empty: none
  /// is asked for.
  std::vector<int> neutral_winding;
};
inline constexpr int not_watched = -1;

/// Stages 6 to 8: which faces bound which pieces of the result.
struct Selection {
  std::vector<Index> patch_of_triangle;  ///< per soup triangle; no_index for touched ones
  std::vector<Index> patch_of_face;      ///< per face of the arrangement
  std::vector<Index> patch_of_untouched_region;   ///< per untouched region of the soup
  /// Per patch, the piece behind it and the piece in front of it; no_index for none or when both are the same.
  struct Sides {
    Index behind = no_index, in_front = no_index;
    bool trimmed_behind = false, trimmed_in_front = false;  ///< an open trim takes such a face away
  };
  std::vector<Sides> sides;
  /// Edges that a score draws: triangle or face, and bit k for the edge from corner k to corner k + 1.
  std::vector<std::pair<Index, unsigned char>> scored_triangles, scored_faces;
  Index pieces = 0;
  std::vector<char> bounds;  ///< per part: it has an inside
  std::vector<char> idle;    ///< per part, if asked for: the classes are the same without it
  std::size_t left_out = 0;  ///< closed skins thinner than rounding, which cannot be told in or out
};
Selection classify(const Soup& soup, const Arrangement& arrangement, const CellClassifier& classifier, const Control& control);

/// Stage 9: the kept faces with rounded vertices.
struct Rounded {
  std::vector<Vec3> points;
  std::vector<char> moved;    ///< per point: it is new or has been moved
  std::vector<char> inexact;  ///< per point: the last rounding has moved it
  std::vector<char> maybe_non_manifold;  ///< per point: see Soup::maybe_non_manifold; new points are
  std::vector<Triangle> triangles;
  std::vector<FaceProvenance> provenance;
  std::vector<char> merged;  ///< per point: others fell together with it; empty means none
  std::vector<char> fixed;   ///< per point: it keeps touching surfaces apart and may not go
  std::vector<Index> place;  ///< per point, the first point at its position; empty means all are apart
  std::vector<Index> given;  ///< as Soup::given; no_index for new points
  const Untouched* untouched = nullptr;
  std::vector<UntouchedRegion> untouched_regions;
  std::vector<BoundaryEdge> boundary;
};
/// @param to_float  round to 32-bit coordinates, all points
Rounded round_points(const Soup& soup, const Arrangement& arrangement, const Selection& selection, bool to_float);
/// Points that have come to one place become one; triangles that collapse by that go.
void merge_equal(Rounded& rounded);
/// Empty when rounding made no crossing, no zero-area triangle and merged nothing; else the triangles near it.
std::vector<char> find_invalid_after_rounding(const Rounded& rounded, const Control& control);
/// Does what the last rounds have changed come near far triangles?
bool reaches_untouched(const Rounded& rounded);
/// The rounded result as one part for each piece, which may cross itself near the trouble.
Soup soup_again(const Rounded& rounded, std::vector<char> near, Index pieces);

/// Stages 10 and 11: separates solid wedges that touch, puts uncut polygons back and joins what is left of others.
enum class Assembly {
  polygons,   ///< as above
  triangles,  ///< what was cut stays in the triangles that the rounding stage looked at
  anyhow      ///< likewise, and what rounding has left is not complained of
};
void assemble(const std::vector<PreparedPtr>& parts, const std::vector<const Operand*>& operands, Rounded rounded,
              double tolerance, Assembly how, BooleanResult& result, const Control& control);

inline constexpr std::size_t max_places = 100;

}  // namespace anvil::boolean
