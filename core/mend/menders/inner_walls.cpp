// SPDX-License-Identifier: GPL-3.0-or-later
// Takes out walls with material on both sides. A shell buried in another goes too, or becomes a cavity where shells
// alternate.
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_inner_walls(MendJob& job, Deed& deed) {
  for (const Defect& defect : job.of(families::inner_walls)) {
    const bool becomes_cavity = defect.kind == "buried_shell" && job.settings.solid == Solid::alternate;
    for (Index f : defect.faces)
      if (becomes_cavity)
        job.edit.reverse_face(f);
      else
        job.edit.remove_face(f);
    ++deed.count;
    deed.places.push_back(defect.position);
  }
}

constexpr Note did_inner_walls{"walls_taken_out", "1 inner wall taken out", "{0} inner walls taken out", Note::Place::card};

}  // namespace

const Mender menders::inner_walls = {"inner-walls", "Take out inner walls", &families::inner_walls,
                                     "take out 1 wall inside the material", "take out {0} walls inside the material", 60, true,
                                     "Walls with material on both sides go, so that the surface can be walked all around.", apply_inner_walls, &did_inner_walls};

}  // namespace anvil
