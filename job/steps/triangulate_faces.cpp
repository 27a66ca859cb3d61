// SPDX-License-Identifier: GPL-3.0-or-later
// Triangulate: chosen faces as triangles.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_triangulate_faces = chosen_field({"faces"}, 1, 0, "The faces to cut.");
constexpr Note did_triangulate_faces{"faces_triangulated", "1 face cut into triangles", "{0} faces cut into triangles", Note::Place::card};

Result<StepOutput> run_triangulate_faces(const StepInput& input) {
  return run_edit(input, chosen_triangulate_faces, did_triangulate_faces, [](const Mesh& mesh, const Topology&, const Elements& chosen, const FieldReader&, const Control&) -> Result<Edited> {
    return triangulate_faces(mesh, chosen.list);
  });
}

}  // namespace

const StepKind steps::triangulate_faces = {
    "triangulate", "Triangulate", "triangulate", "mend", "Cut the chosen faces into triangles.", ToolRule::none,
    {chosen_triangulate_faces}, run_triangulate_faces, 22, "Shift+Q"};

}  // namespace anvil
