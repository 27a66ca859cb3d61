// SPDX-License-Identifier: GPL-3.0-or-later
// A region of faces pushed into the body or pulled out of it.
#pragma once

#include <array>
#include <span>

#include "core/shape/with_made.h"

namespace anvil {

struct PushSettings {
  std::vector<Index> faces;    ///< of the part
  double depth = 1;            ///< into the body, mesh units; negative: out of it
  bool through = false;        ///< into the body as far as it reaches, whatever the depth says
  /// One way for all, into the body (pulled out, the other way), of any length; zero: each corner against its own normal, which is that of the
  /// region's faces around it.
  Vec3 direction = Vec3::Zero();
};

/// The way straight into the body: against the sum of the area vectors, length 1; zero where they cancel.
Vec3 mean_direction(const Mesh& mesh, std::span<const Index> faces);

/// The solid that the faces pass over. Where they move along one way the sides are flat.
/// @return an Issue for no faces, and for a way that runs along all of them
Result<Mesh> pushed_solid(const Mesh& mesh, const PushSettings& settings);

/// Where a region comes out that is pushed far enough: for each of its boundaries the points where the body ends behind it, in order, and how far that is. Just a
/// foretelling: lines of sight from a little within the boundary, several for each of its edges.
struct PushExit {
  std::vector<Vec3> at;
  std::vector<std::array<Vec3, 2>> corners;  ///< from each corner of the boundary, to where it comes out
  double nearest = 0, farthest = 0;
};
/// @return nothing for a region without a boundary, or whose boundary leads out of the body at once
std::vector<PushExit> push_exits(const Mesh& mesh, const PushSettings& settings);

/// Takes away, or adds, what the faces pass over: by the engine, so that nothing thin stays where it comes out or grazes another face. Fresh edges
/// are those around the opening, and where it comes out.
Result<BooleanResult> push(const Workpiece& part, const PushSettings& settings, const Control& control = {});

}  // namespace anvil
