// SPDX-License-Identifier: GPL-3.0-or-later
// Jobs that more than one benchmark works on.
#pragma once

#include "job/job.h"

namespace anvil::bench {

/// A ring (part 1) of 100 000 triangles with 40 pins through it (parts 2 to 41), all in one step, every fourth united.
Job ring_with_forty();

/// A thousand boxes (parts 1 to 1000) side by side.
Job thousand_boxes();

/// A plate (part 1) with 500 steps that each cut another box (parts 2 to 501) out of it.
Job five_hundred_cuts();

/// A box (part 1), and twenty parts of which each is the one before, cut with the one before: what stands for the last one has two to
/// the power of twenty boxes.
Job shared_twenty_deep();

}  // namespace anvil::bench
