// SPDX-License-Identifier: GPL-3.0-or-later
// Bring together: stray vertices near an edge or near each other.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_bring_together = chosen_field({"vertices"}, 1, 0, "The strays: those that lie near each other become one; a single one goes to a sharp edge beside it.");
constexpr Note did_bring_together{"vertices_brought_together", "1 vertex brought to another", "{0} vertices brought to others", Note::Place::card};

Result<StepOutput> run_bring_together(const StepInput& input) {
  return run_edit(input, chosen_bring_together, did_bring_together, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader& fields, const Control& control) -> Result<Edited> {
    return bring_together(mesh, topology, chosen.list, fields.number("distance"), control);
  });
}

}  // namespace

const StepKind steps::bring_together = {
    "bring-together", "Bring together", "bring_together", "mend", "Make stray vertices one where edges no longer than the distance join them; on sharp edges they stay on those.", ToolRule::none,
    {chosen_bring_together, length_field("distance", "Distance", 0, "The longest edge over which vertices become one; 0: however long they are.", 0)}, run_bring_together, 34, "Alt+B"};

}  // namespace anvil
