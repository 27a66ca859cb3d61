// SPDX-License-Identifier: GPL-3.0-or-later
// The document: a job holds parts, a part holds its source and its recipe. All of it is a value; parts and
// meshes are shared between versions, so keeping every earlier version for undo costs next to nothing.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <variant>

#include "core/stock/primitive.h"
#include "job/placement.h"
#include "job/shared_memo.h"
#include "job/step.h"

namespace anvil {

/// A part's source when it came from a file; coordinates are millimetres already.
struct ImportedSource {
  std::shared_ptr<const Mesh> mesh;
  std::string file;  ///< name it was read from, for people
  bool operator==(const ImportedSource&) const = default;
};

/// A part's source that is what another part's recipe comes to, in that one's frame.
struct PartSource {
  PartId part = 0;
  std::shared_ptr<const Mesh> kept;  ///< its result as it was; null: it follows that part
  bool operator==(const PartSource&) const = default;
};

struct Forging;
/// A part's source that was a result once: what it was made by is kept beside it and can be brought back.
struct ForgedSource {
  std::shared_ptr<const Mesh> mesh;
  std::shared_ptr<const Forging> before;
  bool operator==(const ForgedSource&) const = default;
};

using Source = std::variant<Primitive, ImportedSource, PartSource, ForgedSource>;

/// Source and recipe of a part as they were when it was forged.
struct Forging {
  Source source;
  std::vector<Step> recipe;
};

/// Parts kept together under a name; a part may be in several.
struct PartSet {
  SetId id = 0;
  std::string name;
  std::vector<PartId> parts;
  bool operator==(const PartSet&) const = default;
};

struct Part {
  PartId id = 0;
  std::string name;
  Source source;
  Placement placement;             ///< in the job, or in the frame of the part it rides on
  std::optional<PartId> rides_on;  ///< the part it is fastened to, as a tool that rides along with its part
  bool visible = true;
  bool locked = false;
  std::optional<std::uint32_t> tint;  ///< 0xRRGGBB
  std::vector<Step> recipe;

  bool operator==(const Part&) const = default;
};

using PartPtr = std::shared_ptr<const Part>;

/// The unit that files without one are read in.
enum class Unit { millimetre, inch, metre };
double millimetres_per(Unit unit);
const char* key_of(Unit unit);

struct Job {
  std::string title = "Untitled job";
  std::optional<Unit> unit;  ///< asked once, at the first file without a unit
  std::vector<PartPtr> parts;
  std::vector<PartSet> sets;
  PartId next_id = 1;    ///< ids are never used again
  StepId next_step = 1;  ///< likewise
  UseId next_use = 1;
  SetId next_set = 1;

  /// Null when there is no such part.
  const Part* find(PartId id) const;
  /// The part; throws std::out_of_range for an unknown id.
  const Part& at(PartId id) const;
  /// Placement in the job, through all the parts it rides on.
  Affine world_of(PartId id) const;
  /// The step that has this id, and the part whose recipe it is in; nulls when there is none.
  struct Found {
    const Part* part = nullptr;
    const Step* step = nullptr;
    explicit operator bool() const { return step != nullptr; }
  };
  Found find_step(StepId id) const;
  const PartSet* find_set(SetId id) const;
  /// A row of a step, and where it stands.
  struct Use {
    PartId part;   ///< whose recipe it is in
    StepId step;
    UseId id;      ///< of the row; of the tray, for a part that is in it by its set
    PartId tool;
    std::vector<UseId> trays;  ///< it stands in, the outermost first
    Operation operation;       ///< what it does to the part: that of its outermost tray, where it stands in one
    bool on;                   ///< with all its trays and its step
  };
  /// Every use of a part as a tool, in the order of the parts and their recipes. Valid while the job is there and unchanged.
  const std::vector<Use>& uses_of(PartId tool) const;
  /// Every tool of a part's recipe, in the order of its rows.
  std::vector<Use> uses_by(PartId part) const;
  /// The first of them, or the first by a part; none when there is none.
  std::optional<Use> use_of(PartId tool, PartId by = 0) const;
  bool is_tool(PartId part) const { return use_of(part).has_value(); }
  /// The row with this id; nulls when there is none.
  struct FoundUse {
    const Part* part = nullptr;
    const Step* step = nullptr;
    const ToolUse* use = nullptr;
    explicit operator bool() const { return use != nullptr; }
  };
  FoundUse find_use(UseId id) const;
  /// The rows of a tray: its own, or one for each part of its set.
  std::vector<ToolUse> rows_of(const ToolUse& tray) const;
  /// Parts that are needed to make a part, directly: its source, tools that are live. In order, each once.
  std::vector<PartId> needs_of(PartId part) const;
  /// True when evaluating `part` needs `other`, directly or through what it needs (or when they are the same).
  bool depends_on(PartId part, PartId other) const;
  /// How `part` needs `other`: the parts from one to the other; empty when it does not.
  std::vector<PartId> chain_between(PartId part, PartId other) const;
  /// A name not yet taken: "Box", "Box 2", …
  std::string free_name(const std::string& wanted) const;

 private:
  /// Which parts use a part, made when it is first asked for.
  struct Uses;
  SharedMemo<Uses> uses_;
};

using JobPtr = std::shared_ptr<const Job>;

}  // namespace anvil
