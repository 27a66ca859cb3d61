// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/finish_step.h"

#include <algorithm>

#include "core/mesh/edge_rule.h"
#include "job/hand_edit.h"

namespace anvil {

Field finish_edges_field() { return edges_field("edges", "Edges", "fresh", "Which edges: by a rule, or chosen ones."); }
Field finish_material_field() { return text_field("material", "Material", "", "The slot of the new faces; empty: that of the faces beside them."); }

Result<StepOutput> run_finish(const StepInput& input, const Field& rule, const EdgeBlendSettings& settings) {
  const EdgeTable edges = build_edges(*input.mesh);
  std::vector<Vec3> missing;
  const Result<std::vector<Index>> list = edges_of_rule(input, edges, rule, missing);
  if (!list) return list.issue();
  Result<StepOutput> output = as_output(about(input, blend_edges(workpiece(input), edges, *list, settings, input.control)));
  if (!output) return output;
  // The width, at the middle of the longest edge, into one of its faces.
  const auto length = [&](Index e) { return (input.mesh->positions[edges.vertices[e][0]] - input.mesh->positions[edges.vertices[e][1]]).norm(); };
  const Index longest = *std::max_element(list->begin(), list->end(), [&](Index a, Index b) { return length(a) < length(b); });
  const Index use = edges.corners_of(longest)[0], face = edges.corner_face[use];
  const Vec3 &from = input.mesh->positions[input.mesh->corners[use]], &to = input.mesh->positions[input.mesh->corners[next_corner(*input.mesh, face, use)]];
  const Vec3 into = newell_normal(input.mesh->positions, input.mesh->face(face)).stableNormalized().cross((to - from).stableNormalized());
  output->grips.push_back({Grip::What::along, settings.round ? "radius" : "width", -1, (from + to) / 2, into});
  tell_missing(output->report, input.name, std::move(missing));
  return output;
}

}  // namespace anvil
