// SPDX-License-Identifier: GPL-3.0-or-later
// Split edges: new vertices on them.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_elements = chosen_field({"edges"}, 1, 0, "The edges to cut.");
constexpr Note did{"edges_split", "1 edge split", "{0} edges split", Note::Place::card};

Result<StepOutput> run(const StepInput& input) {
  return run_edit(input, chosen_elements, did, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader& fields) -> Result<Edited> {
    return split_edges(mesh, topology, chosen.list, static_cast<Index>(fields.number("parts")));
  });
}

}  // namespace

const StepKind steps::split_edges = {
    "split-edges", "Split edges", "split_edges", "mend", "Cut the chosen edges into equal pieces.", ToolRule::none,
    {chosen_elements, count_field("parts", "Pieces", 2, 2, 1000, "Into how many.")}, run, 28, "I"};

}  // namespace anvil
