// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 1, first half: what the engine derives from one part alone, kept from run to run.
#pragma once

#include <memory>
#include <optional>

#include "core/boolean/combine.h"
#include "core/boolean/flags.h"
#include "core/mesh/triangulate.h"

namespace anvil::boolean {

/// What the engine derives from one part alone; kept between runs.
struct Prepared {
  std::vector<Vec3> points;  ///< placed and welded
  std::vector<Triangle> triangles;
  std::vector<Index> face;  ///< source face of each triangle; no_index for one that closes a hole
  bool one_triangle_each = false;   ///< every face is a triangle
  std::vector<Index> first_corner;  ///< per face, where its ring began; only kept when faces are more than triangles
  std::vector<Index> opposite;
  std::vector<char> maybe_non_manifold;
  std::vector<char> inner;  ///< as inner_lines() gives it
  Box3 box;
  bool crosses_itself = false, sheet = false;
  std::vector<Index> crossing;       ///< triangles that cross others of the part, in order
  bool all_points_used = true;       ///< each is the corner of a triangle
  std::vector<OperationReport::Done> done;

  // What untouched triangles need to pass.
  std::shared_ptr<const Mesh> mesh;  ///< of the operand
  std::optional<std::vector<Index>> welded;  ///< per vertex of the mesh, its point, where they differ
  bool mirrored = false;             ///< faces run the other way round than in the mesh
  /// Per triangle: at an edge without an opposite half-edge, at a point that may not be manifold, or of a face that did
  /// not come through whole.
  Flags near_non_manifold;
  std::vector<Box3> blocks;          ///< bounds of every `block` triangles
  std::vector<Index> shell;          ///< per triangle; what is connected over opposite half-edges
  Index shells = 0;
  static constexpr std::size_t block = 16;

  Index point_of(Index vertex) const { return welded ? (*welded)[vertex] : vertex; }
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

}  // namespace anvil::boolean
