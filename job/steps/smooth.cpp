// SPDX-License-Identifier: GPL-3.0-or-later
// Smooth: unevenness taken out of all faces or chosen ones.
#include "core/recast/smooth.h"

#include <numeric>

#include "job/hand_edit.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

const Field only = elements_field("only", "Only on", {"faces"}, 0, 0, "The faces that are smoothed; none chosen: all of them.");

Result<StepOutput> run_smooth(const StepInput& input) {
  const auto begin = std::chrono::steady_clock::now();
  const FieldReader& fields = input.fields;
  std::vector<Vec3> missing;
  if (auto issue = several_pieces(input, "smooth")) return *issue;
  const Result<std::vector<Index>> faces = chosen_faces(input, only, false, missing);
  if (!faces) return faces.issue();
  SmoothSettings settings;
  settings.passes = fields.count("iterations");
  settings.strength = fields.number("strength");
  settings.keep_volume = fields.on("keep-volume");
  settings.along_normals = fields.on("along-normals");
  settings.held.sharper_than = fields.number("sharp");
  settings.held.materials = fields.on("materials");
  settings.held.regions = fields.on("regions");
  settings.hold_borders = fields.on("borders");
  if (!faces->empty()) settings.scope.assign(input.mesh->face_count(), 0);
  for (Index f : *faces) settings.scope[f] = 1;
  Smoothed smoothed = smooth(*input.mesh, input.name, settings, input.control);
  Mesh mesh = *input.mesh;
  mesh.origins.clear();
  mesh.positions = std::move(smoothed.positions);
  tell_missing(smoothed.report, input.name, std::move(missing));
  std::vector<Index> source(mesh.face_count());
  std::iota(source.begin(), source.end(), Index{0});
  StepOutput output = remade(input, std::move(mesh), source, std::move(smoothed.report), smoothed.is_sound, begin);
  output.fresh_edges.assign(input.fresh_edges.begin(), input.fresh_edges.end());
  return output;
}

}  // namespace

const StepKind steps::smooth = {
    "smooth", "Smooth", "smooth", "recast", "Take unevenness out of the surface; nothing crosses itself, sharp edges and borders stay.", ToolRule::none,
    {count_field("iterations", "Passes", 10, 1, 1000, "How many times each vertex goes towards the middle of its neighbours."),
     share_field("strength", "Strength", 0.5, 0, 1, "How far it goes each time: 1 is all the way."), toggle_field("keep-volume", "Keep the volume", true, "What the passes take off is given back; off, everything shrinks."),
     folded(only), folded(toggle_field("along-normals", "Only along normals", false, "Vertices move square to the surface alone, so that what is drawn on it stays where it is.")),
     folded(angle_field("sharp", "Hold edges sharper than", 30, "Edges at which the surface turns by more than this stay; 180: none does.", 0, 180)),
     folded(toggle_field("borders", "Hold borders", true, "Open edges stay where they are.")), folded(toggle_field("materials", "Hold materials", true, "Edges between two materials stay where they are.")),
     folded(toggle_field("regions", "Hold regions", true, "Edges between two regions stay where they are, where the part has regions."))},
    run_smooth, 2, "Alt+K"};

}  // namespace anvil
