// SPDX-License-Identifier: GPL-3.0-or-later
// Fill between: one face between corners.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_fill_between = chosen_field({"vertices"}, 3, 4, "Three or four corners.");
constexpr Note did_fill_between{"faces_filled", "1 face made", "{0} faces made", Note::Place::card};

Result<StepOutput> run_fill_between(const StepInput& input) {
  return run_edit(input, chosen_fill_between, did_fill_between, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader&, const Control&) -> Result<Edited> {
    return fill_between(mesh, topology, chosen.list);
  });
}

}  // namespace

const StepKind steps::fill_between = {
    "fill-between", "Fill between", "fill_between", "mend", "Put a face between three or four chosen corners.", ToolRule::none,
    {chosen_fill_between}, run_fill_between, 24, "P"};

}  // namespace anvil
