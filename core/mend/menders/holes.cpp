// SPDX-License-Identifier: GPL-3.0-or-later
// Closes holes: flat ones by a flat face, others by a smooth surface of least area.
#include <fmt/format.h>

#include <algorithm>

#include "core/modify/fill_hole.h"
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// Is the hole the rim of one face that nothing hangs on? What closes it would lie on that face.
bool is_face_alone(const Mesh& mesh, const Defect& hole) {
  const Index face = hole.faces[0];
  return mesh.face(face).size() == hole.faces.size() && std::all_of(hole.faces.begin(), hole.faces.end(), [&](Index f) { return f == face; });
}

void apply_holes(MendJob& job, Deed& deed) {
  HoleFiller filler(job.mesh, job.control);
  for (const Defect& defect : job.of(families::open_edges)) {
    if (defect.kind != "hole") continue;
    check_stop(job.control);
    if (job.settings.longest_hole > 0 && defect.length > job.settings.longest_hole) {
      deed.left.push_back(fmt::format("a hole of {:.4g} mm is longer than asked for", defect.length));
      continue;
    }
    if (is_face_alone(job.mesh, defect)) {
      deed.left.push_back("a face by itself encloses nothing");
      continue;
    }
    if (!filler.fill(defect.vertices, defect.faces, defect.planar, job.edit)) {
      deed.left.push_back(fmt::format("no surface was found for a hole of {:.4g} mm", defect.length));
      continue;
    }
    ++deed.count;
    deed.longest = std::max(deed.longest, defect.length);
    deed.places.push_back(defect.position);
  }
}

constexpr Note did_holes{"holes_filled", "1 hole closed", "{0} holes closed", Note::Place::card};

}  // namespace

const Mender menders::holes = {"holes", "Close holes", &families::open_edges,
                               "close 1 hole, boundary {1}", "close {0} holes, longest boundary {1}", 100, true,
                               "Flat holes get a flat face, others a smooth surface of least area.", apply_holes, &did_holes, nullptr, true};

}  // namespace anvil
