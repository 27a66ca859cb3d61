// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 1 and 2: the near triangles of all parts as one list, which of them may meet, and contact.
#pragma once

#include <algorithm>
#include <atomic>
#include <vector>

#include "core/boolean/contradiction.h"
#include "core/boolean/untouched.h"
#include "core/exact/points.h"

namespace anvil::boolean {

/// Where a triangle comes from and what has become of it.
struct FaceProvenance {
  Index origin = 0;          ///< triangle of the first soup
  Index piece = 0;           ///< of the result
  bool whole = true;         ///< it is that triangle, nothing has cut it
  bool flipped = false;      ///< it runs the other way round
  bool trimmed = false;      ///< an open trim takes it away in the end
  bool settled = false;      ///< settling has made or changed it
  bool looked_at = false;    ///< as it is now, it has been looked at with all others, and rounding had broken nothing about it
  unsigned char scored = 0;  ///< bit k: a score drew the edge from corner k to corner k + 1
  unsigned char non_manifold_edges = 0;  ///< bit k: other faces of the result touch that edge
};

/// How far what a point stands for lay from it: the farthest of the vertices that were moved to it, and of the edges and faces
/// that were bent to it.
class Reach {
 public:
  double operator[](std::size_t point) const { return point < of_.size() ? of_[point] : 0; }
  void raise(std::size_t point, double to) {
    if (!(to > 0)) return;
    if (of_.size() <= point) of_.resize(point + 1, 0);
    of_[point] = std::max(of_[point], to);
  }
  double largest() const { return of_.empty() ? 0 : *std::max_element(of_.begin(), of_.end()); }

 private:
  std::vector<double> of_;  ///< of the first points; of the others 0
};

/// All near triangles as one list on vertices that are welded by bit-equal position.
struct Soup {
  struct Part {
    Index first = 0, end = 0;     ///< its triangles; contact adds more behind those of all parts
    bool crosses_itself = false;  ///< its own triangles must be tested against each other
    bool sheet = false;           ///< an open surface that only cuts
    bool scores = false;          ///< its faces draw edges that stay
  };
  std::vector<Part> parts;

  // Points.
  std::vector<Vec3> points;
  std::vector<char> maybe_non_manifold;  ///< faces of several parts, or separate fans, may meet there
  Flags moved;                           ///< rounding or contact has moved it
  Reach reach;

  // Triangles, part after part; none is exactly degenerate.
  std::vector<Triangle> triangles;
  std::vector<FaceProvenance> provenance;
  std::vector<Index> part;      ///< of each triangle
  std::vector<Index> opposite;  ///< as find_opposites gives it, within each part
  std::vector<char> inner;      ///< as opposite: a line inside a flat polygon of the part (facets.h); empty: there are none
  std::vector<Index> facet;     ///< of each triangle, the first of its facet; empty: each is one by itself
  Flags removed;                ///< contact has flattened it
  Flags active = Flags::all();  ///< only these may meet others
  Flags needs_self_test;        ///< contact changed it, so it may cross its own part

  UntouchedSeam seam;

  /// First of the triangles that contact has added.
  Index first_added() const { return parts.back().end; }
  bool may_meet(Index s, Index t) const {
    return part[s] != part[t] || parts[part[s]].crosses_itself || needs_self_test[s] || needs_self_test[t];
  }
  Index facet_of(Index t) const { return facet.empty() ? t : facet[t]; }
  /// Is the edge from corner k to corner k + 1 a line inside the triangle's facet?
  bool is_inner(Index t, std::size_t k) const { return !facet.empty() && inner[3 * t + k]; }
  /// A number that all triangles of its polygon in its part have, what contact cut out of it included.
  Index polygon_of(Index t) const {
    const Index origin = provenance[t].origin;
    if (seam.source == nullptr) return origin;
    const Untouched::Part& from = seam.source->parts[part[t]];
    const Prepared& p = *from.prepared;
    const Index own = origin - from.first_triangle;
    return p.one_triangle_each || p.face[own] == no_index ? static_cast<Index>(p.mesh->face_count()) + own : p.face[own];
  }
  Plane plane(Index triangle) const {
    const Triangle& t = triangles[triangle];
    return {points[t[0]], points[t[1]], points[t[2]]};
  }
};

/// The near triangles of all parts.
struct Gathered {
  Soup soup;
  std::vector<Index> meeting;  ///< triangles of the soup that may meet others, in order
};
/// @param untouched  must outlive the soup
/// @param scores     per part
Gathered gather(const Untouched& untouched, const std::vector<char>& scores);

struct TrianglePair {
  Index s, t;
  bool operator==(const TrianglePair&) const = default;
  bool operator<(const TrianglePair& o) const { return pair_key(s, t) < pair_key(o.s, o.t); }
};
struct PairSearch {
  double margin = 0;                          ///< how near their boxes come to each other at least
  const std::vector<Index>* among = nullptr;  ///< only these triangles; null: all
  std::size_t max_pairs = many_pairs;         ///< more are a Contradiction, or TooLarge where as many as ever are allowed, thrown before they fill the memory
  static constexpr std::size_t many_pairs = 60'000'000;  ///< three times what parts of millions of triangles have that lie on each other
};
/// Counts places where triangles meet, found on several threads. Throws TooLarge beyond what memory holds.
class MetPlaces {
 public:
  void add(std::size_t more) {
    constexpr std::size_t most = 30'000'000;  // of some hundred bytes; three times what parts of millions of triangles have that lie on each other
    if ((count_ += more) > most) throw TooLarge("places where they meet or cross");
  }

 private:
  std::atomic<std::size_t> count_ = 0;
};

/// Stage 2. Pairs of triangles, of different parts or of one that crosses itself, whose boxes come nearer than the margin, but for some that
/// the plane of one tells apart by as much; sorted.
std::vector<TrianglePair> find_pairs(const Soup& soup, const PairSearch& search, const Control& control);
/// Vertices of different parts at one place become one vertex.
/// @param pairs  at least all pairs of triangles of different parts that meet
void weld_parts(Soup& soup, const std::vector<TrianglePair>& pairs);

/// Between stages 1 and 2: makes what lies nearer than `tolerance` meet exactly (contact.cpp).
struct ContactCount {
  std::size_t places = 0;       ///< edges and faces that met another nearly, not exactly; what hangs together is one
  std::vector<Vec3> places_at;  ///< at most OperationReport::max_places
  bool changed = false;         ///< the soup is not what it was
};
/// @param flat_within  polygons of which no corner lies farther off the others' plane are cut as wholes, a length; 0: only
///                     those that are exactly flat
/// @param farthest     a point that others have been moved to moves on only where none of them ends farther from where it was; with 0 it
///                     stays where it is
ContactCount make_contact(Soup& soup, std::vector<TrianglePair> pairs, double tolerance, double flat_within, double farthest, const Control& control);

}  // namespace anvil::boolean
