// SPDX-License-Identifier: GPL-3.0-or-later
// Blend: the part and its tools combined by their distance fields, with rounds where they meet.
#include "core/recast/volumes.h"

#include "job/forecast.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_voxel_combine(const StepInput& input) {
  const Result<std::vector<recast::Part>> opened = opened_parts(input);
  if (!opened) return opened.issue();
  const std::vector<recast::Part>& parts = *opened;
  Result<StepOutput> output = as_output(blend_parts(parts, {*operation_named(input.fields.text("operation")), input.fields.number("detail"), input.fields.number("blend")}, input.control));
  if (output && !output->mesh.empty() && !input.stands_in) tell_finer(output->report, numbers_of(output->mesh).triangles);
  return output;
}

}  // namespace

const StepKind steps::voxel_combine = {
    "voxel-combine", "Blend", "blend", "recast", "Combine the part with others by their distance fields, with rounds where they meet.", ToolRule::needed,
    {choice_field("operation", "Operation", "union", {{"union", "all together"}, {"difference", "the part without the others"}, {"intersection", "what they have in common"}}, "What is done with each of the parts added here."),
     graded(length_field("detail", "Detail", 1, "About how long the new edges are; halved, there are four times as many faces.")),
     length_field("blend", "Blend", 0, "Radius of the rounds where parts meet; 0: they meet in sharp edges.", 0)},
    run_voxel_combine, 3, "Ctrl+Alt+K",
    [](Step& step, const Mesh& part) {
      set_field(step, "detail", round_number(bounds(part).diagonal() / 100));
      set_field(step, "blend", round_number(bounds(part).diagonal() / 20));
    },
    false, coarsen_detail};

}  // namespace anvil
