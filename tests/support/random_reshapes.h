// SPDX-License-Identifier: GPL-3.0-or-later
// Random reductions, smoothings and edits by hand of the forty bodies of random_cuts.h, and what must hold of their results.
#pragma once

#include <string>

namespace anvil::test {

/// To a random share or by a random deviation, edges held or not. Sound for CGAL; not farther off than asked for, by CGAL's distances at corners and middles; no more triangles than before.
std::string what_is_wrong_with_reduce(unsigned seed);
/// A few to hundreds of passes, by any strength, edges held or not. Sound for CGAL; with the volume kept, it is, where nothing was held back.
std::string what_is_wrong_with_smooth(unsigned seed);

/// A rounded skin (without sharp edges) at 1/20 to 1/80 of the size, sharpened: sound for CGAL, every face with one that it was.
std::string what_is_wrong_with_sharpen(unsigned seed);
/// Edges led on, evened out, vertices brought together, patches rebuilt at random places, of the body as it is, cut finer, or as a rounded skin. Sound for CGAL, every face with one that it was, or
/// refused with a remedy.
std::string what_is_wrong_with_hand_edges(unsigned seed);

/// A body of damage.h, damaged in one to four ways; re-skinned at 1/20 to 1/150 of its size with offset, smoothing or thinning at times: sound for CGAL, or nothing enclosed. Reduced, smoothed,
/// hollowed and blended as it is: nothing crashes, every vertex is somewhere, and what is taken as sound is so for CGAL.
std::string what_is_wrong_with_damaged(unsigned seed);

}  // namespace anvil::test
