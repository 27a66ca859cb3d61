// SPDX-License-Identifier: GPL-3.0-or-later
// Jobs that more than one benchmark works on.
#pragma once

#include "job/job.h"

namespace anvil::bench {

/// A ring (part 1) of 100 000 triangles with 40 pins through it (parts 2 to 41), all in one step, every fourth united.
Job ring_with_forty();

}  // namespace anvil::bench
