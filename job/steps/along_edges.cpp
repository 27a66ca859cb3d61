// SPDX-License-Identifier: GPL-3.0-or-later
// Along edges: tools repeated along chains of edges of the part.
#include "core/mesh/edge_rule.h"
#include "core/shape/array.h"
#include "job/hand_edit.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

const Field rule_along_edges = edges_field("edges", "Edges", "fresh", "Along which edges: by a rule, or chosen ones.");

Result<StepOutput> run_along_edges(const StepInput& input) {
  const EdgeTable edges = build_edges(*input.mesh);
  std::vector<Vec3> missing;
  const Result<std::vector<Index>> list = edges_of_rule(input, edges, rule_along_edges, missing);
  if (!list) return list.issue();
  std::vector<std::array<Index, 2>> pairs;
  for (Index e : *list) pairs.push_back(edges.vertices[e]);
  ChainSettings settings;
  settings.count = input.fields.count("count");
  settings.distance = input.fields.number("distance");
  settings.turned = input.fields.on("turned");
  if (const auto issue = too_many_copies(input, chain_place_count(*input.mesh, pairs, settings, input.control), Mesh())) return *issue;
  const std::vector<Affine> places = chain_places(*input.mesh, pairs, vertex_normals(*input.mesh), settings, input.control);
  const auto given = repeated_tools(input, true);
  if (!given) return given.issue();
  const std::vector<RepeatedTool>& tools = *given;
  if (tools.empty()) return Issue{"has no tool to repeat", input.name, {}, "add one to the step's card"};
  for (const RepeatedTool& tool : tools)
    if (const auto issue = too_many_copies(input, static_cast<double>(places.size()), *tool.mesh)) return *issue;
  Result<StepOutput> output = as_output(combine_at_places(workpiece(input), tools, places, *operation_named(input.fields.text("operation")), input.control));
  if (output) tell_missing(output->report, input.name, std::move(missing));
  return output;
}

}  // namespace

const StepKind steps::along_edges = {
    "along-edges", "Along edges", "along_edges", "shape", "Repeat tools along edges of the part, and combine it with them.", ToolRule::needed,
    {rule_along_edges, choice_field("operation", "Operation", "difference", choices_of({Operation::difference, Operation::unite, Operation::gather}), "What the tools do to the part."),
     count_field("count", "Count", 0, 0, 10000, "How many along each chain, both ends included; 0: by the distance."),
     length_field("distance", "Distance", 10, "From copy to copy along the chain, where the count is 0."),
     toggle_field("turned", "Turned along", true, "The tools' first axis runs along the edge, their third one stands upright on the surface.")},
    run_along_edges, 22, "E",
    [](Step& step, const Mesh& part) { set_field(step, "distance", round_number(bounds(part).diagonal() / 10)); }};

}  // namespace anvil
