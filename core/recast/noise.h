// SPDX-License-Identifier: GPL-3.0-or-later
// A smooth random function of space.
#pragma once

#include <cstdint>

#include "core/types.h"

namespace anvil::recast {

struct NoiseSample {
  double value;   ///< within (-1, 1), on average 0
  Vec3 gradient;  ///< of the value, per unit of space
};

/// How much it changes per unit of space at most.
inline constexpr double noise_steepest = 4;

/// Gradient noise with the quintic of Perlin, "Improving noise" (SIGGRAPH 2002), on a lattice of step 1; its gradients are of length 1 and hashed by the seed.
NoiseSample noise(const Vec3& p, std::uint32_t seed);

}  // namespace anvil::recast
