// SPDX-License-Identifier: GPL-3.0-or-later
// A constrained triangulation of one triangle or flat facet: points on its edges, points inside, segments between them.
// Topology by exact predicates only; which of two diagonals is the fairer one is judged in floating point,
// as it does not matter for correctness.
#pragma once

#include "core/exact/points.h"
#include "core/mesh/triangulate.h"

namespace anvil::boolean {

class Planar {
 public:
  /// A triangle of the facet, by corners in the facet's list and the triangle beyond the edge from each to the next one; −1 at
  /// the border.
  struct Part {
    std::array<int, 3> corners, beyond;
  };
  /// @param corners     each once
  /// @param parts       all turning the same way in the projection, none of them on one line there; they meet at edges, and
  ///                    around each corner in one fan
  Planar(const PointSet& points, std::span<const Index> corners, std::span<const Part> parts, const Projection& projection);
  /// One triangle.
  Planar(const PointSet& points, const Triangle& corners, const Projection& projection);

  /// Points strictly inside the edge between two corners, in that order. Before any other points.
  /// @param from, to  corners by their places in the list
  void add_on_edge(int from, int to, std::span<const Index> inside);
  /// A point of the triangle that is none of those added so far.
  void add_inside(Index point);
  /// Makes the triangulation as fair as flips can make it.
  /// @param ties_by_number  of two diagonals that are as good the one at the point with the smallest number is taken, so that
  ///                        two sheets with the same points come apart into the same triangles
  void flip_to_delaunay(bool ties_by_number = false);
  /// A segment between two points added before; it must not cross another one in its interior.
  void constrain(Index from, Index to);

  struct Piece {
    Triangle corners;          ///< turning the same way as the whole
    std::array<int, 3> across;  ///< the piece beyond the edge opposite each corner; −1 at the border
    std::array<bool, 3> fixed;  ///< that edge is a segment or on the border
  };
  std::vector<Piece> pieces() const;

 private:
  struct Tri {
    std::array<int, 3> v, n;
    std::array<bool, 3> fixed;
  };
  int turn(int a, int b, int c) const { return sign_ * points_.turn(projection_, ids_[u(a)], ids_[u(b)], ids_[u(c)]); }
  static std::size_t u(int i) { return static_cast<std::size_t>(i); }
  Tri& tri(int t) { return tris_[u(t)]; }
  int new_vertex(Index point);
  int index_of(int t, int v) const;
  void replace_neighbour(int t, int old, int now);
  void set(int t, std::array<int, 3> v, std::array<int, 3> n, std::array<bool, 3> fixed);
  void split(int t, int v);
  void split_edge(int t, int i, int v);
  bool flippable(int t, int i) const;
  void flip(int t, int i);
  bool fairer(int t, int i) const;
  /// Flips what stands on stack_, and what that touches, as long as it gets fairer.
  void legalise();
  bool find_edge(int a, int b, int& t, int& i) const;
  int find_around(int v) const;
  void fix_edge(int a, int b);
  int first_around(int v, int t) const;
  int local(Index point) const;

  const PointSet& points_;  // copies share it
  Projection projection_;
  int sign_ = 1;
  std::vector<Index> ids_;
  std::vector<Point2> at_;
  std::vector<int> some_;  ///< a triangle at each vertex
  std::vector<Tri> tris_;
  std::vector<std::pair<Index, int>> by_id_;  ///< sorted on demand
  mutable bool sorted_ = false;
  std::vector<std::pair<int, int>> stack_;  ///< triangles, and the corner opposite the edge to look at
  int last_ = 0;
  bool ties_by_number_ = false;
};

}  // namespace anvil::boolean
