// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_loose_vertices(MendJob& job, Deed& deed) {
  for (const Defect& defect : job.of(families::loose_vertices)) {
    for (Index v : defect.vertices) job.edit.drop_vertex(v);
    ++deed.count;
    deed.places.push_back(defect.position);
  }
}

constexpr Note did_loose_vertices{"loose_vertices_dropped", "1 loose vertex dropped", "{0} loose vertices dropped", Note::Place::card};

}  // namespace

const Mender menders::loose_vertices = {"loose-vertices", "Drop loose vertices", &families::loose_vertices,
                                        "drop 1 vertex without a face", "drop {0} vertices without a face", 5, true,
                                        "Vertices that no face uses go.", apply_loose_vertices, &did_loose_vertices};

}  // namespace anvil
