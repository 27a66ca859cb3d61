// SPDX-License-Identifier: GPL-3.0-or-later
// Connect: a new edge across a face.
#include "job/hand_edit.h"

namespace anvil {
namespace {

const Field chosen_connect = chosen_field({"vertices"}, 2, 0, "Corners of one face that no edge joins; of more than two, each with the next.");
constexpr Note did_connect{"faces_cut", "1 face cut in two", "{0} faces cut in two", Note::Place::card};

Result<StepOutput> run_connect(const StepInput& input) {
  return run_edit(input, chosen_connect, did_connect, [](const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader&, const Control& control) -> Result<Edited> {
    return connect_vertices(mesh, topology, chosen.list, control);
  });
}

}  // namespace

const StepKind steps::connect = {
    "connect", "Connect", "connect", "mend", "Cut faces in two from each chosen vertex to the next.", ToolRule::none,
    {chosen_connect}, run_connect, 29, "L"};

}  // namespace anvil
