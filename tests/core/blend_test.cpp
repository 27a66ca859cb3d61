// SPDX-License-Identifier: GPL-3.0-or-later
// Chamfers and rounds against closed formulas, and a share of the long random run.
#include <catch2/catch.hpp>

#include "core/mesh/edge_rule.h"
#include "core/shape/blend/blend.h"
#include "tests/support/meshes.h"
#include "tests/support/random_cuts.h"
#include "tests/support/random_finishes.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Workpiece as_workpiece(const Mesh& mesh) { return {shared(mesh), "part", true}; }

BooleanResult finished(const Mesh& mesh, const EdgeRule& rule, EdgeBlendSettings settings) {
  const EdgeTable edges = build_edges(mesh);
  Result<BooleanResult> result = blend_edges(as_workpiece(mesh), edges, edges_by_rule(mesh, edges, rule, {}), settings);
  REQUIRE(result);
  CHECK(judge(in_triangles(result->mesh)).sound());
  return std::move(*result);
}
double volume_after(const BooleanResult& result) { return signed_volume(result.mesh); }

EdgeBlendSettings chamfer(double width) { return {false, width}; }
EdgeBlendSettings round_of(double radius, Index segments) {
  EdgeBlendSettings settings{true, radius};
  settings.segments = segments;
  return settings;
}

/// Edges of a box along z.
std::vector<Index> upright(const Mesh& mesh, const EdgeTable& edges) {
  std::vector<Index> list;
  for (Index e = 0; e < edges.size(); ++e)
    if ((mesh.positions[edges.vertices[e][0]] - mesh.positions[edges.vertices[e][1]]).head<2>().norm() < 1e-9) list.push_back(e);
  return list;
}

}  // namespace

TEST_CASE("a cube with all its edges chamfered keeps a³ − 6ac² + 6c³, and beyond the middle of its faces what fits") {
  // Elementary: the planes cut triangular prisms off, of which three overlap at each corner.
  for (double c : {1e-5, 0.5, 1.0, 2.0, 4.9}) CHECK(volume_after(finished(cube(10), {EdgeRule::By::all}, chamfer(c))) == Approx(1000 - 60 * c * c + 6 * c * c * c).epsilon(1e-9));
  for (double c : {6.0, 9.0, 1000.0}) {
    const BooleanResult result = finished(cube(10), {EdgeRule::By::all}, chamfer(c));
    CHECK(volume_after(result) < 1000 - 60 * 4.5 * 4.5 + 6 * 4.5 * 4.5 * 4.5);
    CHECK(told(result.report, "edges_narrower"));
    CHECK_FALSE(told(result.report, "edges_left"));
  }
  CHECK(finished(cube(10), {EdgeRule::By::all}, chamfer(1)).mesh.face_count() == 18);
}

TEST_CASE("four parallel edges chamfered leave a³ − 2ac²; two widths and a width with an angle take their triangles") {
  const Mesh box = cube(10);
  const EdgeTable edges = build_edges(box);
  const std::vector<Index> list = upright(box, edges);
  REQUIRE(list.size() == 4);
  EdgeBlendSettings settings = chamfer(1.5);
  CHECK(volume_after(*blend_edges(as_workpiece(box), edges, list, settings)) == Approx(1000 - 2 * 10 * 1.5 * 1.5).epsilon(1e-9));
  settings.second_width = 3;
  CHECK(volume_after(*blend_edges(as_workpiece(box), edges, list, settings)) == Approx(1000 - 4 * 10 * 1.5 * 3 / 2).epsilon(1e-9));
  settings.second_width = 0;
  settings.angle = 30;
  CHECK(volume_after(*blend_edges(as_workpiece(box), edges, list, settings)) == Approx(1000 - 4 * 10 * 1.5 * 1.5 * std::tan(pi / 6) / 2).epsilon(1e-9));
}

TEST_CASE("a rounded cube converges by second order") {
  // (a−2r)³ + 6r(a−2r)² + 3πr²(a−2r) + 4/3 πr³: Steiner's formula (Bronshtein, Handbook of Mathematics; from memory).
  const double a = 10, r = 2, b = a - 2 * r, exact = b * b * b + 6 * r * b * b + 3 * pi * r * r * b + 4.0 / 3 * pi * r * r * r;
  double before = 0;
  for (Index n : {4u, 8u, 16u, 32u}) {
    const double off = exact - volume_after(finished(cube(a), {EdgeRule::By::all}, round_of(r, n)));
    CHECK(off > 0);
    if (before > 0) CHECK(before / off == Approx(4).epsilon(0.05));
    before = off;
  }
}

TEST_CASE("the rim of a faceted hole gets one strip of quads, and loses what a frustum of polygons has more than the prism") {
  const Mesh holed = combine({{shared(stock("box", {40, 40, 10})), "plate", Operation::unite}, {shared(stock("cylinder", {20, 30, 72})), "hole", Operation::difference}})->mesh;
  const BooleanResult result = finished(holed, {EdgeRule::By::sharp, 80}, chamfer(1));
  const double t = 72 * std::tan(pi / 72), a = 10 * std::cos(pi / 72), b = a + 1;
  const double rim = t / 3 * (a * a + a * b + b * b) - t * a * a;
  // The box loses its own edges as well: 12 of them, as a cube does.
  const double edges = (40 + 40 + 10) * 4 * 0.5 - 8 * 0.75;
  CHECK(volume_after(result) == Approx(signed_volume(holed) - 2 * rim - edges).epsilon(1e-9));
  // 6 sides, of which two are rings cut once; 12 chamfers, 72 facets, 2 × 72 quads.
  std::size_t quads = 0;
  for (Index f = 0; f < result.mesh.face_count(); ++f) quads += result.mesh.face(f).size() == 4;
  CHECK(quads >= 3 * 72);
}

TEST_CASE("a concave edge gains what a convex one loses") {
  const Mesh bracket = combine({{shared(stock("box", {30, 20, 10})), "foot", Operation::unite}, {shared(placed(stock("box", {10, 20, 30}), {-10, 0, 10})), "wall", Operation::unite}})->mesh;
  const EdgeTable edges = build_edges(bracket);
  std::vector<Index> concave, convex;
  for (Index e : edges_by_rule(bracket, edges, {EdgeRule::By::sharp, 45}, {})) {
    const Vec3 middle = (bracket.positions[edges.vertices[e][0]] + bracket.positions[edges.vertices[e][1]]) / 2;
    if ((middle - Vec3(-5, 0, 5)).norm() < 1e-6) concave.push_back(e);
    if ((middle - Vec3(15, 0, 5)).norm() < 1e-6) convex.push_back(e);
  }
  REQUIRE(concave.size() == 1);
  REQUIRE(convex.size() == 1);
  const double before = signed_volume(bracket);
  for (const EdgeBlendSettings& settings : {chamfer(2), round_of(2, 6)}) {
    const double gained = volume_after(*blend_edges(as_workpiece(bracket), edges, concave, settings)) - before, lost = before - volume_after(*blend_edges(as_workpiece(bracket), edges, convex, settings));
    CHECK(gained == Approx(lost).epsilon(1e-9));
    CHECK(gained == Approx(settings.round ? 20 * (4 - 6 * 0.5 * 4 * std::sin(pi / 12)) : 20 * 2.0).epsilon(1e-9));
  }
}

TEST_CASE("all edges of a ball are finished at widths that fit and that do not") {
  // At its poles 24 edges meet.
  const Mesh ball = stock("sphere", {20, 24, 8});
  const EdgeTable edges = build_edges(ball);
  double before = signed_volume(ball);
  for (double width : {0.0005, 0.02, 0.2}) {
    const BooleanResult result = finished(ball, {EdgeRule::By::all}, chamfer(width));
    CHECK(volume_after(result) < before);
    before = volume_after(result);
    // One face is left of each face, and one is made for each edge and each vertex.
    CHECK(result.mesh.face_count() == ball.face_count() + edges.size() + ball.positions.size());
  }
}

TEST_CASE("random chamfers and rounds are done, sound, and take or add what they must") {
  // A share of build/release/tests/cut_fuzz finish.
  for (unsigned seed = 1; seed < 100; ++seed) {
    INFO("seed " << seed);
    CHECK(what_is_wrong_with_finish(seed) == "");
  }
  // Concave edges that run up to spikes; a facet whose trim lines lie within a rounding of each other; runs across a ridge; a facet that touches itself;
  // a facet taken away though no strip lies over it; a straight strip over a hump; strips beside curved sides that lie on the wrong one; facets bent where rounds run on over each other.
  for (unsigned seed : {176u, 1364u, 20050u, 20329u, 100587u, 110940u, 130690u, 20131u, 141378u, 111101u, 121395u, 140966u, 142710u, 131404u}) {
    INFO("seed " << seed);
    CHECK(what_is_wrong_with_finish(seed) == "");
  }
}

TEST_CASE("a crease that bends away over a hump is filled in pieces, not left for one straight strip") {
  // Three bars of radius 10 that cross; along each crease the angle goes down from square to nothing.
  const Mesh bars = body(21);
  const EdgeTable edges = build_edges(bars);
  std::vector<Index> creases;
  for (Index e : edges_by_rule(bars, edges, {EdgeRule::By::sharp, 0.02}, {})) {
    const auto uses = edges.corners_of(e);
    const auto normal = [&](std::size_t k) { return newell_normal(bars.positions, bars.face(edges.corner_face[uses[k]])); };
    const Vec3 along = bars.positions[bars.corners[uses[1]]] - bars.positions[bars.corners[uses[0]]];
    if (normal(0).cross(normal(1)).dot(along) < 0) creases.push_back(e);
  }
  REQUIRE(creases.size() == 96);
  const Result<BooleanResult> result = blend_edges(as_workpiece(bars), edges, creases, round_of(7, 2));
  REQUIRE(result);
  CHECK(judge(in_triangles(result->mesh)).sound());
  CHECK(volume_after(*result) > signed_volume(bars));
  CHECK(count_told(result->report, "edges_left") < creases.size() / 2);
}
