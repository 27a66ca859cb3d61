// SPDX-License-Identifier: GPL-3.0-or-later
// Resolves crossings by the Boolean engine: what the whole mesh encloses becomes one solid.
#include <algorithm>

#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

void apply_crossings(MendJob& job, Deed& deed) {
  const auto& crossings = job.of(families::crossing_faces);
  if (crossings.empty() && !job.is_last_resort) return;
  if (!job.report.closed() && !job.is_last_resort) {
    deed.left.push_back("crossing faces wait until the holes are closed");
    return;
  }
  // The engine closes what it is given; where holes are to stay it is not asked.
  const auto& allowed = job.settings.menders;
  const bool may_close = job.settings.longest_hole == 0 && std::find(allowed.begin(), allowed.end(), &menders::holes) != allowed.end();
  if (!job.report.closed() && !may_close) {
    if (!crossings.empty()) deed.left.push_back("crossing faces are left: the holes beside them are to stay open");
    return;
  }
  Operand whole;
  whole.mesh = std::shared_ptr<const Mesh>(std::shared_ptr<const Mesh>(), &job.mesh);
  whole.operation = Operation::unite;
  whole.alternate = job.settings.solid == Solid::alternate;
  CombineSettings settings;
  settings.resolve = true;
  Result<BooleanResult> result = combine({whole}, job.control, settings);
  if (!result) {
    deed.left.push_back(result.issue().message());
    return;
  }
  if (result->mesh.empty()) {
    deed.left.push_back("crossing faces enclose nothing: close the part or recast it");
    return;
  }
  deed.told = std::move(result->report.done);
  job.replaced = EditedMesh{std::move(result->mesh), std::move(result->sources.face)};
  for (const Defect& defect : crossings) deed.places.push_back(defect.position);
  deed.count = std::max<std::size_t>(1, crossings.size());
}

constexpr Note did_crossings{"crossings_resolved", "crossing faces resolved along 1 line", "crossing faces resolved along {0} lines", Note::Place::card};

}  // namespace

const Mender menders::crossings = {"crossings", "Resolve crossings", &families::crossing_faces,
                                   "resolve crossing faces along 1 line", "resolve crossing faces along {0} lines", 85, true,
                                   "Where faces cross, what they enclose together becomes one solid.", apply_crossings, &did_crossings, nullptr, false, true};

}  // namespace anvil
