// SPDX-License-Identifier: GPL-3.0-or-later
// Path cut: a path clicked over the faces becomes edges, or a cut.
#include "core/shape/path_cut.h"

#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_path_cut(const StepInput& input) {
  PathCutSettings settings;
  settings.path = *parse_path(input.fields.text("path"));
  settings.direction = input.fields.vector("direction");
  const std::string& what = input.fields.text("what");
  settings.what = what == "edges"  ? PathCutSettings::What::edges
                  : what == "both" ? PathCutSettings::What::both
                  : what == "left" ? PathCutSettings::What::left_goes
                                   : PathCutSettings::What::right_goes;
  settings.through = input.fields.on("through");
  settings.depth = input.fields.number("depth");
  return as_output(about(input, path_cut(workpiece(input), settings, input.control)));
}

}  // namespace

const StepKind steps::path_cut = {
    "path-cut", "Path cut", "path_cut", "shape", "Cut along a path clicked over the faces, or draw it into them.", ToolRule::none,
    {choice_field("what", "What it does", "edges", {{"edges", "becomes edges"}, {"left", "its left, or inside, goes"}, {"right", "its right, or outside, goes"}, {"both", "both sides stay, as pieces"}},
                  "What becomes of the two sides."),
     path_field("path", "Path", "Points on the part's faces."), toggle_field("through", "Right through", false, "Through all of the part; off: only where it is seen, or to the depth."),
     length_field("depth", "Depth", 5, "How far below the path a cut reaches that does not go right through."), folded(direction_field("direction", "Into the part", Vec3(0, 0, -1), "The line of sight along which it was drawn."))},
    run_path_cut, 8, "Q", [](Step& step, const Mesh& part) { set_field(step, "depth", round_number(bounds(part).diagonal() / 10)); }};

}  // namespace anvil
