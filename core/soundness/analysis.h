// SPDX-License-Identifier: GPL-3.0-or-later
// What the finders share: triangles, welded positions, edges, shells. Computed once per check.
#pragma once

#include <stop_token>

#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/weld.h"
#include "core/soundness/report.h"

namespace anvil {

struct Analysis {
  explicit Analysis(const Mesh& mesh, const std::stop_token& stop);

  const Mesh& mesh;
  std::stop_token stop;
  TriangleList triangles;
  WeldMap positions;             ///< vertices by bit-equal position
  EdgeTable edges;               ///< by vertex
  std::vector<char> degenerate;  ///< per triangle: corners exactly on one line
  std::vector<Index> shell;      ///< per face: faces connected over edges
  Index shells = 0;
  std::vector<Index> patch;  ///< per face: faces connected over edges with exactly two faces
  Index patches = 0;
  std::size_t open_edge_count = 0, non_manifold_edge_count = 0, inconsistent_edge_count = 0;

  /// True when no two vertices in use sit at one position.
  bool all_welded() const { return positions.first.size() == mesh.positions.size(); }
  /// Edges with the vertices of one position taken as one; the same table when all are welded.
  const EdgeTable& position_edges() const { return all_welded() ? edges : by_position_; }

  Vec3 start_of(Index corner) const { return mesh.positions[mesh.corners[corner]]; }
  Vec3 end_of(Index corner) const {
    return mesh.positions[mesh.corners[next_corner(mesh, edges.corner_face[corner], corner)]];
  }
  /// Centroid of a face's corners.
  Vec3 face_centre(Index face) const;
  void check_stop() const {
    if (stop.stop_requested()) throw Stopped{};
  }

 private:
  EdgeTable by_position_;
};

/// A place around some points, with its radius.
Place place_around(const std::vector<Vec3>& points, std::string text);

/// A place for a group of faces: centre of their corners, outlines as segments (limited).
Place place_of_faces(const Analysis& a, const std::vector<Index>& faces, std::string text);

/// Splits `faces` into groups that hang together over shared vertices.
std::vector<std::vector<Index>> connected_groups(const Analysis& a, const std::vector<Index>& faces);

/// Do two faces run around the same positions, either way? Such faces are doubled, not crossing.
bool same_ring(const Analysis& a, Index f, Index g);

/// The finders, one file each. Each fills its own families and nothing else.
void find_open_edges(const Analysis& a, SoundnessReport& report);
void find_non_manifold(const Analysis& a, SoundnessReport& report);
void find_turned_faces_and_inner_walls(const Analysis& a, SoundnessReport& report);
void find_crossings(const Analysis& a, SoundnessReport& report);
void find_degenerate(const Analysis& a, SoundnessReport& report);
void find_doubled(const Analysis& a, SoundnessReport& report);
void find_unwelded_and_contacts(const Analysis& a, SoundnessReport& report);
void find_strays(const Analysis& a, SoundnessReport& report);

}  // namespace anvil
