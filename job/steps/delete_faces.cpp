// SPDX-License-Identifier: GPL-3.0-or-later
// Delete faces: what judgement says does not belong.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_delete_faces = chosen_field({"faces"}, 1, 0, "The faces to take away.");
constexpr Note did_delete_faces{"faces_deleted", "1 face deleted", "{0} faces deleted", Note::Place::card};

Result<StepOutput> run_delete_faces(const StepInput& input) {
  return run_edit(input, chosen_delete_faces, did_delete_faces, [](const Mesh& mesh, const Topology&, const Elements& chosen, const FieldReader&, const Control&) -> Result<Edited> {
    return delete_faces(mesh, chosen.list);
  });
}

}  // namespace

const StepKind steps::delete_faces = {
    "delete-faces", "Delete faces", "delete_faces", "mend", "Take the chosen faces away; the surface is open there.", ToolRule::none,
    {chosen_delete_faces}, run_delete_faces, 20, "D"};

}  // namespace anvil
