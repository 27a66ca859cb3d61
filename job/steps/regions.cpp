// SPDX-License-Identifier: GPL-3.0-or-later
// Regions: faces between sharp edges get a number, which later steps hand on.
#include "core/mesh/regions.h"

#include <chrono>

#include "job/step.h"

namespace anvil {
namespace {

constexpr Note numbered{"regions_numbered", "1 region", "{0} regions", Note::Place::card};

Result<StepOutput> run_regions(const StepInput& input) {
  const auto begin = std::chrono::steady_clock::now();
  StepOutput output;
  output.mesh = *input.mesh;
  output.mesh.regions = regions_by_angle(*input.mesh, input.fields.number("sharp"), input.fields.count("least"));
  const std::size_t count = output.mesh.regions.empty() ? 0 : *std::max_element(output.mesh.regions.begin(), output.mesh.regions.end());
  output.report.tell(numbered, count, input.name);
  for (Index f = 0; f < output.mesh.face_count(); ++f) output.sources.add(0, f);
  output.piece.assign(input.piece.begin(), input.piece.end());
  output.pieces = input.pieces;
  output.free_of_crossings = input.free_of_crossings(0);
  output.fresh_edges.assign(input.fresh_edges.begin(), input.fresh_edges.end());
  output.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return output;
}

}  // namespace

const StepKind steps::regions = {
    "regions", "Regions", "regions", "recast", "Give the faces between sharp edges numbers, which are chosen by, held and handed on by later steps.", ToolRule::none,
    {angle_field("sharp", "Parted where sharper than", usual_sharp_angle, "Edges at which the surface turns by more than this part two regions.", 0, 180),
     count_field("least", "Of at least", 1, 1, 1e6, "Regions of fewer faces become part of the neighbour that they share most of their border with.")},
    run_regions, 7, "Ctrl+Shift+J"};

}  // namespace anvil
