// SPDX-License-Identifier: GPL-3.0-or-later
// Random reductions and smoothings of the forty bodies of random_cuts.h, and what must hold of their results.
#pragma once

#include <string>

namespace anvil::test {

/// To a random share or by a random deviation, edges held or not. Sound for CGAL; not farther off than asked for, by CGAL's distances at corners and middles; no more triangles than before.
std::string what_is_wrong_with_reduce(unsigned seed);
/// A few to hundreds of passes, by any strength, edges held or not. Sound for CGAL; with the volume kept, it is, where nothing was held back.
std::string what_is_wrong_with_smooth(unsigned seed);

/// A body of damage.h, damaged in one to four ways; re-skinned at 1/20 to 1/150 of its size with offset, smoothing or thinning at times: sound for CGAL, or nothing enclosed. Reduced, smoothed,
/// hollowed and blended as it is: nothing crashes, every vertex is somewhere, and what is taken as sound is so for CGAL.
std::string what_is_wrong_with_damaged(unsigned seed);

}  // namespace anvil::test
