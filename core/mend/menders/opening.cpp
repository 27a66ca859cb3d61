// SPDX-License-Identifier: GPL-3.0-or-later
// Opens places where a sound mesh touches itself, for files that tell vertices by their position.
#include "core/boolean/open_touching.h"
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_opening(MendJob& job, Deed& deed) {
  if (!job.report.sound || job.analysis.all_welded()) return;
  EditedMesh opened{job.mesh, {}};
  // Faces at such places are cut into triangles: who they were is told by their order.
  const Opened done = open_touching(opened.mesh, {job.settings.opening, false}, job.control);
  deed.count = done.places;
  deed.longest = done.width;
  deed.places = done.at;
  for (std::size_t k = 0; k < done.left.size(); ++k) deed.left.push_back("a place where it touches itself could not be opened");
  if (done.places == 0) return;
  opened.source = done.source;
  job.replaced = std::move(opened);
}

constexpr Note did_opening{"touching_opened", "1 touching place opened", "{0} touching places opened", Note::Place::card};

}  // namespace

const Mender menders::opening = {"opening", "Open touching places", &families::contact_edges,
                                 "open 1 place where it touches itself, by {1}", "open {0} places where it touches itself, by {1}", 120, false,
                                 "Doubled corners are moved apart into their own material, for files that know no two vertices at one place.", apply_opening, &did_opening};

}  // namespace anvil
