// SPDX-License-Identifier: GPL-3.0-or-later
// Parts brought as far as single stages of the engine need them.
#pragma once

#include <catch2/catch.hpp>

#include "core/boolean/arrangement.h"
#include "tests/support/meshes.h"

namespace anvil::test {

using namespace anvil::boolean;

/// Parts as the first stages see them, with every triangle in the soup.
struct GatheredParts {
  std::vector<PreparedPtr> parts;
  Untouched untouched;
  Soup soup;

  explicit GatheredParts(const std::vector<Mesh>& meshes) {
    for (const Mesh& mesh : meshes) {
      Operand operand{shared(mesh), "part"};
      auto part = prepare(operand, false, {});
      REQUIRE(part);
      parts.push_back(*part);
    }
    untouched = find_untouched(parts, 0, true, {});
    soup = gather(untouched, std::vector<char>(parts.size(), 0)).soup;
  }

  /// The soup by stages 2 to 5. @param cuts  what the parts cut into each other
  Arrangement arranged(Cuts& cuts) {
    const auto pairs = find_pairs(soup, {}, {});
    weld_parts(soup, pairs);
    Arrangement arrangement(soup.points);
    cuts = intersect(soup, pairs, arrangement.points, {});
    cross_segments(soup, cuts, arrangement.points, {});
    subdivide(soup, cuts, arrangement, {});
    return arrangement;
  }
};

}  // namespace anvil::test
