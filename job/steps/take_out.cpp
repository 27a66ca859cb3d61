// SPDX-License-Identifier: GPL-3.0-or-later
// Take out: edges or vertices, the faces around them become one.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_take_out = chosen_field({"edges", "vertices"}, 1, 0, "The edges or vertices that go.");
constexpr Note did_take_out{"taken_out", "1 taken out", "{0} taken out", Note::Place::card};

Result<StepOutput> run_take_out(const StepInput& input) {
  return run_edit(input, chosen_take_out, did_take_out, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader&, const Control& control) -> Result<Edited> {
    return chosen.kind == ElementKind::edges ? take_out_edges(mesh, topology, chosen.list, control) : take_out_vertices(mesh, topology, chosen.list, control);
  });
}

}  // namespace

const StepKind steps::take_out = {
    "take-out", "Take out", "take_out", "mend", "Take chosen edges or vertices out: the faces around become one.", ToolRule::none,
    {chosen_take_out}, run_take_out, 30, "O"};

}  // namespace anvil
