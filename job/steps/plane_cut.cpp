// SPDX-License-Identifier: GPL-3.0-or-later
// Plane cut: what lies above or below a plane goes, or both stay as pieces.
#include "core/shape/plane_cut.h"

#include "job/step.h"

namespace anvil {
namespace {

Result<StepOutput> run_plane_cut(const StepInput& input) {
  PlaneCutSettings settings;
  settings.point = input.fields.vector("point");
  settings.normal = input.fields.vector("normal");
  const std::string& keep = input.fields.text("keep");
  settings.keep = keep == "above" ? KeepSide::above : keep == "below" ? KeepSide::below : KeepSide::both;
  settings.cap = input.fields.on("cap");
  settings.free_of_crossings = input.free_of_crossings(0);
  settings.cache = input.cache;
  Result<BooleanResult> cut = plane_cut(input.mesh, input.name, settings, input.control);
  if (!cut) return cut.issue();
  return as_output(std::move(*cut));
}

}  // namespace

const StepKind steps::plane_cut = {
    "plane-cut", "Plane cut", "plane_cut", "shape", "Cut the part by a plane and keep one side or both.",
    ToolRule::none,
    {point_field("point", "Through", Vec3::Zero(), "A point of the plane, measured from the part's own origin."),
     direction_field("normal", "Above", Vec3(0, 0, 1), "The direction that counts as above.", "point"),
     choice_field("keep", "Keep", "below", {{"above", "above"}, {"below", "below"}, {"both", "both, as two pieces"}},
                  "Which side stays."),
     toggle_field("cap", "Close the cut", true, "Close the cut by a flat face; off leaves it open on purpose.")},
    run_plane_cut, 5, "A"};

}  // namespace anvil
