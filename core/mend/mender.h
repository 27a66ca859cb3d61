// SPDX-License-Identifier: GPL-3.0-or-later
// What a mender is: one row of the table, made of the files of core/mend/menders. It answers families of defects.
#pragma once

#include <string>

#include "core/boolean/combine.h"
#include "core/fields.h"
#include "core/mender_rows.h"
#include "core/mesh/mesh_editor.h"
#include "core/report.h"
#include "core/soundness/check.h"

namespace anvil {

struct Analysis;
struct Mender;

/// What counts as solid where a mesh crosses itself or holds shells within shells.
enum class Solid {
  add,       ///< every shell adds: inside is what any of them encloses
  alternate  ///< shells within shells are solid and cavity in turn
};

/// How to mend; what no mender may decide by itself.
struct MendSettings {
  /// Vertices nearer than this may be welded, mesh units; negative: 1e-5 of the diagonal of the bounds.
  double tolerance = -1;
  Solid solid = Solid::add;
  double longest_hole = 0;  ///< boundary of the longest hole that is closed, mesh units; 0: all are
  double opening = 0;       ///< width by which places where it touches itself are opened; 0: they stay
  /// Those that may be used, in any order.
  std::span<const Mender* const> menders;
  std::vector<char> scope = {};  ///< per face: only defects in which one of these takes part; empty: all
};
/// All menders, in the order in which they are used.
std::span<const Mender* const> mender_table();
/// Null when there is no such mender.
const Mender* find_mender(std::string_view key);

/// What one mender did, or would do.
struct Deed {
  const Mender* mender = nullptr;
  std::size_t count = 0;          ///< of what it says: holes, vertices, walls
  double longest = 0;             ///< of holes: the longest boundary; of welds: the widest gap; mesh units
  std::vector<Vec3> places = {};  ///< where, in mesh coordinates; all of them
  std::vector<std::string> left = {};  ///< what it left alone, and why
  std::vector<OperationReport::Done> told = {};  ///< what the engine told beside, where it was asked
};
/// Adds a deed to those of its mender, or behind all others.
void add_deed(std::vector<Deed>& deeds, Deed deed);

/// The mesh that is mended, on its way: what a mender gets, and what it changes.
struct MendJob {
  const Mesh& mesh;
  const Analysis& analysis;
  const SoundnessReport& report;
  const MendSettings& settings;
  double tolerance;  ///< mesh units, settled
  bool is_last_resort;  ///< nothing else helped: better roughly than not at all
  const Control& control;
  MeshEditor edit;
  /// Where a mender makes a whole new mesh instead of edits.
  std::optional<EditedMesh> replaced = {};

  /// The defects of a family.
  const std::vector<Defect>& of(const Family& family) const { return report.of(family).defects; }
};

struct Mender {
  const char* key;       ///< stable, in files and on the command line
  const char* label;     ///< "Weld seams"
  const Family* family;  ///< that it answers: its turn is worth it where there are some, and was worth it where fewer are left
  const char *one, *many;  ///< what it will do, in plain words; {0} is the count, {1} the longest, with its unit
  int rank;              ///< its turn
  bool ticked;           ///< without being asked for
  const char* help;      ///< one sentence
  /// Writes its edits down. Throws Stopped.
  void (*apply)(MendJob& job, Deed& deed);
  const Note* did;               ///< what it has done, in words
  const Family* also = nullptr;  ///< another family that it answers
  bool is_local = false;         ///< needs nothing but the surroundings of a flaw
  bool is_resort = false;        ///< may be asked where nothing else helped, whatever is wrong

  std::size_t answered(const SoundnessReport& report) const { return report.count(*family) + (also == nullptr ? 0 : report.count(*also)); }
};

/// "Close 3 holes, longest boundary 14.2 mm".
std::string in_words(const Deed& deed);

}  // namespace anvil
