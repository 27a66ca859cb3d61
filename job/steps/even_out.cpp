// SPDX-License-Identifier: GPL-3.0-or-later
// Even out: the zigzag of a jagged edge.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_even_out = chosen_field({"edges"}, 2, 0, "The edges of the jagged run; its ends stay.");
constexpr Note did_even_out{"vertices_evened_out", "1 vertex evened out", "{0} vertices evened out", Note::Place::card};

Result<StepOutput> run_even_out(const StepInput& input) {
  return run_edit(input, chosen_even_out, did_even_out, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader& fields, const Control& control) -> Result<Edited> {
    return even_out(mesh, topology, chosen.list, fields.count("passes"), edge_settings(fields), control);
  });
}

}  // namespace

const StepKind steps::even_out = {
    "even-out", "Even out", "even_out", "mend", "Take the zigzag out of a jagged run of edges; its course stays.", ToolRule::none,
    {chosen_even_out, count_field("passes", "Passes", 20, 1, 1000, "More passes even out longer waves."), to_sides_field(), reach_field()}, run_even_out, 33, "Alt+V"};

}  // namespace anvil
