// SPDX-License-Identifier: GPL-3.0-or-later
// What a recipe came to.
#pragma once

#include <memory>
#include <optional>

#include "core/comparison.h"
#include "core/report.h"
#include "core/result.h"
#include "core/soundness/report.h"
#include "job/drawable.h"
#include "job/grip.h"

namespace anvil {

/// What one step did. Names in it are tokens (cast.h).
struct StepReport {
  Index step = 0;  ///< its place among the steps of the cast
  OperationReport report;
  std::shared_ptr<const Comparison> comparison;  ///< null for kinds that give none
  Grips grips = {};
  Guides guides = {};
};

/// What a part's recipe came to. Immutable once made. Names in messages are tokens of the cast.
struct Evaluated {
  std::shared_ptr<const Mesh> mesh;  ///< in the part's own frame, with origins; where `error` is set, as far as it came
  std::optional<Issue> error;        ///< why the recipe could not be carried out to its end
  Index error_step = no_index;       ///< the step that failed, by its place in the cast
  std::vector<StepReport> steps;     ///< of every step carried out
  std::vector<Index> piece;          ///< per face of the mesh, when there are several pieces; else empty
  Index pieces = 1;
  bool open_on_purpose = false;
  bool free_of_crossings = false;                 ///< known to cross itself nowhere
  std::vector<std::array<Index, 2>> fresh_edges;  ///< vertex pairs, of the last step
  Index cast_parts = 1, cast_steps = 0;           ///< size of the cast
  std::shared_ptr<const Drawable> drawable;       ///< null when only the mesh was asked for

  /// Of all steps together; 0 when there are none.
  double seconds() const;
  /// What the last step changed, where its kind tells it.
  const Comparison* comparison() const { return steps.empty() ? nullptr : steps.back().comparison.get(); }
  /// Of the last step carried out; null when there is none.
  const OperationReport* last_report() const { return steps.empty() ? nullptr : &steps.back().report; }
};
using EvaluatedPtr = std::shared_ptr<const Evaluated>;
using ReportPtr = std::shared_ptr<const SoundnessReport>;

/// The pieces of a result; for one that is all in one piece, its shells.
std::vector<Mesh> separate_pieces(const Evaluated& evaluated);

}  // namespace anvil
