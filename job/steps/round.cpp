// SPDX-License-Identifier: GPL-3.0-or-later
// Round: edges rounded off, and concave ones filled with a hollow.
#include "job/finish_step.h"

namespace anvil {
namespace {

const Field rule_round = finish_edges_field();

Result<StepOutput> run_round(const StepInput& input) {
  EdgeBlendSettings settings;
  settings.round = true;
  settings.width = input.fields.number("radius");
  settings.end_width = input.fields.number("end-radius");
  settings.segments = input.fields.count("segments");
  settings.material = input.fields.text("material");
  return run_finish(input, rule_round, settings);
}

}  // namespace

const StepKind steps::round = {
    "round", "Round", "round", "shape", "Round edges off, or fill concave ones with a hollow; where there is no room, by less.", ToolRule::none,
    {rule_round, length_field("radius", "Radius", 2, "Of the round."), count_field("segments", "Segments", 8, 1, 128, "How many flat strips stand for the round."),
     folded(length_field("end-radius", "Radius at the end", 0, "Of each open chain of edges, growing evenly to it; 0: the same all along.", 0)), folded(finish_material_field())},
    run_round, 2, "O",
    [](Step& step, const Mesh& part) { set_field(step, "radius", round_number(bounds(part).diagonal() / 40)); }};

}  // namespace anvil
