// SPDX-License-Identifier: GPL-3.0-or-later
// The point in which planes meet, however many there are and however they lie.
#pragma once

#include <span>

#include "core/types.h"

namespace anvil {

/// A plane by its normal, of length 1, and how far it lies from the origin along it.
struct PlaneAt {
  Vec3 normal;
  double height;
};

/// The point for which the squares of the distances from all planes sum to the least, and of several the one nearest to the origin:
/// one plane gives a point on it, two their line, three their corner (the pseudo-inverse, after Lindstrom, "Out-of-core
/// simplification of large polygonal models", SIGGRAPH 2000).
/// @param spread  directions along which the normals differ by less than this share of the most do not count
Vec3 meeting_of(std::span<const PlaneAt> planes, double spread = 1e-8);

}  // namespace anvil
