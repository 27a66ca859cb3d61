// SPDX-License-Identifier: GPL-3.0-or-later
// How near counts as contact, where that is asked for and where it is not.
#pragma once

#include <optional>

#include "core/types.h"

namespace anvil {

constexpr double contact_share = 1e-6;  ///< of the diagonal: the contact tolerance where none is given

/// @param asked   a length, at least 0, which turns contact off; nothing: what suits the size
/// @param bounds  of all parts together, in the same unit
inline double contact_tolerance(const std::optional<double>& asked, const Box3& bounds) { return asked ? *asked : contact_share * bounds.diagonal(); }

}  // namespace anvil
