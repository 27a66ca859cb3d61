// SPDX-License-Identifier: GPL-3.0-or-later
// What covers a cell between the strips that end there.
#pragma once

#include "core/shape/blend/strip_layout.h"

namespace anvil {

/// Rings of points, counter-clockwise from outside. Where rounds meet, a patch that is tangent to all of them (round_patch.h); chamfers have one face.
/// Nothing where strips go on in each other.
std::vector<std::vector<Index>> corner_patch(StripLayout& layout, Index cell);

}  // namespace anvil
