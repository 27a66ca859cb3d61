// SPDX-License-Identifier: GPL-3.0-or-later
// Cuts faces that pass a corner twice into rings that do not: a face that goes around its corners several times becomes as
// many faces on each other, of which the mender of doubled faces keeps one.
#include <algorithm>
#include <set>

#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_folds(MendJob& job, Deed& deed) {
  std::vector<Index> sorted;
  std::set<Index> seen;
  for (const Defect& defect : job.of(families::crossing_faces))
    for (Index f : defect.faces) {
      if (!seen.insert(f).second) continue;
      const auto ring = job.mesh.face(f);
      sorted.assign(ring.begin(), ring.end());
      std::sort(sorted.begin(), sorted.end());
      if (std::adjacent_find(sorted.begin(), sorted.end()) == sorted.end()) continue;
      job.edit.set_ring(f, job.edit.ring(f));  // written anew it is cut apart where it passes a vertex twice
      ++deed.count;
      deed.places.push_back(job.analysis.face_centre(f));
    }
}

constexpr Note did_folds{"folded_faces_cut", "1 face cut apart that passed a corner twice", "{0} faces cut apart that passed a corner twice", Note::Place::card};

}  // namespace

const Mender menders::folds = {"folds", "Cut folded faces", &families::crossing_faces,
                               "cut apart 1 face that passes a corner twice", "cut apart {0} faces that pass a corner twice", 35, true,
                               "A face that passes a corner twice becomes several that do not.", apply_folds, &did_folds, nullptr, true};

}  // namespace anvil
