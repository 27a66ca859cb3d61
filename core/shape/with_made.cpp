// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/with_made.h"

#include <algorithm>

namespace anvil {
Result<BooleanResult> combine_with_made(const Workpiece& part, std::vector<MadeTool> tools, const Control& control, std::optional<double> contact) {
  std::vector<Operand> operands{{part.mesh, part.name, Operation::unite, Affine::Identity(), part.free_of_crossings}};
  std::vector<std::string> made;
  bool takes_only = true;
  for (const MadeTool& tool : tools) made.push_back(tool.name), takes_only = takes_only && (tool.operation == Operation::difference || tool.operation == Operation::score);
  for (MadeTool& tool : tools)
    operands.push_back({std::make_shared<const Mesh>(std::move(tool.mesh)), std::move(tool.name), tool.operation, Affine::Identity(), tool.free_of_crossings});
  CombineSettings settings;
  settings.cache = part.cache;
  settings.contact = contact_tolerance(contact, bounds(*part.mesh));
  Result<BooleanResult> result = combine(operands, control, settings);
  if (!result) return result;
  // How a tool was made ready that nobody brought in is nobody's concern.
  std::erase_if(result->report.done, [&](const auto& done) { return std::find(made.begin(), made.end(), done.part) != made.end(); });
  FaceSources& sources = result->sources;
  for (std::size_t f = 0; f < sources.input.size(); ++f)
    if (sources.input[f] != 0) sources.input[f] = 0, sources.face[f] = no_index;
  const std::array<const Mesh*, 1> from{part.mesh.get()};
  carry_slots(from, sources, result->mesh);
  // That nothing happened is said, and not left to be wondered at.
  if (takes_only && !result->mesh.empty() && result->fresh_edges.empty() && std::find(sources.face.begin(), sources.face.end(), no_index) == sources.face.end())
    result->report.tell(cut_misses, 1, part.name);
  return result;
}

double contact_for(const Mesh& part, double width) {
  constexpr double share_of_width = 0.01;
  return std::min(contact_tolerance({}, bounds(part)), share_of_width * width);
}

BooleanResult unchanged_part(const Mesh& mesh) {
  BooleanResult result;
  result.mesh = mesh;
  result.mesh.origins.clear();
  result.piece.assign(mesh.face_count(), 0);
  for (Index f = 0; f < mesh.face_count(); ++f) result.sources.add(0, f);
  return result;
}

}  // namespace anvil
