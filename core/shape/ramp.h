// SPDX-License-Identifier: GPL-3.0-or-later
// A wedge along one straight edge of a part, taken away or added.
#pragma once

#include <array>

#include "core/mesh/edges.h"
#include "core/shape/with_made.h"

namespace anvil {

/// A straight edge and the two faces beside it.
struct StraightEdge {
  Vec3 begin, end;              ///< the first face lies to the left of the way, seen from outside
  Vec3 first_way, second_way;   ///< from the edge into each face, across it, length 1
  Vec3 first_normal, second_normal;
  bool convex = true;
  Vec3 along() const { return (end - begin).stableNormalized(); }
};
/// @param list  edges of the mesh that follow each other in one line; an Issue when they do not, or one has not its two faces
Result<StraightEdge> straight_edge(const Mesh& mesh, const EdgeTable& edges, std::span<const Index> list);

struct RampSettings {
  bool add = false;
  double first = 5, second = 5;  ///< how far on each of the two faces, mesh units
  bool tapered = false;
  double first_end = 0, second_end = 0;  ///< the same at the end of the edge, where it is tapered; 0 and 0: it ends in a point
  /// Where the wedge lies if it is not in the corner itself (added to a convex edge, cut into a concave one): it stands on the first face, or on
  /// the second, and carries on the plane of the other.
  bool on_first = true;
  bool runs_out = true;  ///< goes on beyond both ends of the edge as far as the part reaches; else it is closed off there
  double begin_gap = 0, end_gap = 0;      ///< where it is closed off: how far from the ends, mesh units
  double begin_angle = 0, end_angle = 0;  ///< and by how much its ends lean outwards, degrees, -80 to 80
};

/// Which way the two legs of the wedge run from the edge, along the first face's plane and the second's; length 1.
struct WedgeLegs {
  Vec3 first, second;
};
WedgeLegs wedge_legs(const StraightEdge& edge, const RampSettings& settings);
/// The angle between the two legs of the wedge, degrees.
double ramp_corner(const StraightEdge& edge, const RampSettings& settings);

/// A section of the wedge: the edge, and the ends of its two legs.
using RampSection = std::array<Vec3, 3>;
/// @param at_end  at the end of the edge, else at its beginning; within the gap and leaning as asked for where it is closed off there, square to the edge else
RampSection ramp_section(const StraightEdge& edge, const RampSettings& settings, bool at_end);

struct Wedge {
  Mesh mesh;
  bool is_flat = true;  ///< the ramp itself is one plane
};
/// The wedge as a solid: its two legs lie in the planes of the faces.
/// @return an Issue when it has no extent
Result<Wedge> ramp_wedge(const StraightEdge& edge, const RampSettings& settings, const Box3& part);

/// Takes the wedge away or adds it. Throws Stopped.
Result<BooleanResult> ramp_cut(const Workpiece& part, const StraightEdge& edge, const RampSettings& settings, const Control& control = {});

}  // namespace anvil
