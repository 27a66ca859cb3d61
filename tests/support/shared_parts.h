// SPDX-License-Identifier: GPL-3.0-or-later
// Parts that share parts.
#pragma once

#include "job/edit.h"

namespace anvil::test {

/// Adds a part that is the last one, cut with the last one: it stands for twice as many parts.
inline Job with_level(Job job) {
  const PartId before = job.parts.back()->id;
  Part part;
  part.name = "Level";
  part.source = PartSource{before, nullptr};
  PartId id = 0;
  job = edit::add_part(job, part, &id);
  return *edit::combine(job, id, {before}, Operation::intersection);
}

}  // namespace anvil::test
