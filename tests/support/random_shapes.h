// SPDX-License-Identifier: GPL-3.0-or-later
// Random solids cut and mirrored at random planes, and what must hold of the results.
#pragma once

#include <string>

namespace anvil::test {

/// Unites a random pair (random_solids.h), cuts it by a plane, open and closed, keeps one side, the other and both, and
/// mirrors it both ways. Closed results must be sound for CGAL; open ones must have the same faces but for the cap; the
/// halves' volumes must sum to the whole, mirrored halves have twice theirs, and a copy twice the whole less what overlaps.
/// @return "" when all holds
std::string what_is_wrong_with_shapes(unsigned seed);

}  // namespace anvil::test
