// SPDX-License-Identifier: GPL-3.0-or-later
// Bridge: faces between two boundaries, closed or open.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_bridge = chosen_field({"edges", "faces"}, 2, 0, "Two open boundaries, one open edge on either side, or two faces.");
constexpr Note did_bridge{"faces_bridged", "1 face made", "{0} faces made", Note::Place::card};

Result<StepOutput> run_bridge(const StepInput& input) {
  return run_edit(input, chosen_bridge, did_bridge, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader&, const Control& control) -> Result<Edited> {
    return bridge(mesh, topology, chosen, control);
  });
}

}  // namespace

const StepKind steps::bridge = {
    "bridge", "Bridge", "bridge", "mend", "Put faces between two boundaries; chosen faces go and their outlines are bridged.", ToolRule::none,
    {chosen_bridge}, run_bridge, 25, "B"};

}  // namespace anvil
