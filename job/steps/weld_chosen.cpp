// SPDX-License-Identifier: GPL-3.0-or-later
// Weld: chosen vertices become one.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_weld_chosen = chosen_field({"vertices"}, 2, 0, "The vertices that become one; where it goes to the last, that is the last one chosen.");
constexpr Note did_weld_chosen{"vertices_welded_by_hand", "1 vertex welded", "{0} vertices welded", Note::Place::card};

Result<StepOutput> run_weld_chosen(const StepInput& input) {
  return run_edit(input, chosen_weld_chosen, did_weld_chosen, [](const Mesh& mesh, const Topology&, const Elements& chosen, const FieldReader& fields, const Control&) -> Result<Edited> {
    return weld_chosen(mesh, chosen.list, fields.text("to") == "last" ? WeldTo::last : WeldTo::middle);
  });
}

}  // namespace

const StepKind steps::weld_chosen = {
    "weld", "Weld", "weld", "mend", "Make the chosen vertices one.", ToolRule::none,
    {chosen_weld_chosen, choice_field("to", "Meet", "middle", {{"middle", "in the middle"}, {"last", "at the last chosen"}}, "Where they meet.")}, run_weld_chosen, 26, "W"};

}  // namespace anvil
