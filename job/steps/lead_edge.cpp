// SPDX-License-Identifier: GPL-3.0-or-later
// Lead on: a sharp edge that fades or stops short goes on to a place or to another edge.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_lead_edge = chosen_field({"vertices"}, 2, 0, "Where the edge ends; what it passes, if anything; where it goes to.");
constexpr Note did_lead_edge{"edges_led_on", "1 edge led on", "{0} edges led on", Note::Place::card};

Result<StepOutput> run_lead_edge(const StepInput& input) {
  return run_edit(input, chosen_lead_edge, did_lead_edge, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader& fields, const Control& control) -> Result<Edited> {
    EdgeSettings settings = edge_settings(fields);
    settings.bend = fields.number("bend");
    return lead_edge(mesh, topology, chosen.list, settings, control);
  });
}

}  // namespace

const StepKind steps::lead_edge = {
    "lead-edge", "Lead on", "lead_edge", "mend", "Lead a sharp edge on: from the vertex chosen first over those between to the last.", ToolRule::none,
    {chosen_lead_edge, share_field("bend", "Bend", 1, 0, 1, "0 goes straight from each vertex to the next; 1 goes on as the edge does, in one smooth line through all."), to_sides_field(), reach_field()},
    run_lead_edge, 32, "Alt+L"};

}  // namespace anvil
