// SPDX-License-Identifier: GPL-3.0-or-later
// Join: other parts put into the part and welded to it where they meet, as for what was detached before.
#include <chrono>

#include "job/hand_edit.h"

namespace anvil {
namespace {

constexpr Note did_join{"vertices_joined", "1 vertex welded", "{0} vertices welded", Note::Place::card};
constexpr Note nothing_met{"nothing_met", "no vertex of what was joined met one of {1}", "no vertex of what was joined met one of {1}"};

Result<StepOutput> run_join(const StepInput& input) {
  const auto begin = std::chrono::steady_clock::now();
  std::vector<Mesh> placed;
  for (const StepInput::Tool& tool : input.tools) {
    placed.push_back(*tool.mesh);
    if (!tool.placement.isApprox(Affine::Identity(), 0)) place(placed.back(), tool.placement);
  }
  std::vector<const Mesh*> meshes{input.mesh.get()};
  for (const Mesh& mesh : placed) meshes.push_back(&mesh);
  check_stop(input.control);
  Joined joined = join(meshes, input.fields.number("within"));
  StepOutput output;
  output.mesh = std::move(joined.mesh);
  output.sources = std::move(joined.sources);
  output.report.tell(joined.welded > 0 ? did_join : nothing_met, std::max<std::size_t>(joined.welded, 1), input.name);
  output.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return output;
}

}  // namespace

const StepKind steps::join = {
    "join", "Join", "join", "mend", "Put other parts into the part and weld them to it where open edges meet.", ToolRule::needed,
    {length_field("within", "Weld within", 0, "Vertices of open edges nearer to each other than this become one; 0 welds what is at one place.", 0)},
    run_join, 31, "Shift+J"};

}  // namespace anvil
