// SPDX-License-Identifier: GPL-3.0-or-later
// Ring: the part repeated around an axis.
#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_ring(const StepInput& input) {
  if (const auto issue = too_many_copies(input, input.fields.number("count"), Mesh())) return *issue;
  const Vec3& point = input.fields.vector("point");
  Result<StepOutput> output = repeated(input, ring_places(point, input.fields.vector("axis"), input.fields.count("count"), input.fields.number("angle")));
  if (!output) return output;
  // Farther along the axis there are more.
  const Vec3 axis = input.fields.vector("axis").stableNormalized();
  output->grips.push_back({Grip::What::count, "count", -1, point, bounds(*input.mesh).diagonal() / 12 * axis});
  return output;
}

}  // namespace

const StepKind steps::ring = {"ring", "Ring", "ring", "shape", "Repeat the part, or tools in it, around an axis.", ToolRule::instead,
                              {point_field("point", "Through", Vec3::Zero(), "A point of the axis, measured from the part's own origin."),
                               axis_field("axis", "Axis", Vec3(0, 0, 1), "The direction of the axis.", "point"), count_field("count", "Count", 6, 1, 10000, "How many, the first one where it is."),
                               angle_field("angle", "Angle", 360, "How far around they are spread; 360 is all the way.", -360, 360), repeated_operation()},
                              run_ring, 21, "Shift+N"};

}  // namespace anvil
