// SPDX-License-Identifier: GPL-3.0-or-later
// What a soundness check found: counts and places per family of defects, and the numbers people compare.
#pragma once

#include <array>
#include <optional>
#include <string>

#include "core/mesh/mesh.h"

namespace anvil {

/// The families of defects, in the order in which the rail shows them.
enum class Family {
  open_edges,             ///< edges with one face; places are the holes and open chains
  non_manifold_edges,     ///< edges with more than two faces
  non_manifold_vertices,  ///< vertices where separate fans of faces meet
  flipped_faces,          ///< faces turned against their neighbours, and shells inside out
  crossing_faces,         ///< faces that meet another face anywhere but at shared edges and vertices
  zero_length_edges,      ///< edges whose ends are bit-equal
  zero_area_faces,        ///< faces whose corners lie exactly on one line
  doubled_faces,          ///< faces on the same corners as an earlier face, either way round
  inner_walls,            ///< walls with material on both sides
  unwelded_vertices,      ///< vertices on open edges at the place of another such vertex
  stray_shells            ///< shells of less than 1/50 of the largest shell's diagonal; loose vertices
};
inline constexpr std::size_t family_count = 11;

/// Stable name used in files and on the command line, e.g. "open_edges".
const char* key_of(Family family);
/// Name as people read it, e.g. "Open edges and holes".
const char* label_of(Family family);

/// One spot to fly to.
struct Place {
  Vec3 position = Vec3::Zero();
  double radius = 0;                          ///< extent around the position, mesh units
  std::string text;                           ///< "hole, 12 edges, 37.2 long"
  std::vector<Index> faces;                   ///< faces involved, at most a few hundred
  std::vector<std::array<Vec3, 2>> segments;  ///< edges to draw, at most a few thousand
};

struct FamilyReport {
  std::size_t count = 0;
  std::vector<Place> places;  ///< grouped; fewer than `count` when one place holds many
};

/// The whole verdict on one mesh.
struct SoundnessReport {
  std::array<FamilyReport, family_count> families;
  std::size_t holes = 0;          ///< closed chains of open edges
  std::size_t contact_edges = 0;  ///< edges where two closed fans touch without sharing vertices
  std::vector<Place> contacts;

  std::size_t vertices = 0, triangles = 0, polygons = 0, edges = 0, shells = 0;
  double volume = 0;  ///< mesh units³; what the faces sum to, exact only when closed
  double area = 0;    ///< mesh units²
  Box3 bounds;
  std::optional<long long> genus;  ///< sum over the shells; only for closed manifold meshes
  bool sound = false;

  const FamilyReport& of(Family family) const { return families[static_cast<std::size_t>(family)]; }
  FamilyReport& of(Family family) { return families[static_cast<std::size_t>(family)]; }
  bool closed() const { return of(Family::open_edges).count == 0; }
};

/// "Sound", "Sound, with 1 stray shell" or "Not sound: 3 holes, 2 crossings".
std::string verdict(const SoundnessReport& report);

}  // namespace anvil
