// SPDX-License-Identifier: GPL-3.0-or-later
// Recast: the part, and whatever is added to it, as one watertight mesh.
#include "core/recast/recast.h"

#include <algorithm>

#include "core/mesh/cloud.h"
#include "job/forecast.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_recast(const StepInput& input) {
  const Result<std::vector<recast::Part>> opened = opened_parts(input);
  if (!opened) return opened.issue();
  const std::vector<recast::Part>& parts = *opened;
  RecastSettings settings;
  settings.detail = input.fields.number("detail");
  settings.sharp = input.fields.on("sharp");
  settings.offset = input.fields.number("offset");
  settings.point_radius = input.fields.number("point-radius");
  settings.through_points = input.fields.on("through-points");
  settings.least_wall = input.fields.number("least-wall");
  settings.leave_out_thin = input.fields.text("thin-walls") == "left-out";
  settings.smallest = input.fields.number("smallest");
  settings.smoothing = input.fields.count("smoothing");
  settings.flatten = input.fields.number("flatten");
  settings.close_holes = input.fields.on("close-holes");
  settings.widest_hole = input.fields.number("widest-hole");
  settings.inner = input.fields.on("inner");
  Result<StepOutput> output = as_output(recast_parts(parts, settings, input.control));
  if (!output || output->mesh.empty() || input.stands_in) return output;
  tell_finer(output->report, numbers_of(output->mesh).triangles);
  // How far a skin lies from points is told by their radius.
  if (std::any_of(parts.begin(), parts.end(), [](const recast::Part& part) { return part.mesh->cloud; })) return output;
  Mesh all;
  for (const recast::Part& part : parts) {
    Mesh placed = *part.mesh;
    place(placed, part.placement);
    append(all, placed);
  }
  output->comparison = std::make_shared<const Comparison>(compare(all, output->mesh, input.control.stop));
  return output;
}

}  // namespace

const StepKind steps::recast = {
    "recast", "Recast", "recast", "recast", "Re-skin the part, with the parts added here, as one watertight mesh.", ToolRule::welcome,
    {graded(length_field("detail", "Detail", 1, "About how long the new edges are; halved, there are four times as many faces.")),
     toggle_field("sharp", "Keep sharp edges", true, "Edges and corners stand where the surfaces beside them meet; off, they are rounded by about half the detail."),
     folded(length_field("offset", "Offset", 0, "How far the skin lies outside of the parts; below 0: inside.", -max_length)),
     folded(toggle_field("through-points", "Through points", true, "The skin runs through points that have normals; off, and where they have none, points count as balls.")),
     folded(length_field("point-radius", "Point radius", 0, "How far a point counts: the radius of its ball, or of its plane; 0: as suits how far apart they lie.", 0)),
     folded(length_field("least-wall", "Walls at least", 0, "Walls thinner than this are made so thick, half to each side, or left out; 0: they stay as thin as they are.", 0)),
     folded(choice_field("thin-walls", "Thinner walls", "thickened", {{"thickened", "made so thick"}, {"left-out", "left out"}}, "What becomes of walls thinner than the least asked for.")),
     folded(length_field("smallest", "Smallest feature", 0, "Shells smaller than this are left out; 0: than twice the detail.", 0)),
     folded(share_field("flatten", "Thin flat areas", 0, 0, 1, "How far triangles that lie nearly in one plane are drawn together: at 1 by a tenth of the detail.")),
     folded(count_field("smoothing", "Smoothing", 0, 0, 1000, "Passes that take unevenness out of the skin; sharp edges stay where they are kept.")),
     folded(toggle_field("close-holes", "Close holes", true, "Off: the skin is left open where it would span a hole of the parts.")),
     folded(length_field("widest-hole", "Holes up to", 0, "Wider ones, measured across, are left open all the same; 0: none is.", 0)),
     toggle_field("inner", "Keep cavities", true, "Off: only the outer skin is made.")},
    run_recast, 1, "K",
    [](Step& step, const Mesh& part) {
      double detail = bounds(part).diagonal() / 100;
      // Nothing finer is known of a cloud than how far apart its points lie.
      if (part.cloud) detail = spacing_of(part.positions, PointTree(part.positions));
      set_field(step, "detail", round_number(detail));
    },
    true, coarsen_detail};

}  // namespace anvil
