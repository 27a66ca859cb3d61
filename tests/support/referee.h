// SPDX-License-Identifier: GPL-3.0-or-later
// CGAL as the judge: shares no code with what it judges.
#pragma once

#include <memory>

#include "core/mesh/mesh.h"

namespace anvil::test {

struct Judgement {
  bool manifold = false;         ///< polygon soup is an orientable manifold mesh
  bool closed = false;           ///< CGAL::is_closed
  bool self_intersects = false;  ///< self_intersections, exact; touching at common corners or edges left out
  bool contacts = false;         ///< there is such touching: shells or walls meet without sharing vertices
  bool bounds_volume = false;    ///< does_bound_a_volume
  bool outward = false;          ///< is_outward_oriented
  bool degenerate = false;       ///< a triangle of zero area
  double volume = 0;             ///< PMP::volume
  std::size_t shells = 0;        ///< connected components

  bool sound() const {
    // Which shell is a cavity of which cannot be asked of CGAL where shells touch.
    return manifold && closed && !self_intersects && !degenerate && (contacts || (bounds_volume && outward));
  }
};

/// Judges a mesh after cutting its polygons into triangle fans or, when `mesh` has triangles only, as it is.
Judgement judge(const Mesh& mesh);

/// Which points lie inside a closed mesh, by CGAL::Side_of_triangle_mesh.
class Inside {
 public:
  explicit Inside(const Mesh& mesh);
  ~Inside();
  bool operator()(const Vec3& point) const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// How far the corners of a mesh lie from the surface of another, at most: in lengths, and in steps of 32 bits at that
/// place, the distance of neighbouring floats at its largest coordinate.
struct Farthest {
  double length = 0, steps = 0;
};
Farthest farthest_from(const Mesh& mesh, const Mesh& surface);

/// Do two triangles meet in more than corners, or an edge, at the same positions in both? Exact.
bool meet_beyond_corners(const std::array<Vec3, 3>& s, const std::array<Vec3, 3>& t);

/// Number of pairs of crossing triangles in a triangle soup that is an orientable manifold.
std::size_t crossing_pairs(const Mesh& mesh);

}  // namespace anvil::test
