// SPDX-License-Identifier: GPL-3.0-or-later
// What a step of a recipe is, and what a kind of step has to say of itself: one row of the table.
#pragma once

#include <functional>
#include <memory>
#include <optional>

#include "core/boolean/combine.h"
#include "core/comparison.h"
#include "core/fields.h"
#include "core/soundness/report.h"
#include "job/grip.h"
#include "job/step_rows.h"

namespace anvil {

using PartId = std::uint32_t;
using StepId = std::uint32_t;
using UseId = std::uint32_t;
using SetId = std::uint32_t;

struct StepKind;

/// One row of a step: a part that is used as a tool, or a tray of such rows, which counts as one tool.
///
/// What a tray holds is made into one body first: its first row, then each of the others by its own operation. That body is
/// used by the operation of the tray.
struct ToolUse {
  UseId id = 0;
  PartId tool = 0;  ///< 0: a tray
  Operation operation = Operation::difference;
  bool on = true;
  std::shared_ptr<const Mesh> kept = nullptr;  ///< of a tool: its result as it was, in its own frame; null: it follows its recipe
  std::string name = {};                       ///< of a tray
  SetId set = 0;                               ///< of a tray: it holds the parts of a set, all united, and no rows of its own
  std::vector<ToolUse> inside = {};            ///< of a tray
  bool operator==(const ToolUse&) const = default;

  bool is_tray() const { return tool == 0; }
  bool is_live() const { return kept == nullptr; }
};

/// One entry of a recipe. What all kinds have stands here; what one kind has, in its fields.
struct Step {
  StepId id = 0;
  const StepKind* kind = nullptr;
  std::string name;  ///< "": that of the kind
  bool on = true;
  std::vector<ToolUse> tools;
  FieldValues fields;
  bool stands_in = false;  ///< made coarser for the moment (StepKind::coarsen): in no job, nor in its file
  bool operator==(const Step&) const = default;

  FieldReader values() const;
  const std::string& shown_name() const;
};

/// What a step gets to work on. Positions are in the part's own frame.
struct StepInput {
  struct Tool {
    std::shared_ptr<const Mesh> mesh;
    Affine placement;
    Operation operation;
    std::string name;  ///< for messages and reports
    std::vector<Tool> tray = {};  ///< of a tray, which has no mesh: what is made into one body first
  };
  std::shared_ptr<const Mesh> mesh;
  std::string name;
  std::vector<Tool> tools;
  FieldReader fields;
  /// Is it known, or can be found out, that an input crosses itself nowhere? 0 is the part, k its k-th tool, trays opened.
  std::function<bool(std::size_t)> free_of_crossings;
  CombineCache* cache = nullptr;
  Control control = {};
  std::span<const Index> piece = {};  ///< per face, where the part is in several pieces
  Index pieces = 1;
  std::span<const std::array<Index, 2>> fresh_edges = {};  ///< of the part: those that the step before made
  bool stands_in = false;  ///< as Step has it: only its mesh is looked at
};

/// What it gives back. An empty mesh says why in its report.
struct StepOutput {
  Mesh mesh;            ///< material slots carried over; origins are left to the runner
  FaceSources sources;  ///< input 0 is the part, k its k-th tool, trays opened
  OperationReport report;
  std::vector<Index> piece;  ///< per face; all 0 when there is one piece
  Index pieces = 1;
  bool open_on_purpose = false;
  std::vector<std::array<Index, 2>> fresh_edges;  ///< vertex pairs
  bool free_of_crossings = false;                 ///< known to cross itself nowhere
  std::shared_ptr<const SoundnessReport> soundness = nullptr;  ///< when it was found out anyway
  std::shared_ptr<const Comparison> comparison = nullptr;      ///< of kinds that people compare before and after
  Grips grips = {};                                            ///< where its numbers can be taken hold of
  Guides guides = {};
};
/// What an operation of the engine gives, as a step's output.
StepOutput as_output(BooleanResult result);
Result<StepOutput> as_output(Result<BooleanResult> result);

/// welcome: it works on the part alone as well; instead: where it has any, it does something else with them than with the part alone
enum class ToolRule { none, welcome, instead, needed };
inline bool works_alone(ToolRule rule) { return rule == ToolRule::welcome || rule == ToolRule::instead; }
/// A step that loses the last of its tools goes with it: without them it would mean nothing, or something else.
inline bool goes_with_tools(ToolRule rule) { return rule == ToolRule::needed || rule == ToolRule::instead; }

/// One kind of step. `run` is a pure function: the same input gives the same output. Throws Stopped.
struct StepKind {
  std::string key;      ///< stable, in files and on the command line
  std::string label;    ///< as people read it
  std::string icon;     ///< name of its drawing
  std::string station;  ///< key of the station whose verb adds it
  std::string help;     ///< one sentence
  ToolRule tools = ToolRule::none;
  std::vector<Field> fields;
  Result<StepOutput> (*run)(const StepInput&) = nullptr;
  int rank = 0;           ///< place among the kinds of its station
  std::string shortcut = {};  ///< of the verb that adds it, as "Shift+M"
  /// Sets the numbers of a new step to what suits a part, in its own frame; null: as they are.
  void (*suit)(Step& step, const Mesh& part) = nullptr;
  bool takes_points = false;  ///< also works on point clouds
  /// Of a kind that takes long: sets its numbers to what takes a part of a second and looks like it from afar. Null: there is no such thing.
  /// @return about how many times longer it would have taken as it was; 0 where it was coarse already, and nothing is changed
  double (*coarsen)(Step& step, const Mesh& part) = nullptr;
};

using StepTable = std::span<const StepKind* const>;
/// All kinds, in the order in which they are offered: one for each file of job/steps, where mirror.cpp defines
/// steps::mirror (cmake/rows.cmake lists them in job/step_rows.h).
StepTable step_table();
/// Null when there is no such kind.
const StepKind* find_step_kind(std::string_view key, StepTable table = step_table());

/// 1, 2 or 5 with a power of ten, the next below.
double round_number(double value);
/// Sets one number of a step.
void set_field(Step& step, std::string_view key, FieldValue value);

/// A step of this kind with its initial fields; the job gives it its id.
Step new_step(const StepKind& kind);

}  // namespace anvil
