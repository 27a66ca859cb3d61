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

/// What people compare at a glance.
struct Numbers {
  std::size_t triangles = 0;
  double volume = 0, area = 0;  ///< in units of the coordinates
  bool closed = false;          ///< else the volume is none
};
Numbers numbers_of(const Mesh& mesh);

struct Comparison {
  std::vector<PlannedRepair> repairs;
  Numbers numbers_before, numbers_after;
  std::shared_ptr<const SoundnessReport> before, after;  ///< both or none
  Deviation deviation;            ///< from_new has one distance for each vertex of the result
  std::vector<std::string> left;  ///< what could not be done, and why
};

/// Numbers and deviation of two meshes, without a look for flaws. Throws Stopped.
Comparison compare(const Mesh& before, const Mesh& after, const std::stop_token& stop = {});

}  // namespace anvil
