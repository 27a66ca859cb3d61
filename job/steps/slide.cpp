// SPDX-License-Identifier: GPL-3.0-or-later
// Slide: a vertex along its edge.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_slide = chosen_field({"vertices"}, 2, 2, "A vertex, then the other end of one of its edges.");
constexpr Note did_slide{"vertices_slid", "1 vertex moved", "{0} vertices moved", Note::Place::card};

Result<StepOutput> run_slide(const StepInput& input) {
  return run_edit(input, chosen_slide, did_slide, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader& fields, const Control&) -> Result<Edited> {
    return slide_vertex(mesh, topology, chosen.list[0], chosen.list[1], fields.number("share"));
  });
}

}  // namespace

const StepKind steps::slide = {
    "slide", "Slide", "slide", "mend", "Move a vertex along its edge: the first chosen towards the last.", ToolRule::none,
    {chosen_slide, share_field("share", "Share", 0.5, 0, 1, "How far: 0 stays, 1 reaches the other end.")}, run_slide, 27, "S"};

}  // namespace anvil
