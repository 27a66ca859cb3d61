// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/step.h"

#include <algorithm>
#include <tuple>

namespace anvil {

StepTable step_table() {
  static const auto in_order = [] {
    auto rows = step_rows;
    std::stable_sort(rows.begin(), rows.end(), [](const StepKind* a, const StepKind* b) {
      return std::tie(a->station, a->rank, a->label) < std::tie(b->station, b->rank, b->label);
    });
    return rows;
  }();
  return in_order;
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
  output.free_of_crossings = result.free_of_crossings;
  output.mesh = std::move(result.mesh);
  output.sources = std::move(result.sources);
  output.report = std::move(result.report);
  output.piece = std::move(result.piece);
  output.pieces = std::max<Index>(result.pieces, 1);
  output.open_on_purpose = result.open_on_purpose;
  output.fresh_edges = std::move(result.fresh_edges);
  return output;
}

Result<StepOutput> as_output(Result<BooleanResult> result) {
  if (!result) return result.issue();
  return as_output(std::move(*result));
}

}  // namespace anvil
