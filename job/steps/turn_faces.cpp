// SPDX-License-Identifier: GPL-3.0-or-later
// Turn over: faces that look inwards.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_elements = chosen_field({"faces"}, 1, 0, "The faces to turn over.");
constexpr Note did{"faces_turned", "1 face turned over", "{0} faces turned over", Note::Place::card};

Result<StepOutput> run(const StepInput& input) {
  return run_edit(input, chosen_elements, did, [](const Mesh& mesh, const Topology&, const Elements& chosen, const FieldReader&) -> Result<Edited> {
    return turn_faces(mesh, chosen.list);
  });
}

}  // namespace

const StepKind steps::turn_faces = {
    "turn-faces", "Turn over", "turn_faces", "mend", "Turn the chosen faces over, inside out.", ToolRule::none,
    {chosen_elements}, run, 21, "Q"};

}  // namespace anvil
