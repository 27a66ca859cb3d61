// SPDX-License-Identifier: GPL-3.0-or-later
// Points on a surface of flat facets, and ways across it that lie in a plane.
#pragma once

#include "core/mesh/feature_graph.h"

namespace anvil {

struct SurfacePoint {
  enum class On { facet, edge, vertex } on = On::facet;
  Index where = no_index;  ///< facet, feature edge, or cell of the vertex
  double along = 0;        ///< on an edge: the distance from where its half 2 e begins
  Vec3 at = Vec3::Zero();
};

/// A way across facets: points on the edges that it crosses, and the facets before, between and behind these.
struct SurfacePath {
  std::vector<SurfacePoint> between;
  std::vector<Index> facets;
};

class SurfaceWalk {
 public:
  /// @param passable  per feature edge: may be crossed
  SurfaceWalk(const Mesh& mesh, const FeatureGraph& graph, const std::vector<char>& passable) : mesh_(mesh), graph_(graph), passable_(passable) {}

  bool lies_in(const SurfacePoint& p, Index facet) const;

  /// From a to b in the plane through both that holds `up`. Where they share a facet, straight through it, even if it is not convex.
  /// @param facet  preferred where they share two
  /// @return whether b was reached
  bool connect(const SurfacePoint& a, const SurfacePoint& b, const Vec3& up, Index facet, SurfacePath& path) const;

  /// From a cell's vertex into a facet beside it, straight on across edges.
  /// @param direction  in the plane of the facet, length 1
  /// @return where so much of the way is gone, or less of it, where it comes upon an edge that may not be crossed
  struct Gone {
    SurfacePoint point;
    double length;
  };
  Gone go(Index cell, Index facet, const Vec3& direction, double length) const;

 private:
  struct Exit {
    Index half;  // of the facet that is left
    SurfacePoint point;
  };
  std::optional<Exit> exit_of(Index facet, const Vec3& from, const Vec3& direction, const Vec3& plane, const Vec3& on_plane, Index entry_edge, Index from_cell) const;

  const Mesh& mesh_;
  const FeatureGraph& graph_;
  const std::vector<char>& passable_;
};

}  // namespace anvil
