// SPDX-License-Identifier: GPL-3.0-or-later
// The long run of results combined again with what made them.
//   build/release/tests/chain_fuzz [CASES] [FIRST_SEED]
#include "tests/support/fuzz.h"
#include "tests/support/random_chains.h"

int main(int argc, char** argv) { return anvil::test::fuzz(argc, argv, anvil::test::what_is_wrong_with_chain); }
