// SPDX-License-Identifier: GPL-3.0-or-later
// Push: a region of faces pushed into the body, right through it where wanted, or pulled out of it.
#include "core/shape/push.h"

#include <fmt/format.h>

#include "job/hand_edit.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

const Field region = chosen_field({"faces"}, 1, 0, "The faces that are pushed, one region or several.");

Result<StepOutput> run_push(const StepInput& input) {
  std::vector<Vec3> missing;
  Result<std::vector<Index>> faces = chosen_faces(input, region, true, missing);
  if (!faces) return faces.issue();
  PushSettings settings;
  settings.faces = std::move(*faces);
  settings.through = input.fields.on("through");
  settings.depth = input.fields.number("depth");
  const std::string& way = input.fields.text("way");
  if (way == "mean") {
    settings.direction = mean_direction(*input.mesh, settings.faces);
    if (settings.direction == Vec3::Zero()) return Issue{"the chosen faces look to all sides", input.name, {}, "choose a direction, or push each corner its own way"};
  } else if (way == "direction") {
    settings.direction = input.fields.vector("direction");
  }
  Result<StepOutput> output = as_output(about(input, push(workpiece(input), settings, input.control)));
  if (output && !settings.through) {
    Vec3 middle = Vec3::Zero();
    for (Index v : input.mesh->face(settings.faces[0])) middle += input.mesh->positions[v] / static_cast<double>(input.mesh->face(settings.faces[0]).size());
    const Vec3 in = settings.direction == Vec3::Zero() ? mean_direction(*input.mesh, settings.faces) : settings.direction;
    if (in != Vec3::Zero()) output->grips.push_back({Grip::What::along, "depth", -1, middle, in.stableNormalized()});
  }
  constexpr std::size_t max_guides = 24;      // so many corners have a line of their own
  constexpr std::size_t max_faces = 300'000;  // of more the lines of sight would hold up a drag
  if (output && (settings.through || settings.depth > 0) && input.mesh->face_count() <= max_faces) {
    for (const PushExit& exit : push_exits(*input.mesh, settings)) {
      if (!settings.through && settings.depth > exit.farthest) continue;
      std::vector<Vec3> around = exit.at;
      around.push_back(around.front());
      const bool even = exit.farthest - exit.nearest < 1e-4 * exit.farthest;
      output->guides.push_back({std::move(around), even ? fmt::format("comes out after {:.4g} mm", exit.farthest) : fmt::format("comes out after {:.4g} to {:.4g} mm", exit.nearest, exit.farthest)});
      if (exit.corners.size() <= max_guides)
        for (const auto& [from, to] : exit.corners) output->guides.push_back({{from, to}});
    }
  }
  if (output) tell_missing(output->report, input.name, std::move(missing));
  return output;
}

}  // namespace

const StepKind steps::push = {
    "push", "Push through", "push", "shape", "Push a region of faces into the body or right through it, or pull it out.", ToolRule::none,
    {region, toggle_field("through", "Right through", false, "As far as the body reaches, out on the other side."),
     length_field("depth", "Depth", 5, "How far into the body; negative pulls the faces out of it.", -max_length),
     choice_field("way", "Way", "mean", {{"mean", "all one way, straight in"}, {"direction", "all along a direction"}, {"own", "each corner its own way"}}, "Along one direction, or each corner against its own normal."),
     direction_field("direction", "Direction", Vec3(0, 0, -1), "The way in, where it is along a direction.")},
    run_push, 3, "P",
    [](Step& step, const Mesh& part) { set_field(step, "depth", round_number(bounds(part).diagonal() / 20)); }};

}  // namespace anvil
