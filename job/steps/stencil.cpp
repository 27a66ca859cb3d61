// SPDX-License-Identifier: GPL-3.0-or-later
// Stencil: a cut by an outline drawn on the view.
#include "core/shape/stencil.h"

#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_stencil(const StepInput& input) {
  StencilSettings settings;
  settings.loops = flattened(*parse_outline(input.fields.text("outline")), input.fields.number("flatness"));
  settings.frame = frame_seen(input.fields.vector("point"), input.fields.vector("normal"), input.fields.vector("right"));
  settings.eye = input.fields.number("eye");
  settings.operation = *operation_named(input.fields.text("operation"));
  if (!input.fields.on("through")) {
    settings.from = input.fields.number("from");
    settings.to = input.fields.number("to");
  }
  Result<StepOutput> output = as_output(about(input, stencil_cut(workpiece(input), settings, input.control)));
  if (!output) return output;
  const Result<Outline> outline = parse_outline(input.fields.text("outline"));
  int number = 0;
  Vec2 middle = Vec2::Zero();
  for (const OutlineLoop& loop : *outline)
    for (const OutlinePoint& point : loop) {
      output->grips.push_back({Grip::What::outline_point, "outline", number++, settings.frame.at(point.at), settings.frame.normal, settings.frame});
      middle += point.at;
    }
  middle /= number;
  // A free line has too many points to be taken hold of one by one.
  constexpr int max_points = 60;
  if (number > max_points) output->grips.clear();
  if (settings.from)
    for (const char* depth : {"from", "to"}) output->grips.push_back({Grip::What::along, depth, -1, settings.frame.at(middle), -settings.frame.normal});
  return output;
}

}  // namespace

const StepKind steps::stencil = {
    "stencil", "Stencil", "stencil", "shape", "Cut by an outline drawn on the view.", ToolRule::none,
    {choice_field("operation", "What it does", "difference",
                  {{"difference", "takes away"}, {"intersection", "keeps the inside"}, {"union", "adds"}, {"split", "parts in pieces"}, {"gather", "puts in as it is"}}, "What the outline does to the part."),
     outline_field("outline", "Outline", "-10,-10 10,-10 10,10 -10,10", "The outline, in its plane."),
     toggle_field("through", "Right through", true, "Through all of the part; off: between two depths."),
     length_field("from", "From", -1, "Where it begins, behind the plane; negative in front of it.", -max_length), length_field("to", "To", 5, "Where it ends, behind the plane.", -max_length),
     point_field("point", "Plane at", Vec3::Zero(), "The origin of the outline's plane, measured from the part's own origin."),
     direction_field("normal", "Facing", Vec3(0, 0, 1), "Where the one who drew it stood.", "point"),
     folded(direction_field("right", "Right", Vec3(1, 0, 0), "The direction of the outline's first numbers.")),
     folded(length_field("eye", "Eye", 0, "How far in front of the plane the eye is for an outline as seen in perspective; 0: straight into the depth.", 0)),
     folded(length_field("flatness", "Flatness", 0.02, "How far a flat piece may lie off its arc."))},
    run_stencil, 7, "S",
    [](Step& step, const Mesh& part) { set_field(step, "to", round_number(bounds(part).diagonal() / 10)); }};

}  // namespace anvil
