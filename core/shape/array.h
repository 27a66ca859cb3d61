// SPDX-License-Identifier: GPL-3.0-or-later
// A part, or tools, repeated: in a box grid, in a ring, along a chain of edges.
#pragma once

#include <span>

#include "core/shape/with_made.h"

namespace anvil {

/// Where the copies of a box grid stand: counts[0] × counts[1] × counts[2], the first one where it is.
/// @param counts  whole, at least 1 each
std::vector<Affine> grid_places(const Vec3& counts, const Vec3& spacing);

/// Where the copies of a ring stand, the first one where it is. Over 360 degrees they share the whole circle; over less the last
/// one stands at the end of the angle.
std::vector<Affine> ring_places(const Vec3& point, const Vec3& axis, Index count, double degrees);

struct ChainSettings {
  Index count = 0;       ///< how many along each chain, both ends included; 0: by distance
  double distance = 10;  ///< between copies along the chain, mesh units; the rest is left at the end
  bool turned = true;    ///< the copies' x axis runs along the chain, their z axis along the surface's normal
};
/// How many chain_places() gives, or a few more. Throws Stopped.
double chain_place_count(const Mesh& mesh, std::span<const std::array<Index, 2>> edges, const ChainSettings& settings, const Control& control = {});
/// Places along chains of edges, from the beginning of each chain; closed chains count their beginning once. Edges that meet at a vertex
/// with two of them go on in one chain.
/// @param edges  vertex pairs
/// @param normals  per vertex of the mesh, the direction of z; need not be of length 1
/// Throws Stopped.
std::vector<Affine> chain_places(const Mesh& mesh, std::span<const std::array<Index, 2>> edges, std::span<const Vec3> normals, const ChainSettings& settings, const Control& control = {});

/// Normals of vertices: those of the faces around, by the angle that each has there. Length 1; zero for a vertex without a face.
std::vector<Vec3> vertex_normals(const Mesh& mesh);

/// The part united with itself at each place. Where nothing is enclosed the copies stand beside each other as they are.
/// Each face comes from the part's. Throws Stopped.
Result<BooleanResult> repeat(const Workpiece& part, std::span<const Affine> places, const Control& control);

/// A tool that is used at several places at once, as one tray.
struct RepeatedTool {
  std::shared_ptr<const Mesh> mesh;
  std::string name;
  Affine placement = Affine::Identity();  ///< before each place
  bool free_of_crossings = false;
};
/// The part combined with tools at places: one operation, all of the tools united. With several tools each place gets the next one in turn.
/// Sources: input 0 is the part, 1 + k tool k. Throws Stopped.
Result<BooleanResult> combine_at_places(const Workpiece& part, std::span<const RepeatedTool> tools, std::span<const Affine> places, Operation operation,
                                        const Control& control);
/// The tools at the places, united or side by side, without the part.
Result<BooleanResult> copies_at_places(std::span<const RepeatedTool> tools, std::span<const Affine> places, bool united, const Control& control);

}  // namespace anvil
