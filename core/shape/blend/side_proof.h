// SPDX-License-Identifier: GPL-3.0-or-later
// Do strips and corners lie on the right side of the part's old surface?
#pragma once

#include <optional>

#include "core/query/line_winding.h"
#include "core/shape/blend/blend_mesh.h"

namespace anvil {

/// What finishes convex edges lies within the part as it was, and what finishes concave ones outside of it. Where an edge runs beside a curved
/// surface, or up to a spike, a strip may be sound and yet lie on the other side: it would add where it is to take away.
class SideProof {
 public:
  explicit SideProof(const BlendTask& task) : task_(task) {}

  /// The cells of strips and corners of which more lies on the wrong side than on the right one, by the area of those faces that `made.side` asks about.
  /// Whether the middle of a triangle lies within is decided exactly, and stands for all of the triangle. O(log n) a triangle. Throws Stopped.
  std::set<Index> faults(const BlendMesh& made);

 private:
  const LineWinding& old();

  const BlendTask& task_;
  std::vector<Triangle> triangles_;
  std::vector<Index> surface_;
  std::optional<LineWinding> old_;
};

}  // namespace anvil
