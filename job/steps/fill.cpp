// SPDX-License-Identifier: GPL-3.0-or-later
// Fill hole: by a flat or a smooth surface.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_fill = chosen_field({"edges"}, 1, 0, "An edge of each hole is enough.");
constexpr Note did_fill{"holes_filled_by_hand", "1 hole filled", "{0} holes filled", Note::Place::card};

Result<StepOutput> run_fill(const StepInput& input) {
  return run_edit(input, chosen_fill, did_fill, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader& fields, const Control& control) -> Result<Edited> {
    const std::string& shape = fields.text("shape");
    return fill_holes(mesh, topology, chosen.list, shape == "flat" ? FillShape::flat : shape == "smooth" ? FillShape::smooth : FillShape::fitting, control);
  });
}

}  // namespace

const StepKind steps::fill = {
    "fill", "Fill hole", "fill", "mend", "Close the holes that the chosen edges lie on.", ToolRule::none,
    {chosen_fill, choice_field("shape", "Filling", "fitting", {{"fitting", "flat where it fits"}, {"flat", "flat"}, {"smooth", "smooth"}}, "How a hole is closed: by a flat face, or by a smooth surface of least area.")}, run_fill, 23, "U"};

}  // namespace anvil
