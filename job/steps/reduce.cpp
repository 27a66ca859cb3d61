// SPDX-License-Identifier: GPL-3.0-or-later
// Reduce: fewer triangles, as far as the shape allows.
#include "core/recast/reduce.h"

#include "job/step_parts.h"

namespace anvil {
namespace {

Result<StepOutput> run_reduce(const StepInput& input) {
  const auto begin = std::chrono::steady_clock::now();
  const FieldReader& fields = input.fields;
  if (auto issue = several_pieces(input, "reduce")) return *issue;
  const std::size_t triangles = input.mesh->corners.size() - 2 * input.mesh->face_count();
  ReduceSettings settings;
  settings.max_deviation = fields.number("max-deviation");
  const double count = fields.number("triangles");
  settings.triangles = count > 0 ? static_cast<std::size_t>(count) : static_cast<std::size_t>(std::ceil(fields.number("keep") * static_cast<double>(triangles)));
  settings.held.sharper_than = fields.number("sharp");
  settings.held.materials = fields.on("materials");
  settings.held.regions = fields.on("regions");
  Reduced reduced = reduce(*input.mesh, input.name, settings, input.control);
  return remade(input, std::move(reduced.mesh), reduced.source, std::move(reduced.report), reduced.is_sound, begin);
}

}  // namespace

const StepKind steps::reduce = {
    "reduce", "Reduce", "reduce", "recast", "Fewer triangles, as far as the shape allows; sharp edges, borders and materials stay.", ToolRule::none,
    {share_field("keep", "Keep", 0.5, 0, 1, "Which share of the triangles is left; not less than the shape and the held edges need."),
     length_field("max-deviation", "Deviate at most", 0, "No point of either surface lies farther from the other; 0: any.", 0),
     folded(count_field("triangles", "Triangles", 0, 0, 1e9, "So many instead of the share; 0: by the share.")),
     folded(angle_field("sharp", "Hold edges sharper than", 30, "Edges at which the surface turns by more than this stay lines; 180: none does.", 0, 180)),
     folded(toggle_field("materials", "Hold materials", true, "Edges between two materials stay where they are.")),
     folded(toggle_field("regions", "Hold regions", true, "Edges between two regions stay where they are, where the part has regions."))},
    run_reduce, 4, "Alt+Shift+K"};

}  // namespace anvil
