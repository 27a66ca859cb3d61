// SPDX-License-Identifier: GPL-3.0-or-later
// Random chamfers and rounds, and what must hold of their results.
#pragma once

#include <cstddef>
#include <string>

namespace anvil::test {

/// Chamfers or rounds edges of a body by a random rule, by widths from 1e-5 to half of its size. Bodies are those of random_cuts.h, random stock combined flush and turned, and
/// of that what was finished before, reduced, re-skinned, made rough, or damaged and mended.
/// It must be done within 20 s and never be refused, the result sound for CGAL, and the volume fall where all edges are convex and rise where all are concave.
/// @return "" when all holds
std::string what_is_wrong_with_finish(unsigned seed);

/// What has been seen in all cases of this process.
struct FinishesSeen {
  std::size_t cases = 0, edges = 0, narrower = 0, left = 0, cases_narrower = 0, cases_left = 0;
  double slowest = 0;  ///< seconds
};
const FinishesSeen& finishes_seen();

}  // namespace anvil::test
