// SPDX-License-Identifier: GPL-3.0-or-later
// The edges of other parts thrown onto the faces of the part.
#include "job/step_parts.h"
#include "job/throw_step.h"

namespace anvil {
namespace {

Result<StepOutput> run_throw_edges(const StepInput& input) {
  std::vector<LinePiece> lines;
  const auto add = [&](const auto& self, const StepInput::Tool& tool) -> void {
    for (const StepInput::Tool& inner : tool.tray) self(self, inner);
    if (!tool.tray.empty()) return;
    const std::vector<LinePiece> own = edge_lines(*tool.mesh, tool.placement, input.fields.number("sharper"));
    lines.insert(lines.end(), own.begin(), own.end());
  };
  for (const StepInput::Tool& tool : input.tools) add(add, tool);
  if (lines.empty()) return Issue{"the tools have no such edges", input.name, {}, "choose a smaller angle"};
  return run_throw(input, lines, input.fields.vector("direction"));
}

}  // namespace

const StepKind steps::throw_edges = {
    "throw-edges", "Throw edges", "project", "shape", "Throw the edges of other parts onto the faces, as edges.", ToolRule::needed,
    {share_field("sharper", "Sharper than", 20, 0, 180, "Edges at which the other part turns by more degrees than this, and its borders."),
     direction_field("direction", "Direction", Vec3(0, 0, -1), "The way in which they are thrown."), thrown_onto(), thrown_through()},
    run_throw_edges, 25, "Shift+E"};

}  // namespace anvil
