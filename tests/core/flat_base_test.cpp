// SPDX-License-Identifier: GPL-3.0-or-later
// Flat bases: volumes by closed formulas, soundness by CGAL.
#include <catch2/catch.hpp>

#include "core/shape/flat_base.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Result<BooleanResult> based(const Mesh& mesh, const FlatBaseSettings& settings) {
  return flat_base({shared(mesh), "part"}, settings);
}
double sound_volume(const Result<BooleanResult>& result) {
  REQUIRE(result);
  CHECK(judge(in_triangles(result->mesh)).sound());
  CHECK(result->sources.face.size() == result->mesh.face_count());
  return signed_volume(result->mesh);
}
double lowest(const Mesh& mesh) { return bounds(mesh).lo.z(); }

/// A sheet over a square, with a hill in its middle.
Mesh hill(int cells, double side, double height) {
  Mesh mesh;
  for (int i = 0; i <= cells; ++i)
    for (int j = 0; j <= cells; ++j) {
      const double x = side * i / cells, y = side * j / cells;
      mesh.add_vertex({x, y, 5 + height * std::sin(pi * x / side) * std::sin(pi * y / side)});
    }
  const auto at = [&](int i, int j) { return static_cast<Index>(i * (cells + 1) + j); };
  for (int i = 0; i < cells; ++i)
    for (int j = 0; j < cells; ++j) {
      mesh.add_face({at(i, j), at(i + 1, j), at(i + 1, j + 1)});
      mesh.add_face({at(i, j), at(i + 1, j + 1), at(i, j + 1)});
    }
  return mesh;
}

}  // namespace

TEST_CASE("a closed part is cut flat, and stands on a foot where one is asked for") {
  const Mesh ball = stock("sphere", {20, 96, 48});
  FlatBaseSettings settings;
  settings.point = {0, 0, -6};
  const double cut = sound_volume(based(ball, settings));
  // Without a cap of height 4: π h² (3 r − h) / 3.
  CHECK(cut == Approx(4 * pi * 1000 / 3 - pi * 16 * 26 / 3).epsilon(0.01));
  settings.foot = 3;
  const Result<BooleanResult> standing = based(ball, settings);
  // On a cylinder whose radius is that of the cut, 8.
  CHECK(sound_volume(standing) - cut == Approx(3 * pi * 64).epsilon(0.01));
  CHECK(lowest(standing->mesh) == Approx(-9));
  // A tube stands on a ring, and other directions are as good.
  const Mesh ring = placed(stock("torus", {40, 10, 96, 48}), {0, 0, 0}, {90, 0, 0});
  settings.point = {0, 0, 0};
  settings.foot = 2;
  CHECK(sound_volume(based(ring, settings)) == Approx(pi * pi * 20 * 25 + 2 * 2 * pi * 25).epsilon(0.01));
  settings.normal = {0, 1, 0};
  settings.point = {0, 0, 0};
  CHECK(sound_volume(based(ring, settings)) == Approx(pi * pi * 20 * 25 + 2 * pi * (625 - 225)).epsilon(0.01));
  settings.point = {0, 100, 0};
  const Result<BooleanResult> nothing = based(ring, settings);
  REQUIRE(nothing);
  CHECK(nothing->mesh.empty());
  CHECK_FALSE(nothing->report.empty_reason.empty());
}

TEST_CASE("an open scan is stretched down to its base; where its border crosses itself the engine settles it") {
  const Mesh sheet = hill(24, 40, 10);
  FlatBaseSettings settings;
  // The mean of sin · sin over the square is 4 / π².
  const double under = 40 * 40 * (5 + 10 * 4 / (pi * pi));
  Result<BooleanResult> made = based(sheet, settings);
  CHECK(sound_volume(made) == Approx(under).epsilon(0.005));
  CHECK(lowest(made->mesh) == 0);
  CHECK(made->report.done.front().what() == "borders_stretched");
  // Its own faces are as they were.
  std::size_t own = 0;
  for (Index f : made->sources.face) own += f != no_index;
  CHECK(own == sheet.face_count());
  // Cut through the hill, on a foot: what stands above goes on down.
  settings.point = {0, 0, 9};
  settings.foot = 2;
  made = based(sheet, settings);
  CHECK(lowest(made->mesh) == Approx(7));
  CHECK(sound_volume(made) > 0);
  // A hole on top is left and told.
  const Mesh holed = without_faces(sheet, {2 * (12 * 24 + 12)});
  settings.point = {0, 0, 0};
  settings.foot = 0;
  made = based(holed, settings);
  REQUIRE(made);
  CHECK(places_told(made->report, "borders_left").size() == 1);
  // A border that leans over and crosses itself seen from above.
  Mesh folded = sheet;
  for (Vec3& p : folded.positions)
    if (p.x() == 0) p += Vec3(6 * std::sin(p.y()), 9 * std::sin(1.7 * p.y()), 0);
  made = based(folded, settings);
  CHECK(sound_volume(made) == Approx(under).epsilon(0.25));
  CHECK(lowest(made->mesh) == Approx(0).margin(1e-9));
}
