// SPDX-License-Identifier: GPL-3.0-or-later
// The long run of plane cut and mirror: random degenerate solids at planes across axes, through vertices, or anyhow.
//   build/release/tests/shape_fuzz [CASES] [FIRST_SEED]
// Results are judged by CGAL, and by the volumes of the halves.
#include "tests/support/fuzz.h"
#include "tests/support/random_shapes.h"

int main(int argc, char** argv) { return anvil::test::fuzz(argc, argv, anvil::test::what_is_wrong_with_shapes); }
