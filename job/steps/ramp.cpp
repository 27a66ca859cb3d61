// SPDX-License-Identifier: GPL-3.0-or-later
// Ramp cut: a wedge along one straight edge, taken away or added.
#include "core/shape/ramp.h"

#include <cmath>
#include <numbers>

#include "job/hand_edit.h"
#include "job/step_parts.h"

namespace anvil {
namespace {

constexpr Note twisted{"ramp_twisted", "the ramp is twisted: its two ends have other shares", "the ramp is twisted", Note::Place::card};

const Field edge_field = elements_field("edge", "Edge", {"edges"}, 1, 0, "One straight edge, or several in one line.");

Result<StepOutput> run_ramp(const StepInput& input) {
  const EdgeTable edges = build_edges(*input.mesh);
  std::vector<Vec3> missing;
  const Result<std::vector<Index>> list = edges_of_rule(input, edges, edge_field, missing);
  if (!list) return list.issue();
  const Result<StraightEdge> edge = about(input, straight_edge(*input.mesh, edges, *list));
  if (!edge) return edge.issue();
  RampSettings settings;
  settings.add = input.fields.text("how") == "add";
  settings.first = input.fields.number("first");
  settings.second = input.fields.number("second");
  settings.tapered = input.fields.on("tapered");
  settings.first_end = input.fields.number("first-end");
  settings.second_end = input.fields.number("second-end");
  settings.on_first = input.fields.text("stands") == "first";
  settings.runs_out = input.fields.on("runs-out");
  settings.begin_gap = input.fields.number("begin-gap");
  settings.end_gap = input.fields.number("end-gap");
  settings.begin_angle = input.fields.number("begin-angle");
  settings.end_angle = input.fields.number("end-angle");
  if (const double angle = input.fields.number("angle"); angle > 0) {
    // The third angle of the wedge's section says how far it goes on the other face.
    const double corner = ramp_corner(*edge, settings), rest = 180 - corner - angle;
    if (rest <= 0.5) return Issue{"that angle never reaches the other face", input.name, {(edge->begin + edge->end) / 2}, "choose a smaller angle"};
    const double ratio = std::sin(angle * std::numbers::pi / 180) / std::sin(rest * std::numbers::pi / 180);
    settings.second = settings.first * ratio;
    settings.second_end = settings.first_end * ratio;
  }
  const Result<Wedge> wedge = about(input, ramp_wedge(*edge, settings, bounds(*input.mesh)));
  if (!wedge) return wedge.issue();
  Result<StepOutput> output = as_output(about(input, ramp_cut(workpiece(input), *edge, settings, input.control)));
  if (output) {
    const WedgeLegs legs = wedge_legs(*edge, settings);
    const Vec3 along = edge->along(), begin = edge->begin, end = edge->end, middle = (begin + end) / 2;
    const bool by_width = input.fields.number("angle") == 0;
    const Vec3& at = settings.tapered ? begin : middle;
    output->grips.push_back({Grip::What::along, "first", -1, at, legs.first});
    if (by_width) output->grips.push_back({Grip::What::along, "second", -1, at, legs.second});
    if (settings.tapered) output->grips.push_back({Grip::What::along, "first-end", -1, end, legs.first});
    if (settings.tapered && by_width) output->grips.push_back({Grip::What::along, "second-end", -1, end, legs.second});
    if (!settings.runs_out) {
      output->grips.push_back({Grip::What::along, "begin-gap", -1, begin, along});
      output->grips.push_back({Grip::What::along, "end-gap", -1, end, Vec3(-along)});
    }
    const RampSection from = ramp_section(*edge, settings, false), to = ramp_section(*edge, settings, true);
    // Leaning shifts the ends of the legs along the edge.
    for (const auto& [key, section, outwards] : {std::tuple("begin-angle", &from, -1.0), std::tuple("end-angle", &to, 1.0)})
      if (const double leg = ((*section)[1] - (*section)[0]).dot(legs.first); !settings.runs_out && leg > 0)
        output->grips.push_back({Grip::What::lean, key, -1, (*section)[0] + leg * legs.first, outwards * leg * along});
    // The outline of the wedge, and what its new face is.
    output->guides.push_back({{from[0], to[0]}});
    output->guides.push_back({{(from[1] + from[2] + to[1] + to[2]) / 4}, std::string(settings.add ? "comes" : "goes") + (wedge->is_flat ? ", leaves a plane" : ", leaves a twisted face")});
    for (std::size_t k = 1; k < 3; ++k) output->guides.push_back({{from[0], from[k], to[k], to[0]}});
    output->guides.push_back({{from[1], from[2]}});
    output->guides.push_back({{to[1], to[2]}});
  }
  if (output && !wedge->is_flat) output->report.tell(twisted, 1, input.name, {(edge->begin + edge->end) / 2});
  if (output) tell_missing(output->report, input.name, std::move(missing));
  return output;
}

Field gap(const char* key, const char* label, const char* help) { return length_field(key, label, 0, help, 0); }

}  // namespace

const StepKind steps::ramp = {
    "ramp", "Ramp cut", "ramp", "shape", "Take a wedge away along one straight edge, or add one.", ToolRule::none,
    {edge_field, choice_field("how", "How", "remove", {{"remove", "take away"}, {"add", "add"}}, "Whether the wedge goes or comes."),
     length_field("first", "On the first face", 8, "How far the ramp reaches on the one face.", 0), length_field("second", "On the second", 4, "How far it reaches on the other.", 0),
     share_field("angle", "Angle", 0, 0, 179, "Between the first face and the ramp, in degrees; 0: by the second number."),
     choice_field("stands", "Stands on", "first", {{"first", "the first face"}, {"second", "the second face"}}, "Where it does not lie in the corner: on which face it stands."),
     toggle_field("runs-out", "Runs out at both ends", true, "Goes on as far as the part reaches; off: closed off at the ends of the edge."), folded(gap("begin-gap", "Gap at begin", "How far from the beginning of the edge it is closed off.")),
     folded(gap("end-gap", "Gap at end", "How far from the end of the edge it is closed off.")),
     folded(angle_field("begin-angle", "Lean at begin", 0, "By how much its first end leans outwards.", -80, 80)), folded(angle_field("end-angle", "Lean at end", 0, "By how much its last end leans outwards.", -80, 80)),
     folded(toggle_field("tapered", "Tapered", false, "Other widths at the end of the edge.")), folded(gap("first-end", "First, at end", "How far on the first face at the end of the edge.")),
     folded(gap("second-end", "Second, at end", "How far on the second face at the end of the edge."))},
    run_ramp, 4, "R",
    [](Step& step, const Mesh& part) { set_field(step, "first", round_number(bounds(part).diagonal() / 8)), set_field(step, "second", round_number(bounds(part).diagonal() / 16)); }};

}  // namespace anvil
