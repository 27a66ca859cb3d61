// SPDX-License-Identifier: GPL-3.0-or-later
// Random reductions and smoothings of the forty bodies of random_cuts.h, and what must hold of their results.
#pragma once

#include <string>

namespace anvil::test {

/// To a random share or by a random deviation, edges held or not. Sound for CGAL; not farther off than asked for, by CGAL's distances at corners and middles; no more triangles than before.
std::string what_is_wrong_with_reduce(unsigned seed);
/// A few to hundreds of passes, by any strength, edges held or not. Sound for CGAL; with the volume kept, it is, where nothing was held back.
std::string what_is_wrong_with_smooth(unsigned seed);

}  // namespace anvil::test
