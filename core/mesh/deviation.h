// SPDX-License-Identifier: GPL-3.0-or-later
// How far one surface lies from another.
#pragma once

#include <stop_token>

#include "core/mesh/mesh.h"

namespace anvil {

/// From one surface to another: for points of the first, the distance to the nearest point of the second.
struct OneWay {
  double max = 0, mean = 0;  ///< mesh units; the mean is over the area
  Vec3 place = Vec3::Zero();  ///< where the largest is, on the first surface
  std::vector<float> at_vertex;    ///< per vertex of the first mesh
  std::vector<float> in_triangle;  ///< per triangle of triangulate(): the largest at its corners and samples
};
struct Deviation {
  OneWay from_old, from_new;
  double max() const { return std::max(from_old.max, from_new.max); }
  double mean() const { return (from_old.mean + from_new.mean) / 2; }
  /// Where the largest of both is.
  const Vec3& place() const { return from_new.max >= from_old.max ? from_new.place : from_old.place; }
};

/// Both ways between two meshes; the larger of the maxima is the Hausdorff distance of the sampled surfaces.
///
/// Exact at all vertices; triangles larger than 1/100 of the diagonal are sampled that densely, and no triangle that both
/// meshes have is looked at. So the maximum may be too small by at most 1/100 of the diagonal, and only where a face is
/// larger than that; triangles that are as small bend away from each other unseen by what their corners do not tell (Cignoni, Rocchini and Scopigno, "Metro: measuring error on simplified surfaces", Computer Graphics
/// Forum 17(2), 1998, sample likewise). Empty meshes have no distance: all is 0. Throws Stopped.
/// @param middles  small triangles are looked at in the middle as well, and in the middles of their edges
Deviation deviation_between(const Mesh& old_mesh, const Mesh& new_mesh, const std::stop_token& stop = {}, bool middles = false);

}  // namespace anvil
