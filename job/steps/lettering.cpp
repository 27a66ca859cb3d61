// SPDX-License-Identifier: GPL-3.0-or-later
// Lettering: text engraved into a face of the part, or raised on it.
#include "core/lettering_fields.h"
#include "core/shape/stencil.h"
#include "core/turn.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_lettering(const StepInput& input) {
  StencilSettings settings;
  Result<std::vector<Loop2>> loops = about(input, letter_loops(input.fields.text("text"), letter_settings(input.fields)));
  if (!loops) return loops.issue();
  settings.loops = std::move(*loops);
  const Vec3 &point = input.fields.vector("point"), &normal = input.fields.vector("normal");
  // Level, so that it can be read; on the ground or a ceiling along x.
  const Vec3 level = Vec3::UnitZ().cross(normal);
  const PlaneFrame frame = frame_seen(point, normal, level.norm() > 1e-6 * normal.norm() ? level : Vec3::UnitX());
  settings.frame = frame_seen(point, normal, turn_about(Vec3::Zero(), frame.normal, input.fields.number("angle")).linear() * frame.u);
  const double depth = input.fields.number("depth"), reach = input.fields.number("reach");
  const bool raised = input.fields.text("how") == "raised";
  settings.from = raised ? -depth : -reach;
  settings.to = raised ? reach : depth;
  settings.operation = raised ? Operation::unite : Operation::difference;
  Result<StepOutput> output = as_output(about(input, stencil_cut(workpiece(input), settings, input.control)));
  if (!output) return output;
  output->grips.push_back({Grip::What::in_plane, "point", -1, point, settings.frame.normal});
  output->grips.push_back({Grip::What::along, "depth", -1, point + 0.4 * input.fields.number("size") * settings.frame.v, raised ? settings.frame.normal : Vec3(-settings.frame.normal)});
  output->grips.push_back({Grip::What::along, "size", -1, point, settings.frame.v});
  return output;
}

std::vector<Field> fields() {
  std::vector<Field> all = lettering_fields();
  const std::vector<Field> own = {
      choice_field("how", "How", "engraved", {{"engraved", "engraved"}, {"raised", "raised"}}, "Cut into the face, or standing on it."),
      length_field("depth", "Depth", 0.6, "How deep it is cut, or how high it stands."),
      point_field("point", "At", Vec3::Zero(), "Where the middle of the first line's base lies, measured from the part's own origin."),
      direction_field("normal", "Facing", Vec3(0, 0, 1), "Where the face looks.", "point"), angle_field("angle", "Turned by", 0, "Turned in the face, counter-clockwise.")};
  all.insert(all.begin() + 3, own.begin(), own.end());
  all.push_back(folded(length_field("reach", "Reach", 0, "How far it goes on to the other side of the plane, for faces that are not flat.", 0)));
  return all;
}

}  // namespace

const StepKind steps::lettering = {"lettering", "Lettering", "lettering", "shape", "Cut text into a face of the part, or let it stand out.", ToolRule::none, fields(), run_lettering, 24, "L",
    [](Step& step, const Mesh& part) { set_field(step, "size", round_number(bounds(part).diagonal() / 10)), set_field(step, "depth", round_number(bounds(part).diagonal() / 150)); }};

}  // namespace anvil
