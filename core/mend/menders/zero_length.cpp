// SPDX-License-Identifier: GPL-3.0-or-later
// Takes out edges of no length: their ends become one vertex, and what has no extent any more is gone. After an extrusion by
// nothing this brings the old faces back.
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_zero_length(MendJob& job, Deed& deed) {
  for (const Defect& defect : job.of(families::zero_length_edges)) {
    for (const auto& [v, w] : defect.edges) {
      if (v != w) job.edit.merge_vertex(std::max(v, w), std::min(v, w));
      // A face that names one vertex twice in a row is written anew.
      if (v == w)
        for (Index f : defect.faces) job.edit.set_ring(f, job.edit.ring(f));
    }
    ++deed.count;
    deed.places.push_back(defect.position);
  }
}

constexpr Note did_zero_length{"zero_length_taken_out", "1 edge of no length taken out", "{0} edges of no length taken out", Note::Place::card};

}  // namespace

const Mender menders::zero_length = {"zero-length", "Take out zero-length edges", &families::zero_length_edges,
                                     "take out 1 edge of no length", "take out {0} edges of no length", 20, true,
                                     "The two ends of an edge of no length become one vertex; faces of no extent go.", apply_zero_length, &did_zero_length, nullptr, true};

}  // namespace anvil
