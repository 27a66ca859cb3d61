// SPDX-License-Identifier: GPL-3.0-or-later
// Shell: the part made hollow, with a wall as thick as asked for and holes to drain it.
#include "core/outline.h"
#include "core/recast/volumes.h"

#include "job/step.h"

namespace anvil {
namespace {

Result<StepOutput> run_shell(const StepInput& input) {
  const FieldReader& fields = input.fields;
  if (input.pieces > 1) return Issue{"is in several pieces", input.name, {}, "make parts of the pieces first, or hollow it before the step that made them"};
  ShellSettings settings;
  settings.thickness = fields.number("thickness");
  settings.outside = fields.text("side") == "outer";
  settings.detail = fields.number("detail") > 0 ? fields.number("detail") : settings.thickness / 2;
  settings.drain_diameter = fields.number("drain-diameter");
  if (const std::string& drains = fields.text("drains"); !drains.empty()) {
    Result<Path> points = parse_path(drains);
    if (!points) return points.issue();
    settings.drains = std::move(points->points);
  }
  return as_output(shell_part({input.mesh, input.name}, settings, input.control));
}

}  // namespace

const StepKind steps::shell = {
    "shell", "Shell", "shell", "recast", "Make the part hollow; its own side stays as it is.", ToolRule::none,
    {length_field("thickness", "Thickness", 2, "Of the wall, everywhere."),
     choice_field("side", "Wall on the", "inner", {{"inner", "inside"}, {"outer", "outside"}}, "On which side of the part's surface the wall lies."),
     folded(length_field("detail", "Detail", 0, "About how long the edges of the new side are; 0: half the thickness.", 0)),
     folded(path_field("drains", "Drains at", "Points near which round holes go through the wall.")),
     folded(length_field("drain-diameter", "Drain diameter", 4, "Of each drain."))},
    run_shell, 5, "Ctrl+Shift+H",
    [](Step& step, const Mesh& part) { set_field(step, "thickness", round_number(bounds(part).diagonal() / 40)); }};

}  // namespace anvil
