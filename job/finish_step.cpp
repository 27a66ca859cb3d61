// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/finish_step.h"

#include "core/mesh/edge_rule.h"
#include "job/hand_edit.h"

namespace anvil {
namespace {

constexpr Note finished{"edges_finished", "1 edge", "{0} edges", Note::Place::card};

}  // namespace

Field finish_edges_field() { return edges_field("edges", "Edges", "fresh", "Which edges: by a rule, or chosen ones."); }

Result<StepOutput> run_finish(const StepInput& input, const Field& rule, const FinishSettings& settings) {
  const EdgeTable edges = build_edges(*input.mesh);
  std::vector<Vec3> missing;
  const Result<std::vector<Index>> list = edges_of_rule(input, edges, rule, missing);
  if (!list) return list.issue();
  Result<StepOutput> output = as_output(about(input, finish_edges(workpiece(input), edges, *list, settings, input.control)));
  if (!output) return output;
  output->report.tell(finished, list->size(), input.name);
  tell_missing(output->report, input.name, std::move(missing));
  return output;
}

}  // namespace anvil
