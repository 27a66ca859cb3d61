// SPDX-License-Identifier: GPL-3.0-or-later
// Turn over: faces that look inwards.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_turn_faces = chosen_field({"faces"}, 1, 0, "The faces to turn over.");
constexpr Note did_turn_faces{"faces_turned", "1 face turned over", "{0} faces turned over", Note::Place::card};

Result<StepOutput> run_turn_faces(const StepInput& input) {
  return run_edit(input, chosen_turn_faces, did_turn_faces, [](const Mesh& mesh, const Topology&, const Elements& chosen, const FieldReader&, const Control&) -> Result<Edited> {
    return turn_faces(mesh, chosen.list);
  });
}

}  // namespace

const StepKind steps::turn_faces = {
    "turn-faces", "Turn over", "turn_faces", "mend", "Turn the chosen faces over, inside out.", ToolRule::none,
    {chosen_turn_faces}, run_turn_faces, 21, "Q"};

}  // namespace anvil
