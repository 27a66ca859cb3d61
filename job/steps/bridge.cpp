// SPDX-License-Identifier: GPL-3.0-or-later
// Bridge: faces between two boundaries, closed or open.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_elements = chosen_field({"edges", "faces"}, 2, 0, "Two open boundaries, one open edge on either side, or two faces.");
constexpr Note did{"faces_bridged", "1 face made", "{0} faces made", Note::Place::card};

Result<StepOutput> run(const StepInput& input) {
  return run_edit(input, chosen_elements, did, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader&) -> Result<Edited> {
    return bridge(mesh, topology, chosen);
  });
}

}  // namespace

const StepKind steps::bridge = {
    "bridge", "Bridge", "bridge", "mend", "Put faces between two boundaries; chosen faces go and their outlines are bridged.", ToolRule::none,
    {chosen_elements}, run, 25, "B"};

}  // namespace anvil
