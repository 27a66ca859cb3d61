// SPDX-License-Identifier: GPL-3.0-or-later
// What chamfer and round have in common.
#pragma once

#include "core/shape/blend/blend.h"
#include "job/step_parts.h"

namespace anvil {

/// "edges": fresh ones at first.
Field finish_edges_field();
/// "material": the slot of the new faces.
Field finish_material_field();
Result<StepOutput> run_finish(const StepInput& input, const Field& rule, const EdgeBlendSettings& settings);

}  // namespace anvil
