// SPDX-License-Identifier: GPL-3.0-or-later
// Grid lines, or an outline, thrown onto the faces of the part.
#include "core/shape/curtain.h"

#include "core/shape/stencil.h"
#include "job/hand_edit.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

const Field onto = elements_field("faces", "Onto", {"faces"}, 0, 0, "The faces that they fall on; none chosen: any.");

Result<StepOutput> run(const StepInput& input) {
  std::vector<Vec3> missing;
  Result<std::vector<Index>> faces = chosen_faces(input, onto, false, missing);
  if (!faces) return faces.issue();
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
  Result<StepOutput> output = as_output(about(input, throw_lines(workpiece(input), lines, {-normal, input.fields.on("through"), std::move(*faces)}, input.control)));
  if (output) tell_missing(output->report, input.name, std::move(missing));
  return output;
}

}  // namespace

const StepKind steps::throw_grid = {
    "throw-grid", "Throw lines", "project", "shape", "Throw a grid or an outline onto the faces, as edges.", ToolRule::none,
    {choice_field("pattern", "Pattern", "grid", {{"grid", "a grid"}, {"outline", "an outline"}}, "What is thrown."), length_field("spacing", "Spacing", 10, "From line to line of the grid."),
     share_field("angle", "Turned by", 0, -360, 360, "How far the grid is turned, in degrees."), outline_field("outline", "Outline", "-10,-10 10,-10 10,10 -10,10", "The outline, in its plane."),
     onto, toggle_field("through", "Right through", false, "Onto what lies behind as well; off: onto the first faces alone."), point_field("point", "Plane at", Vec3::Zero(), "A crossing of the grid, or the origin of the outline."),
     direction_field("normal", "From", Vec3(0, 0, 1), "The side from which the lines are thrown.", "point"), folded(length_field("flatness", "Flatness", 0.02, "How far a flat piece may lie off its arc."))},
    run, 9, "Shift+G", [](Step& step, const Box3& part) { set_field(step, "spacing", round_number(part.diagonal() / 8)); }};

}  // namespace anvil
