// SPDX-License-Identifier: GPL-3.0-or-later
// Split edges: new vertices on them.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_split_edges = chosen_field({"edges"}, 1, 0, "The edges to cut.");
constexpr Note did_split_edges{"edges_split", "1 edge split", "{0} edges split", Note::Place::card};

Result<StepOutput> run_split_edges(const StepInput& input) {
  return run_edit(input, chosen_split_edges, did_split_edges, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader& fields, const Control& control) -> Result<Edited> {
    return split_edges(mesh, topology, chosen.list, static_cast<Index>(fields.number("parts")), control);
  });
}

}  // namespace

const StepKind steps::split_edges = {
    "split-edges", "Split edges", "split_edges", "mend", "Cut the chosen edges into equal pieces.", ToolRule::none,
    {chosen_split_edges, count_field("parts", "Pieces", 2, 2, 1000, "Into how many.")}, run_split_edges, 28, "I"};

}  // namespace anvil
