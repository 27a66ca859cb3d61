// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/step.h"

namespace anvil {

StepTable step_table() {
  static const std::array rows = {&steps::combine, &steps::plane_cut, &steps::mirror};
  return rows;
}

const StepKind* find_step_kind(std::string_view key, StepTable table) {
  for (const StepKind* kind : table)
    if (kind->key == key) return kind;
  return nullptr;
}

Step new_step(const StepKind& kind) {
  Step step;
  step.kind = &kind;
  step.fields = initial_values(kind.fields);
  return step;
}

FieldReader Step::values() const { return {kind->fields, fields}; }

const std::string& Step::shown_name() const { return name.empty() ? kind->label : name; }

StepOutput as_output(BooleanResult result) {
  StepOutput output;
  // Not so where parts were only gathered, where pieces lie wall to wall, or where rounding was left unsettled.
  output.free_of_crossings = !result.open_on_purpose && result.pieces < 2;
  for (const auto& done : result.report.done)
    if (done.what == "gathered" || done.what == "rounding_not_settled" || done.what == "plane_misses") output.free_of_crossings = false;
  output.mesh = std::move(result.mesh);
  output.sources = std::move(result.sources);
  output.report = std::move(result.report);
  output.piece = std::move(result.piece);
  output.pieces = std::max<Index>(result.pieces, 1);
  output.open_on_purpose = result.open_on_purpose;
  output.fresh_edges = std::move(result.fresh_edges);
  return output;
}

}  // namespace anvil
