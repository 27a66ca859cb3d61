// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/finish_step.h"

#include <algorithm>
#include <array>
#include <set>

#include "core/mesh/edge_rule.h"
#include "job/hand_edit.h"

namespace anvil {

namespace {

/// Of all strips that look the same way, the longest one; the longest first. A grip stands at the border of the strip.
std::vector<Grip::Place> places_to_hold(std::vector<WholeStrip> strips, double width) {
  std::sort(strips.begin(), strips.end(), [](const WholeStrip& a, const WholeStrip& b) { return a.length > b.length; });
  std::set<std::array<int, 3>> ways;
  std::vector<Grip::Place> places;
  for (const WholeStrip& strip : strips) {
    const Eigen::Vector3i way = (1.49 * strip.out).array().round().cast<int>();
    if (ways.insert({way.x(), way.y(), way.z()}).second) places.push_back({strip.middle, strip.into / width});
  }
  return places;
}

}  // namespace

Field finish_edges_field() { return edges_field("edges", "Edges", "fresh", "Which edges: by a rule, or chosen ones."); }
Field finish_material_field() { return text_field("material", "Material", "", "The slot of the new faces; empty: that of the faces beside them."); }

Result<StepOutput> run_finish(const StepInput& input, const Field& rule, const EdgeBlendSettings& settings) {
  const EdgeTable edges = build_edges(*input.mesh);
  std::vector<Vec3> missing;
  const Result<std::vector<Index>> list = edges_of_rule(input, edges, rule, missing);
  if (!list) return list.issue();
  std::vector<WholeStrip> whole;
  Result<StepOutput> output = as_output(about(input, blend_edges(workpiece(input), edges, *list, settings, input.control, &whole)));
  if (!output) return output;
  if (auto places = places_to_hold(std::move(whole), settings.width); !places.empty()) {
    Grip grip{Grip::What::along, settings.round ? "radius" : "width", -1, places[0].origin, places[0].way};
    grip.elsewhere = std::move(places);
    output->grips.push_back(std::move(grip));
  }
  tell_missing(output->report, input.name, std::move(missing));
  return output;
}

}  // namespace anvil
