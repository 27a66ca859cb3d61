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
#include "job/step.h"

namespace anvil {

/// A part's source when it came from a file; coordinates are millimetres already.
struct ImportedSource {
  std::shared_ptr<const Mesh> mesh;
  std::string file;  ///< name it was read from, for people
  bool operator==(const ImportedSource&) const = default;
};

using Source = std::variant<Primitive, ImportedSource>;

struct Part {
  PartId id = 0;
  std::string name;
  Source source;
  Placement placement;             ///< in the job, or in the frame of the part it rides on
  std::optional<PartId> rides_on;  ///< a tool that rides along with its part
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
  PartId next_id = 1;    ///< ids are never used again
  StepId next_step = 1;  ///< likewise

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
  /// The part whose recipe uses this one as a tool, and how; none when it is no tool.
  struct Use {
    PartId part;
    StepId step;
    std::size_t step_place, tool_place;  ///< in the recipe, and among the step's tools
    Operation operation;
    bool on;
  };
  std::optional<Use> use_of(PartId tool) const;
  /// True when evaluating `part` needs `other`, directly or through its tools (or when they are the same).
  bool depends_on(PartId part, PartId other) const;
  /// A name not yet taken: "Box", "Box 2", …
  std::string free_name(const std::string& wanted) const;
};

using JobPtr = std::shared_ptr<const Job>;

}  // namespace anvil
