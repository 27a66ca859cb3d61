// SPDX-License-Identifier: GPL-3.0-or-later
// The long run of flat polygons that are cut as wholes: prisms over concave outlines and frames, flush and crossing.
//   build/release/tests/facet_fuzz [CASES] [FIRST_SEED]
// Results are judged by CGAL and compared with those of the same solids in triangles.
#include "tests/support/fuzz.h"
#include "tests/support/random_prisms.h"

int main(int argc, char** argv) { return anvil::test::fuzz(argc, argv, anvil::test::what_is_wrong_with_prisms); }
