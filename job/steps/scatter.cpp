// SPDX-License-Identifier: GPL-3.0-or-later
// Scatter: tools spread over faces of the part, as one tray.
#include "core/shape/scatter.h"

#include <algorithm>

#include "job/hand_edit.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

constexpr Note scattered{"scattered", "1 copy", "{0} copies", Note::Place::card};
constexpr Note no_room{"scatter_no_room", "no room for 1 more copy at this distance", "no room for {0} more copies at this distance", Note::Place::card};

const Field over = elements_field("faces", "Faces", {"faces"}, 0, 0, "The faces that they are spread over; none chosen: all of them.");

Result<StepOutput> run_scatter(const StepInput& input) {
  std::vector<Vec3> missing;
  const Result<std::vector<Index>> faces = chosen_faces(input, over, false, missing);
  if (!faces) return faces.issue();
  ScatterSettings settings;
  settings.count = input.fields.count("count");
  settings.distance = input.fields.number("distance");
  settings.share = input.fields.number("share") / 100;
  settings.min_size = input.fields.number("smallest");
  settings.max_size = input.fields.number("largest");
  settings.along_normal = input.fields.on("upright");
  settings.turned = input.fields.on("turned");
  settings.seed = static_cast<std::uint64_t>(input.fields.number("seed"));
  if (settings.count == 0 && settings.distance == 0) return Issue{"has neither a number nor a distance", input.name, {}, "give one of them"};
  if (settings.min_size > settings.max_size) return Issue{"has a smallest size above the largest", input.name, {}, "exchange them"};
  const auto given = repeated_tools(input, true);
  if (!given) return given.issue();
  const std::vector<RepeatedTool>& tools = *given;
  if (tools.empty()) return Issue{"has no tool to scatter", input.name, {}, "add one to the step's card"};
  // Discs cover about seven tenths of a surface that they fill by chance.
  const double room = settings.distance > 0 ? surface_area(*input.mesh) / (settings.distance * settings.distance) : 1e300;
  for (const RepeatedTool& tool : tools)
    if (const auto issue = too_many_copies(input, std::min(settings.count == 0 ? room : settings.count * settings.share, room), *tool.mesh)) return *issue;
  std::size_t left_out = 0;
  const std::vector<Affine> places = scatter_places(*input.mesh, *faces, settings, &left_out, input.control);
  const std::string& what = input.fields.text("operation");
  Result<StepOutput> output = places.empty()          ? as_output(unchanged_part(*input.mesh))
                              : what == "copies-only" ? as_output(copies_at_places(tools, places, true, input.control))
                                                      : as_output(combine_at_places(workpiece(input), tools, places, *operation_named(what), input.control));
  if (!output) return output;
  output->report.tell(scattered, places.size(), input.name);
  if (left_out > 0) output->report.tell(no_room, left_out, input.name);
  tell_missing(output->report, input.name, std::move(missing));
  return output;
}

std::vector<FieldChoice> operations() {
  std::vector<FieldChoice> all = choices_of({Operation::difference, Operation::unite, Operation::gather, Operation::intersection, Operation::split});
  all.push_back({"copies-only", "the copies alone"});
  return all;
}

}  // namespace

const StepKind steps::scatter = {
    "scatter", "Scatter", "scatter", "shape", "Spread copies of the tools over faces of the part, and combine it with them.", ToolRule::needed,
    {choice_field("operation", "Operation", "difference", operations(), "What the copies do to the part."), over,
     count_field("count", "Number", 100, 0, 100000, "How many; 0: as many as the distance allows."), length_field("distance", "Distance", 0, "No two of them nearer than this; 0: anywhere.", 0),
     share_field("share", "Keep, %", 100, 0, 100, "How many of them are kept, at random."), share_field("smallest", "Smallest", 1, 0.001, 1000, "The least factor of size."),
     share_field("largest", "Largest", 1, 0.001, 1000, "The greatest factor of size."), toggle_field("upright", "Upright on the face", true, "The tools' third axis stands upright on the face."),
     toggle_field("turned", "Turned at random", true, "Turned about that axis by chance."), count_field("seed", "Seed", 1, 0, 1e9, "Another seed, other places.")},
    run_scatter, 23, "Shift+C"};

}  // namespace anvil
