// SPDX-License-Identifier: GPL-3.0-or-later
// Array: the part repeated in a box grid.
#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_array(const StepInput& input) {
  const Vec3 &counts = input.fields.vector("count"), &spacing = input.fields.vector("spacing");
  if (const auto issue = too_many_copies(input, counts.prod(), Mesh())) return *issue;
  for (int k = 0; k < 3; ++k)
    if (counts[k] > 1 && spacing[k] == 0) return Issue{"has copies at one place", input.name, {}, "choose a spacing along each axis that has several"};
  Result<StepOutput> output = repeated(input, grid_places(counts, spacing));
  if (!output) return output;
  const Vec3 middle = bounds_of_repeated(input).centre();
  for (int k = 0; k < 3; ++k) {
    // The second copy holds the spacing, the last one the count; where there is one alone, it is drawn out of it.
    const Vec3 step = Vec3::Unit(k) * (spacing[k] == 0 ? 1 : spacing[k]);
    if (counts[k] > 1) output->grips.push_back({Grip::What::along, "spacing", k, middle, Vec3::Unit(k)});
    output->grips.push_back({Grip::What::count, "count", k, middle - 0.5 * step, step});
  }
  return output;
}

}  // namespace

const StepKind steps::array = {"array", "Array", "array", "shape", "Repeat the part, or tools in it, in rows, columns and layers.", ToolRule::instead,
                               {counts_field("count", "Count", Vec3(3, 1, 1), 1, 10000, "How many along each axis."),
                                offset_field("spacing", "Spacing", Vec3(20, 20, 20), "From copy to copy along each axis; negative goes the other way."), repeated_operation()},
                               run_array, 20, "N",
    [](Step& step, const Mesh& part) { set_field(step, "spacing", Vec3((1.25 * bounds(part).size()).array().ceil())); }};

}  // namespace anvil
