// SPDX-License-Identifier: GPL-3.0-or-later
// What a soundness check found: complete records of every defect, counts per family, and the numbers people
// compare.
#pragma once

#include <array>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/family_rows.h"
#include "core/mesh/mesh.h"

namespace anvil {

struct Analysis;
struct Defect;

/// The shape that marks the places of a family in the view.
enum class Marker { ring, bow_tie, diamond, dot, double_bar, hook };

/// What a family means for the verdict.
enum class FamilyRole {
  defect,  ///< one of them, and the mesh is not sound
  remark,  ///< counted beside the verdict, does not decide it
  note     ///< said only where asked for
};

/// One family of defects: a row of the table, which are the files of core/soundness/families. A finder looks
/// at one mesh and gives complete records of all it found, in an order that depends on the mesh alone; it
/// runs beside the others. Throws Stopped.
struct Family {
  const char* key;    ///< stable, in files and on the command line
  const char* label;  ///< "Open edges and holes"
  const char *one, *many;
  Marker marker;
  FamilyRole role;
  int rank;  ///< place in the rail
  std::vector<Defect> (*find)(const Analysis&);
};

using FamilyTable = std::span<const Family* const>;
/// All families by rank: the order in which the rail shows them.
FamilyTable family_table();

/// One place where something is wrong, with everything that takes part in it.
struct Defect {
  const Family* family = nullptr;
  std::string kind;                         ///< stable word where a family has several: "hole", "open_rim"
  std::vector<Index> faces;                 ///< all faces involved
  std::vector<std::array<Index, 2>> edges;  ///< vertex pairs, where edges are meant and not whole faces
  std::vector<Index> vertices;              ///< where vertices are meant
  Vec3 position = Vec3::Zero();
  double size = 0;        ///< extent around the position, mesh units
  std::size_t count = 1;  ///< how many of what the family counts: edges of a hole, faces of a crossing
  double length = 0;      ///< of the boundary of a hole or an open rim, mesh units
  bool planar = false;    ///< of a hole: its boundary is, within the tolerance of the check
  std::string note;       ///< "hole, 12 edges, 37.2 mm"
};

struct FamilyReport {
  const Family* family = nullptr;
  std::size_t count = 0;  ///< sum over the defects
  std::vector<Defect> defects;
};

/// The whole verdict on one mesh.
struct SoundnessReport {
  std::vector<FamilyReport> families;  ///< in the order of the table

  std::size_t vertices = 0, triangles = 0, polygons = 0, edges = 0, shells = 0;
  std::size_t points = 0;  ///< of a cloud, in which nothing is looked for
  double volume = 0;  ///< mesh units³; what the faces sum to, exact only when closed
  double area = 0;    ///< mesh units²
  Box3 bounds;
  std::optional<long long> genus;  ///< sum over the shells; only for closed manifold meshes
  bool sound = false;

  /// What was found of a family; nothing when it was not looked for.
  const FamilyReport& of(const Family& family) const;
  std::size_t count(const Family& family) const { return of(family).count; }
  /// Closed chains of open edges.
  std::size_t holes() const;
  bool closed() const { return count(families::open_edges) == 0; }
  /// No face crosses another, as far as this check can tell: faces without area were not looked at.
  bool free_of_crossings() const {
    return count(families::crossing_faces) == 0 && count(families::zero_area_faces) == 0;
  }
};

/// "Sound", "Sound, with 1 stray shell", "Not sound: 3 holes, 2 crossings" or "Points only: recast them".
std::string verdict(const SoundnessReport& report);

}  // namespace anvil
