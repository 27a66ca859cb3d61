// SPDX-License-Identifier: GPL-3.0-or-later
// What an operation changed, for people who compare: soundness before and after, and how far the surface moved.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/mesh/deviation.h"
#include "core/soundness/report.h"

namespace anvil {

/// What was done, or would be, in order.
struct PlannedRepair {
  std::string key, words;
  std::size_t count = 0;
  std::vector<Vec3> places = {};
};

struct Comparison {
  std::vector<PlannedRepair> repairs;
  std::shared_ptr<const SoundnessReport> before, after;
  Deviation deviation;            ///< from_new has one distance for each vertex of the result
  std::vector<std::string> left;  ///< what could not be done, and why
};

}  // namespace anvil
