// SPDX-License-Identifier: GPL-3.0-or-later
// What the steps have in common that throw lines onto the faces of the part.
#pragma once

#include "core/shape/curtain.h"
#include "job/step.h"

namespace anvil {

/// Fields "faces" and "through": onto which faces.
Field thrown_onto();
Field thrown_through();
/// Throws the lines along the direction, as these two fields say.
Result<StepOutput> run_throw(const StepInput& input, const std::vector<LinePiece>& lines, const Vec3& direction);

}  // namespace anvil
