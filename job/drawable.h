// SPDX-License-Identifier: GPL-3.0-or-later
// A mesh as flat single-precision arrays, ready to be put on a graphics card; made on the worker.
#pragma once

#include "core/mesh/bvh.h"
#include "core/mesh/deviation.h"

namespace anvil {

/// One edge for drawing: where it runs and how its two faces lie, so that creases and outlines can be told.
struct DrawnEdge {
  float a[3], b[3];
  float normal_a[3], normal_b[3];  ///< unit normals of the two faces; equal on an edge with one face
  float kind;                      ///< 0 smooth, 1 crease (over 20°), 2 open or non-manifold
};

struct Drawable {
  Vec3 centre = Vec3::Zero();  ///< the arrays are relative to this point
  Box3 box;
  std::vector<float> positions;          ///< x y z per vertex, then those of the proxy
  std::vector<float> deviation;          ///< of each of them from the surface before the last step, mm; empty when not known.
                                         ///< Triangles that lie farther off inside than at their corners have own vertices
  float max_deviation = 0;               ///< of those
  bool by_region = false;                ///< what stands there are numbers of regions instead
  std::vector<std::uint32_t> triangles;  ///< three indices each
  // Of a cloud, which has no triangles: its points stand in `positions`, any so many from the first on spread over all of it.
  std::vector<std::int8_t> shade;  ///< x y z and nothing per point: 127 times its normal
  bool two_sided = false;          ///< to which side a normal looks is not known
  float point_size = 0;            ///< how large each is drawn, mm: about as far as they lie apart
  std::vector<DrawnEdge> edges;          ///< polygon edges, except those between coplanar faces
  std::vector<DrawnEdge> fresh;          ///< edges that the latest step made
  std::size_t open_count = 0;            ///< the first so many edges are open or non-manifold
  std::size_t crease_count = 0;          ///< the first so many edges are those and the creases
  std::vector<std::uint32_t>
      proxy;                ///< three indices each, a lighter mesh for moving views; empty when small
  TriangleList triangle_list;  ///< for picking: faces of `tree`
  std::shared_ptr<const Bvh> tree;  ///< null of a cloud

  bool is_cloud() const { return !shade.empty(); }
  std::size_t point_count() const { return shade.size() / 4; }
  bool empty() const { return triangles.empty() && !is_cloud(); }
  /// Is it so large that it is shown lighter while the view moves?
  bool is_heavy() const;
};

/// So many points of a larger cloud are drawn while the view moves.
inline constexpr std::size_t points_moving = 45'000;

/// From this many triangles on, a lighter proxy is made for moving views.
inline constexpr std::size_t proxy_threshold = 300'000;

/// @param fresh_edges  vertex pairs
/// @param deviation    of this mesh from what was before, or null
Drawable make_drawable(const Mesh& mesh, const std::stop_token& stop, std::span<const std::array<Index, 2>> fresh_edges = {},
                       const OneWay* deviation = nullptr);

}  // namespace anvil
