// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_orientation(MendJob& job, Deed& deed) {
  for (const Defect& defect : job.of(families::flipped_faces)) {
    for (Index f : defect.faces) job.edit.reverse_face(f);
    deed.count += defect.faces.size();
    deed.places.push_back(defect.position);
  }
}

constexpr Note did_orientation{"faces_turned", "1 face turned over", "{0} faces turned over", Note::Place::card};

}  // namespace

const Mender menders::orientation = {"orientation", "Turn faces outwards", &families::flipped_faces,
                                     "turn 1 face over", "turn {0} faces over", 80, true,
                                     "Faces turned against their neighbours, and shells inside out, are turned over.", apply_orientation, &did_orientation, nullptr, true};

}  // namespace anvil
