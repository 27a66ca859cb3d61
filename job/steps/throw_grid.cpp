// SPDX-License-Identifier: GPL-3.0-or-later
// Grid lines, or an outline, thrown onto the faces of the part.
#include "core/shape/stencil.h"
#include "job/step_parts.h"
#include "job/throw_step.h"

namespace anvil {
namespace {

Result<StepOutput> run_throw_grid(const StepInput& input) {
  const Vec3 &point = input.fields.vector("point"), &normal = input.fields.vector("normal");
  std::vector<LinePiece> lines;
  if (input.fields.text("pattern") == "grid") {
    Result<std::vector<LinePiece>> grid = about(input, grid_lines(bounds(*input.mesh), point, normal, input.fields.number("spacing"), input.fields.number("angle")));
    if (!grid) return grid.issue();
    lines = std::move(*grid);
  } else {
    const PlaneFrame frame = frame_seen(point, normal, Vec3::UnitX());
    lines = loop_lines(flattened(*parse_outline(input.fields.text("outline")), input.fields.number("flatness")), frame);
  }
  return run_throw(input, lines, -normal);
}

}  // namespace

const StepKind steps::throw_grid = {
    "throw-grid", "Throw lines", "project", "shape", "Throw a grid or an outline onto the faces, as edges.", ToolRule::none,
    {choice_field("pattern", "Pattern", "grid", {{"grid", "a grid"}, {"outline", "an outline"}}, "What is thrown."), length_field("spacing", "Spacing", 10, "From line to line of the grid."),
     share_field("angle", "Turned by", 0, -360, 360, "How far the grid is turned, in degrees."), outline_field("outline", "Outline", "-10,-10 10,-10 10,10 -10,10", "The outline, in its plane."),
     thrown_onto(), thrown_through(), point_field("point", "Plane at", Vec3::Zero(), "A crossing of the grid, or the origin of the outline."),
     direction_field("normal", "From", Vec3(0, 0, 1), "The side from which the lines are thrown.", "point"), folded(length_field("flatness", "Flatness", 0.02, "How far a flat piece may lie off its arc."))},
    run_throw_grid, 9, "Shift+G", [](Step& step, const Mesh& part) { set_field(step, "spacing", round_number(bounds(part).diagonal() / 8)); }};

}  // namespace anvil
