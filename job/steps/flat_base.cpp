// SPDX-License-Identifier: GPL-3.0-or-later
// Flat base: what lies below a plane goes, and what stands on it is closed flat.
#include "core/shape/flat_base.h"

#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_flat_base(const StepInput& input) {
  FlatBaseSettings settings;
  settings.point = input.fields.vector("point");
  settings.normal = input.fields.vector("normal");
  settings.foot = input.fields.number("foot");
  Result<StepOutput> output = as_output(flat_base(workpiece(input), settings, input.control));
  if (output) output->grips.push_back({Grip::What::along, "foot", -1, settings.point, -settings.normal.stableNormalized()});
  return output;
}

}  // namespace

const StepKind steps::flat_base = {
    "flat-base", "Flat base", "flat_base", "recast", "Cut off what lies below a plane and close it flat; open borders above the plane are stretched down to it.", ToolRule::none,
    {point_field("point", "Through", Vec3::Zero(), "A point of the plane, measured from the part's own origin."), direction_field("normal", "Up", Vec3(0, 0, 1), "The direction that is up.", "point"),
     length_field("foot", "Foot", 0, "How far what stands on the plane goes on straight down.", 0)},
    run_flat_base, 6, "Ctrl+Shift+F",
    [](Step& step, const Mesh& part) {
      // A little above its lowest point.
      constexpr double share = 0.04;
      const Box3 box = bounds(part);
      const double height = box.size().z();
      set_field(step, "point", Vec3(box.centre().x(), box.centre().y(), box.lo.z() + (height > 0 ? std::min(share * height, round_number(share * height)) : 0)));
    }};

}  // namespace anvil
