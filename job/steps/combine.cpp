// SPDX-License-Identifier: GPL-3.0-or-later
// Combine: the part with its tools, each with an operation of its own, in order.
#include "job/step.h"

namespace anvil {
namespace {

std::vector<FieldChoice> operation_choices() {
  std::vector<FieldChoice> choices;
  for (Operation operation : all_operations) choices.push_back({key_of(operation), key_of(operation)});
  return choices;
}

Result<StepOutput> run(const StepInput& input) {
  std::vector<Operand> operands{{input.mesh, input.name, Operation::unite, Affine::Identity(), input.free_of_crossings(0), {}}};
  for (std::size_t k = 0; k < input.tools.size(); ++k) {
    const StepInput::Tool& tool = input.tools[k];
    operands.push_back({tool.mesh, tool.name, tool.operation, tool.placement, input.free_of_crossings(k + 1), {}});
  }
  CombineSettings settings;
  settings.cache = input.cache;
  const double within = input.fields.number("within");
  settings.contact = !input.fields.on("contact") ? 0 : within > 0 ? within : -1;
  Result<BooleanResult> combined = combine(operands, input.control, settings);
  if (!combined) return combined.issue();
  return as_output(std::move(*combined));
}

}  // namespace

const StepKind steps::combine = {
    "combine", "Combine", "difference", "combine", "Combine the part with its tools, each by its own operation.",
    ToolRule::needed,
    {folded(choice_field("operation", "New tools", "difference", operation_choices(), "What a tool does that is added here.")),
     folded(toggle_field("contact", "Near faces meet", true,
                         "Make faces, edges and vertices meet that lie nearer to each other than a tolerance.")),
     folded(length_field("within", "Tolerance", 0, "How near is near; 0 is a millionth of the size.", 0))},
    run};

}  // namespace anvil
