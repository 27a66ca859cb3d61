// SPDX-License-Identifier: GPL-3.0-or-later
// Turns by degrees, exact at the quarter turns.
#pragma once

#include <array>

#include "core/types.h"

namespace anvil {

/// Sine and cosine of an angle in degrees, exact at multiples of 90.
std::array<double, 2> sine_cosine(double degrees);

/// A turn about a line through a point, counter-clockwise seen against `axis`, which is of any length but zero.
Affine turn_about(const Vec3& point, const Vec3& axis, double degrees);

}  // namespace anvil
