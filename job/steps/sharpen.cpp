// SPDX-License-Identifier: GPL-3.0-or-later
// Sharpen: the edges that a grid has rounded are moved to where the surfaces beside them meet.
#include "core/recast/sharpen.h"

#include <chrono>

#include "job/step.h"

namespace anvil {
namespace {

Result<StepOutput> run(const StepInput& input) {
  const auto begin = std::chrono::steady_clock::now();
  if (input.pieces > 1) return Issue{"is in several pieces, whose walls would no longer fit each other", input.name, {}, "make parts of the pieces first, or sharpen before the step that made them"};
  SharpenSettings settings;
  settings.sharper_than = input.fields.number("sharp");
  settings.reach = input.fields.number("reach");
  Sharpened sharpened = sharpen(*input.mesh, input.name, settings, input.control);
  StepOutput output;
  output.report = std::move(sharpened.report);
  output.comparison = std::make_shared<const Comparison>(compare(*input.mesh, sharpened.mesh, input.control.stop));
  for (Index f : sharpened.source) output.sources.add(0, f);
  output.mesh = std::move(sharpened.mesh);
  output.piece.assign(output.mesh.face_count(), 0);
  output.free_of_crossings = sharpened.is_sound;
  output.fresh_edges = std::move(sharpened.edges);
  output.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return output;
}

}  // namespace

const StepKind steps::sharpen = {
    "sharpen", "Sharpen", "sharpen", "recast", "Give a mesh that was made on a grid the sharp edges back that the grid has rounded.", ToolRule::none,
    {angle_field("sharp", "Edges sharper than", 30, "Surfaces that meet at less than this get no edge, so that rounds larger than the grid stay.", 1, 179),
     folded(length_field("reach", "Reach", 0, "How far from an edge its sides are looked for; 0: about four of the mesh's usual edges.", 0))},
    run, 8, "Ctrl+Shift+L"};

}  // namespace anvil
