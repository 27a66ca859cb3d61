// SPDX-License-Identifier: GPL-3.0-or-later
// The edges of other parts thrown onto the faces of the part.
#include "core/shape/curtain.h"

#include "job/hand_edit.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

const Field onto = elements_field("faces", "Onto", {"faces"}, 0, 0, "The faces that they fall on; none chosen: any.");

Result<StepOutput> run(const StepInput& input) {
  std::vector<Vec3> missing;
  Result<std::vector<Index>> faces = chosen_faces(input, onto, false, missing);
  if (!faces) return faces.issue();
  std::vector<LinePiece> lines;
  const auto add = [&](const auto& self, const StepInput::Tool& tool) -> void {
    for (const StepInput::Tool& inner : tool.tray) self(self, inner);
    if (!tool.tray.empty()) return;
    const std::vector<LinePiece> own = edge_lines(*tool.mesh, tool.placement, input.fields.number("sharper"));
    lines.insert(lines.end(), own.begin(), own.end());
  };
  for (const StepInput::Tool& tool : input.tools) add(add, tool);
  if (lines.empty()) return Issue{"the tools have no such edges", input.name, {}, "choose a smaller angle"};
  Result<StepOutput> output = as_output(about(input, throw_lines(workpiece(input), lines, {input.fields.vector("direction"), input.fields.on("through"), std::move(*faces)}, input.control)));
  if (output) tell_missing(output->report, input.name, std::move(missing));
  return output;
}

}  // namespace

const StepKind steps::throw_edges = {
    "throw-edges", "Throw edges", "project", "shape", "Throw the edges of other parts onto the faces, as edges.", ToolRule::needed,
    {share_field("sharper", "Sharper than", 20, 0, 180, "Edges at which the other part turns by more degrees than this, and its borders."),
     direction_field("direction", "Direction", Vec3(0, 0, -1), "The way in which they are thrown."), onto, toggle_field("through", "Right through", false, "Onto what lies behind as well; off: onto the first faces alone.")},
    run, 25, "Shift+E"};

}  // namespace anvil
