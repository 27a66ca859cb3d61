// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_strays(MendJob& job, Deed& deed) {
  for (const Defect& defect : job.of(families::stray_shells)) {
    for (Index f : defect.faces) job.edit.remove_face(f);
    ++deed.count;
    deed.places.push_back(defect.position);
  }
}

constexpr Note did_strays{"strays_swept", "1 stray shell swept away", "{0} stray shells swept away", Note::Place::card};

}  // namespace

const Mender menders::strays = {"strays", "Sweep strays away", &families::stray_shells,
                                "sweep 1 stray shell away", "sweep {0} stray shells away", 110, true,
                                "Shells of less than a fiftieth of the largest one go.", apply_strays, &did_strays};

}  // namespace anvil
