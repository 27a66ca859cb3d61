// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_fins(MendJob& job, Deed& deed) {
  for (const Defect& defect : job.of(families::fins)) {
    for (Index f : defect.faces) job.edit.remove_face(f);
    ++deed.count;
    deed.places.push_back(defect.position);
  }
}

constexpr Note did_fins{"fins_taken_off", "1 fin taken off", "{0} fins taken off", Note::Place::card};

}  // namespace

const Mender menders::fins = {"fins", "Take off fins", &families::fins,
                              "take off 1 fin", "take off {0} fins", 50, true,
                              "Flaps that hang off the surface go; the edge where they hung has two faces again.", apply_fins, &did_fins, nullptr, true};

}  // namespace anvil
