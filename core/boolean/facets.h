// SPDX-License-Identifier: GPL-3.0-or-later
// Facets: the triangles of one flat polygon of a part, met and cut as a whole. The lines that cut a polygon into triangles
// are nobody's; without them a cut through it gets no corners but its own (docs/decisions/facets.md).
#pragma once

#include <algorithm>
#include <span>
#include <utility>

#include "core/boolean/soup.h"

namespace anvil::boolean {

/// Marks the lines inside flat polygons of a part: per corner, as `opposite`. Two triangles are of one facet where they come
/// from one polygon, lie exactly in one plane and face the same way.
std::vector<char> inner_lines(const Prepared& part);

/// Finds the facets that the soup's inner lines make up, for stages that cut them. A facet that touches itself at a corner
/// is taken apart into its triangles.
void find_facets(Soup& soup);

/// The same after contact: what it has changed is joined to facets again where it still lies in one plane.
/// @param pairs  all pairs of changed triangles that may cross; a facet that crosses itself is taken apart
void find_facets_again(Soup& soup, const std::vector<TrianglePair>& pairs);

/// Triangles of one polygon that lie in one plane but for rounding, joined to facets for contact, which need not cut exactly.
class NearlyFlat {
 public:
  /// @param off  how far a corner may lie off its neighbour's plane, a length; 0: nothing changes
  NearlyFlat(Soup& soup, double off);
  bool none() const { return none_; }
  /// After contact: lines that it has left as they were are again what they were before.
  void part_again();

 private:
  Soup& soup_;
  std::vector<char> inner_before_;
  bool none_ = true;
};

/// What is met: a strictly convex facet as a whole, or one triangle.
struct Face {
  std::span<const Index> corners;
  Index triangle = 0;  ///< itself, or the first of its facet
  bool is_facet = false;
  int size() const { return static_cast<int>(corners.size()); }
  /// Corner k, or k − size() beyond the last; k stays below twice the size.
  Index operator[](int k) const { return corners[static_cast<std::size_t>(k < size() ? k : k - size())]; }
  bool has(Index v) const { return std::find(corners.begin(), corners.end(), v) != corners.end(); }
};

/// Pairs of faces that may meet, each once: from pairs of triangles, of which two facets have many in common.
class FacePairs {
 public:
  /// @param soup, pairs  must outlive this and stay as they are
  FacePairs(const Soup& soup, const std::vector<TrianglePair>& pairs);
  std::size_t size() const { return begin_.empty() ? pairs_.size() : begin_.size() - 1; }
  std::pair<Face, Face> operator[](std::size_t k) const {
    const auto [s, t] = begin_.empty() ? pairs_[k] : of_faces_[begin_[k]].faces;
    return {face(s), face(t)};
  }
  /// Calls do_it(number of pair) for the pairs of triangles that pair k of faces stands for.
  template <class Do>
  void for_each_of(std::size_t k, Do&& do_it) const {
    if (begin_.empty()) return do_it(static_cast<Index>(k));
    for (std::size_t i = begin_[k]; i < begin_[k + 1]; ++i) do_it(of_faces_[i].pair);
  }

 private:
  struct Item {
    TrianglePair faces;  ///< by their first triangles
    Index pair;
  };
  Face face(Index first) const {
    return place_.empty() || place_[first] == no_index ? Face{soup_.triangles[first], first, false}
                                                       : Face{std::span(corners_).subspan(ring_[place_[first]], ring_[place_[first] + 1] - ring_[place_[first]]), first, true};
  }
  void find_convex_facets(const std::vector<char>& asked);

  const Soup& soup_;
  const std::vector<TrianglePair>& pairs_;
  std::vector<Index> place_;             ///< per triangle: which convex facet it is the first of; empty: there are none
  std::vector<Index> ring_{0}, corners_;  ///< of each, its corners in order
  std::vector<Item> of_faces_;
  std::vector<std::size_t> begin_;       ///< of each pair of faces, its items; empty: all faces are triangles
};

}  // namespace anvil::boolean
