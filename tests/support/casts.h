// SPDX-License-Identifier: GPL-3.0-or-later
// The places of a cast, one by one.
#pragma once

#include <vector>

#include "job/cast.h"

namespace anvil::test {

inline std::vector<PartId> parts_of(const Cast& cast) {
  std::vector<PartId> parts;
  for (Index k = 0; k < cast.part_count(); ++k) parts.push_back(cast.part(k));
  return parts;
}
inline std::vector<StepId> steps_of(const Cast& cast) {
  std::vector<StepId> steps;
  for (Index k = 0; k < cast.step_count(); ++k) steps.push_back(cast.step(k));
  return steps;
}

}  // namespace anvil::test
