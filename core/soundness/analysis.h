// SPDX-License-Identifier: GPL-3.0-or-later
// What the finders share: triangles, welded positions, edges, shells. Computed once per check.
#pragma once

#include <tbb/collaborative_call_once.h>

#include <stop_token>

#include "core/control.h"
#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/weld.h"
#include "core/soundness/report.h"

namespace anvil {

/// Which way faces ought to turn, which are walls and which hang off; made once, for the families that ask for it.
struct Orientation {
  struct Sheet {
    std::vector<Index> faces;
    const char* kind;
    std::string note;
  };
  std::vector<Index> flipped;  ///< faces, in order
  std::vector<Sheet> walls;    ///< kinds "wall" and "buried_shell"
  std::vector<Sheet> fins;
};

struct Analysis {
  Analysis(const Mesh& mesh, double tolerance, const std::stop_token& stop);

  const Mesh& mesh;
  double tolerance;  ///< mesh units, at least 0; families that decide exactly do not look at it
  std::stop_token stop;
  std::span<const char> scope = {};  ///< as CheckSettings::scope: what hangs off reaches no farther
  std::span<const char> crossings_of = {};  ///< per face: only these are looked at for crossings, with all others; empty: all
  TriangleList triangles;
  WeldMap positions;             ///< vertices by bit-equal position
  EdgeTable edges;               ///< by vertex
  std::vector<char> degenerate;  ///< per triangle: corners exactly on one line, or not at numbers
  std::vector<char> used;        ///< per vertex: a face has it
  bool triangles_only = true;    ///< every face has exactly three corners
  std::vector<Index> shell;      ///< per face: faces connected over edges
  Index shells = 0;
  std::vector<Index> patch;  ///< per face: faces connected over edges with exactly two faces
  Index patches = 0;
  Box3 box;                   ///< of all vertices
  double volume = 0;          ///< mesh units³; what the faces sum to
  double area = 0;            ///< mesh units²
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
  const Orientation& orientation() const;

 private:
  void measure();
  mutable tbb::collaborative_once_flag orientation_once_;
  mutable Orientation orientation_;
  EdgeTable by_position_;
};

/// A defect of a family around some points.
Defect defect_around(const Family& family, const std::vector<Vec3>& points, std::string note);

/// A defect that is a group of faces: the centre of their corners, as many counted.
Defect defect_of_faces(const Analysis& a, const Family& family, const std::vector<Index>& faces,
                       std::string note);

/// Splits `faces` into groups that hang together over shared vertices.
std::vector<std::vector<Index>> connected_groups(const Analysis& a, const std::vector<Index>& faces);

/// Do two faces run around the same positions, either way? Such faces are doubled, not crossing.
bool same_ring(const Analysis& a, Index f, Index g);

}  // namespace anvil
