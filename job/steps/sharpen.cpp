// SPDX-License-Identifier: GPL-3.0-or-later
// Sharpen: the edges that a grid has rounded are moved to where the surfaces beside them meet.
#include "core/recast/sharpen.h"

#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_sharpen(const StepInput& input) {
  const auto begin = std::chrono::steady_clock::now();
  if (auto issue = several_pieces(input, "sharpen")) return *issue;
  SharpenSettings settings;
  settings.sharper_than = input.fields.number("sharp");
  settings.reach = input.fields.number("reach");
  Sharpened sharpened = sharpen(*input.mesh, input.name, settings, input.control);
  StepOutput output = remade(input, std::move(sharpened.mesh), sharpened.source, std::move(sharpened.report), sharpened.is_sound, begin);
  output.fresh_edges = std::move(sharpened.edges);
  return output;
}

}  // namespace

const StepKind steps::sharpen = {
    "sharpen", "Sharpen", "sharpen", "recast", "Give a mesh that was made on a grid the sharp edges back that the grid has rounded.", ToolRule::none,
    {angle_field("sharp", "Edges sharper than", 30, "Surfaces that meet at less than this get no edge, so that rounds larger than the grid stay.", 1, 179),
     folded(length_field("reach", "Reach", 0, "How far from an edge its sides are looked for; 0: about four of the mesh's usual edges.", 0))},
    run_sharpen, 8, "Ctrl+Shift+L"};

}  // namespace anvil
