// SPDX-License-Identifier: GPL-3.0-or-later
// The long run of results combined again with what made them.
//   build/release/tests/chain_fuzz [CASES] [FIRST_SEED]
// At the end it tells how many results have what is not looked for in them: flaps and grooves thinner than the tolerance.
#include "tests/support/fuzz.h"
#include "tests/support/random_chains.h"

int main(int argc, char** argv) {
  const int code = anvil::test::fuzz(argc, argv, anvil::test::what_is_wrong_with_chain);
  const auto& [results, with_flaps, with_grooves] = anvil::test::folds_seen();
  fmt::print("{} results: {} with a flap thinner than the tolerance on a thicker body, {} with such a groove\n", results, with_flaps, with_grooves);
  return code;
}
