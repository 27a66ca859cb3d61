// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/throw_step.h"

#include "job/hand_edit.h"
#include "job/step_parts.h"

namespace anvil {

Field thrown_onto() { return elements_field("faces", "Onto", {"faces"}, 0, 0, "The faces that they fall on; none chosen: any."); }
Field thrown_through() { return toggle_field("through", "Right through", false, "Onto what lies behind as well; off: onto the first faces alone."); }

Result<StepOutput> run_throw(const StepInput& input, const std::vector<LinePiece>& lines, const Vec3& direction) {
  std::vector<Vec3> missing;
  Result<std::vector<Index>> faces = chosen_faces(input, thrown_onto(), false, missing);
  if (!faces) return faces.issue();
  Result<StepOutput> output = as_output(about(input, throw_lines(workpiece(input), lines, {direction, input.fields.on("through"), std::move(*faces)}, input.control)));
  if (output) tell_missing(output->report, input.name, std::move(missing));
  return output;
}

}  // namespace anvil
