// SPDX-License-Identifier: GPL-3.0-or-later
// Results of recasting, judged sound by the referee before anything else is asked of them.
#pragma once

#include <catch2/catch.hpp>

#include "core/recast/recast.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

namespace anvil::test {

inline BooleanResult sound(Result<BooleanResult> result) {
  REQUIRE(result);
  REQUIRE_FALSE(result->mesh.empty());
  CHECK(judge(in_triangles(result->mesh)).sound());
  CHECK(result->sources.face.size() == result->mesh.face_count());
  return std::move(*result);
}

inline BooleanResult recast_of(const Mesh& mesh, const RecastSettings& settings) {
  const recast::Part part{shared(mesh), "part"};
  return sound(recast_parts({&part, 1}, settings));
}

}  // namespace anvil::test
