// SPDX-License-Identifier: GPL-3.0-or-later
// Heaps of solids that a step takes away or adds: many at once, or group after group where they lie in each other's way.
#pragma once

#include "core/shape/with_made.h"

namespace anvil {

/// Combines as combine_with_made() does, with tools that are heaps of solids and are taken away or added. Where many solids meet the engine is given them group after group,
/// no two of one group near each other; else all at once, and group after group where rounding cannot be settled so.
Result<BooleanResult> combine_heaps(const Workpiece& part, std::vector<MadeTool> heaps, const Control& control, double contact);

}  // namespace anvil
