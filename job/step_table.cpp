// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/step.h"

#include <algorithm>
#include <cmath>
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

double round_number(double value) {
  const double power = std::pow(10, std::floor(std::log10(value)));
  const double digit = value / power;
  return power * (digit >= 5 ? 5 : digit >= 2 ? 2 : 1);
}

void set_field(Step& step, std::string_view key, FieldValue value) { step.fields[*field_place(step.kind->fields, key)] = std::move(value); }

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
