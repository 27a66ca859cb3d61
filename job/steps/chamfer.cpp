// SPDX-License-Identifier: GPL-3.0-or-later
// Chamfer: edges cut off, and concave ones filled.
#include "job/finish_step.h"

namespace anvil {
namespace {

const Field rule_chamfer = finish_edges_field();

Result<StepOutput> run_chamfer(const StepInput& input) {
  EdgeBlendSettings settings;
  settings.width = input.fields.number("width");
  settings.end_width = input.fields.number("end-width");
  settings.second_width = input.fields.number("second-width");
  settings.angle = input.fields.number("angle");
  settings.swapped = input.fields.on("swapped");
  settings.material = input.fields.text("material");
  return run_finish(input, rule_chamfer, settings);
}

}  // namespace

const StepKind steps::chamfer = {
    "chamfer", "Chamfer", "chamfer", "shape", "Cut edges off flat, or fill concave ones; where there is no room, by less.", ToolRule::none,
    {rule_chamfer, length_field("width", "Width", 1, "How far from the edge on the faces beside it."),
     length_field("second-width", "Second width", 0, "On the other face; 0: the same.", 0),
     folded(share_field("angle", "Angle", 0, 0, 179, "Between the first face and the chamfer, in degrees; 0: by the widths.")),
     folded(toggle_field("swapped", "Exchange the faces", false, "The first width on the other face.")),
     folded(length_field("end-width", "Width at the end", 0, "Of each open chain of edges, growing evenly to it; 0: the same all along.", 0)), folded(finish_material_field())},
    run_chamfer, 1, "C",
    [](Step& step, const Mesh& part) { set_field(step, "width", round_number(bounds(part).diagonal() / 60)); }};

}  // namespace anvil
