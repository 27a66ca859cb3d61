// SPDX-License-Identifier: GPL-3.0-or-later
// What would not end in any time worth waiting for where all pairs, all corners or all triples are tried. Nothing is timed here (bench/
// soundness_bench does that): each would take far longer than tests may.
#include <catch2/catch.hpp>

#include <numbers>
#include <random>

#include "core/boolean/combine.h"
#include "core/io/faces.h"
#include "core/mesh/edges.h"
#include "core/modify/edits.h"
#include "core/soundness/check.h"
#include "core/soundness/readings.h"
#include "tests/support/hard_meshes.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

TEST_CASE("sixty-four thousand shells beside each other are all counted") {
  const SoundnessReport report = check_soundness(boxes_beside(64'000));
  CHECK(report.sound);
  CHECK(report.shells == 64'000);
  CHECK(report.volume == Approx(64'000));
}

TEST_CASE("forty thousand faces around two vertices: sound, crossed where a spike crosses them, and cut by a tool that misses them") {
  constexpr int sides = 20'000;
  const Mesh cone = double_cone(sides);
  // Two cones on a regular polygon: height times area over three (Euclid, Elements XII 10).
  const double volume = 2 * polygon_area(sides, 10) * 10 / 3;
  const SoundnessReport report = check_soundness(cone);
  CHECK(report.sound);
  CHECK(report.volume == Approx(volume).epsilon(1e-9));
  // One face of the upper cone pulled through the others.
  Mesh crossed = cone;
  crossed.positions[2 + sides / 4] = {0, -12, 1};
  CHECK(check_soundness(crossed).count(families::crossing_faces) > 0);
  const Mesh tool = placed(stock("box", {1, 1, 1}), {30, 0, 0});
  const auto cut = combine({{shared(cone), "cone"}, {shared(tool), "tool", Operation::difference}});
  REQUIRE(cut);
  CHECK(signed_volume(cut->mesh) == Approx(volume).epsilon(1e-9));
}

TEST_CASE("faces in any order are checked beside one that lies far away from all others") {
  const Mesh mesh = shuffled_with_stray(7);
  const SoundnessReport report = check_soundness(mesh);
  CHECK(report.sound);
  CHECK(report.shells == 2);
}

TEST_CASE("a polygon of two thousand corners is read in all ways, and one that goes around a square two hundred times is not sound") {
  const Mesh prism = stock("cylinder", {20, 10, 2000});
  CHECK(check_any_reader(prism).sound);
  CHECK_FALSE(check_soundness(wound_cube(234)).sound);
}

TEST_CASE("of a polygon of two thousand corners that fans fold over, enough readings are looked at to say so, and how many were left out") {
  const Mesh wheel = toothed_wheel(2000);
  CHECK(check_soundness(wheel).sound);
  std::size_t left_out = 0;
  CHECK_FALSE(check_any_reader(wheel, {}, &left_out).sound);
  CHECK(left_out > 0);
  CHECK_FALSE(check_any_reader(toothed_wheel(100), {}, &left_out).sound);
  CHECK(left_out == 0);
}

TEST_CASE("a face that is there fifty thousand times lies on itself, and crosses nothing") {
  Mesh mesh;
  mesh.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
  for (int k = 0; k < 50'000; ++k) mesh.add_face({0, 1, 2});
  const SoundnessReport report = check_soundness(mesh);
  CHECK(report.count(families::doubled_faces) == 49'999);
  CHECK(report.count(families::crossing_faces) == 0);
}

TEST_CASE("ten thousand faces with one edge cross nowhere, unless one lies in another") {
  constexpr Index pages = 10'000;
  Mesh book;
  book.positions = {{0, 0, 0}, {0, 0, 1}};
  for (Index k = 0; k < pages; ++k) {
    const double angle = 2 * pi * k / pages;
    book.positions.push_back({std::cos(angle), std::sin(angle), 0.5});
    book.add_face({0, 1, 2 + k});
  }
  CHECK(check_soundness(book).count(families::crossing_faces) == 0);
  book.positions[2 + 777] = 0.5 * book.positions[2 + 778];  // exact
  CHECK(check_soundness(book).count(families::crossing_faces) == 2);
}

TEST_CASE("what crosses itself in more places than memory holds is refused in words") {
  // Four hundred and fifty triangles around one point: each is crossed by all others, and what they cut into it crosses as well.
  std::mt19937 random(5);
  std::normal_distribution<double> number;
  Mesh hedge;
  for (Index k = 0; k < 450; ++k) {
    const Vec3 a(number(random), number(random), number(random)), b(number(random), number(random), number(random));
    for (const Vec3& p : {a, b, Vec3(-a - b)}) hedge.positions.push_back(p);
    hedge.add_face({3 * k, 3 * k + 1, 3 * k + 2});
  }
  CombineSettings settings;
  settings.resolve = true;
  const auto result = combine({{shared(hedge), "hedge"}}, {}, settings);
  REQUIRE_FALSE(result);
  CHECK(result.issue().message().find("too many") != std::string::npos);
}

TEST_CASE("the ends of a prism of twenty thousand sides are written whole") {
  const Mesh prism = long_rimmed_prism(20'000);
  CHECK(convex_faces(prism).corners == prism.corners);
}

TEST_CASE("a ragged rim of twenty thousand vertices is closed, and one of twelve hundred without a crossing") {
  for (const int around : {1200, 20'000}) {
    INFO(around << " around");
    const Mesh tube = ragged_tube(around, 3);
    const Topology topology(tube);
    const auto first = static_cast<Index>(around);
    const Index rim = topology.edge_between(first, first + 1);
    REQUIRE(topology.faces_on(rim).size() == 1);
    const auto filled = fill_holes(tube, topology, std::vector<Index>{rim}, FillShape::fitting);
    REQUIRE(filled);
    CHECK(filled->done == 1);
    const EdgeTable edges = build_edges(filled->mesh.mesh);
    std::size_t open = 0;
    for (Index e = 0; e < edges.size(); ++e) open += edges.corners_of(e).size() != 2;
    CHECK(open == 0);
    CHECK(signed_volume(filled->mesh.mesh) == Approx(polygon_area(around, 20) * 20).epsilon(0.03));
    if (around > 2000) continue;  // the judge takes half a minute
    CHECK(judge(filled->mesh.mesh).sound());
  }
}
