// SPDX-License-Identifier: GPL-3.0-or-later
// Rebuild patch: spoiled faces made anew from what surrounds them.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_rebuild_patch = chosen_field({"faces"}, 1, 0, "The spoiled faces.");
constexpr Note did_rebuild_patch{"faces_rebuilt", "1 face rebuilt", "{0} faces rebuilt", Note::Place::card};

Result<StepOutput> run_rebuild_patch(const StepInput& input) {
  return run_edit(input, chosen_rebuild_patch, did_rebuild_patch, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader& fields, const Control& control) -> Result<Edited> {
    return rebuild_patch(mesh, topology, chosen.list, fields.number("sharp"), control);
  });
}

}  // namespace

const StepKind steps::rebuild_patch = {
    "rebuild-patch", "Rebuild patch", "rebuild_patch", "mend", "Make spoiled faces anew from the surface around them; sharp edges that end at them are led on through.", ToolRule::none,
    {chosen_rebuild_patch, angle_field("sharp", "Edges sharper than", 30, "Edges around the patch at which the surface turns by more are led on through it; 180: none.", 0, 180)}, run_rebuild_patch, 35, "Alt+P"};

}  // namespace anvil
