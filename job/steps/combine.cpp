// SPDX-License-Identifier: GPL-3.0-or-later
// Combine: the part with its tools, each with an operation of its own, in order.
#include <algorithm>

#include "job/step.h"

namespace anvil {
namespace {

std::vector<FieldChoice> operation_choices() {
  std::vector<FieldChoice> choices;
  for (Operation operation : all_operations) choices.push_back({key_of(operation), key_of(operation)});
  return choices;
}

/// @param opened  counts the tools, trays opened
Operand operand_of(const StepInput::Tool& tool, const StepInput& input, std::size_t& opened) {
  Operand operand{tool.mesh, tool.name, tool.operation, tool.placement, false, {}};
  if (tool.tray.empty()) operand.free_of_crossings = input.free_of_crossings(++opened);
  for (const StepInput::Tool& inner : tool.tray) operand.tray.push_back(operand_of(inner, input, opened));
  return operand;
}

/// Where a tray only unites, and adds or takes away what it unites, each of its tools may as well do that by itself.
void add_operand(const Operand& operand, std::vector<Operand>& to) {
  const bool by_itself = !operand.tray.empty() && (operand.operation == Operation::unite || operand.operation == Operation::difference) &&
                         std::all_of(operand.tray.begin() + 1, operand.tray.end(), [](const Operand& member) { return member.operation == Operation::unite; });
  if (!by_itself) return to.push_back(operand);
  for (Operand member : operand.tray) {
    member.operation = operand.operation;
    add_operand(member, to);
  }
}

Result<StepOutput> run_combine(const StepInput& input) {
  std::vector<Operand> operands{{input.mesh, input.name, Operation::unite, Affine::Identity(), input.free_of_crossings(0), {}}};
  std::size_t opened = 0;
  for (const StepInput::Tool& tool : input.tools) add_operand(operand_of(tool, input, opened), operands);
  CombineSettings settings;
  settings.cache = input.cache;
  settings.contact = input.fields.length("contact");
  Result<BooleanResult> combined = combine(operands, input.control, settings);
  if (!combined) return combined.issue();
  return as_output(std::move(*combined));
}

}  // namespace

const StepKind steps::combine = {
    "combine", "Combine", "difference", "combine", "Combine the part with its tools, each by its own operation.",
    ToolRule::needed,
    {folded(choice_field("operation", "New tools", "difference", operation_choices(), "What a tool does that is added here.")),
     folded(automatic(length_field("contact", "Contact", 0, "Faces, edges and vertices that lie nearer to each other are made to meet; auto is a millionth of the size, 0 lets none meet.", 0)))},
    run_combine};

}  // namespace anvil
