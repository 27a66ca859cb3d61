// SPDX-License-Identifier: GPL-3.0-or-later
// Triangulate: chosen faces as triangles.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_elements = chosen_field({"faces"}, 1, 0, "The faces to cut.");
constexpr Note did{"faces_triangulated", "1 face cut into triangles", "{0} faces cut into triangles", Note::Place::card};

Result<StepOutput> run(const StepInput& input) {
  return run_edit(input, chosen_elements, did, [](const Mesh& mesh, const Topology&, const Elements& chosen, const FieldReader&) -> Result<Edited> {
    return triangulate_faces(mesh, chosen.list);
  });
}

}  // namespace

const StepKind steps::triangulate_faces = {
    "triangulate", "Triangulate", "triangulate", "mend", "Cut the chosen faces into triangles.", ToolRule::none,
    {chosen_elements}, run, 22, "Shift+Q"};

}  // namespace anvil
