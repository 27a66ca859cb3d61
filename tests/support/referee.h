// SPDX-License-Identifier: GPL-3.0-or-later
// CGAL as the judge: shares no code with what it judges.
#pragma once

#include "core/mesh/mesh.h"

namespace anvil::test {

struct Judgement {
  bool manifold = false;         ///< polygon soup is an orientable manifold mesh
  bool closed = false;           ///< CGAL::is_closed
  bool self_intersects = false;  ///< does_self_intersect, exact
  bool bounds_volume = false;    ///< does_bound_a_volume
  bool outward = false;          ///< is_outward_oriented
  bool degenerate = false;       ///< a triangle of zero area
  double volume = 0;             ///< PMP::volume
  std::size_t shells = 0;        ///< connected components

  bool sound() const {
    return manifold && closed && !self_intersects && bounds_volume && outward && !degenerate;
  }
};

/// Judges a mesh after cutting its polygons into triangle fans or, when `mesh` has triangles only, as it is.
Judgement judge(const Mesh& mesh);

/// Number of pairs of crossing triangles in a triangle soup that is an orientable manifold.
std::size_t crossing_pairs(const Mesh& mesh);

}  // namespace anvil::test
