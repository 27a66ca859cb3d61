// SPDX-License-Identifier: GPL-3.0-or-later
// Results against closed formulas. What is faceted exactly must agree to rounding; what approaches a curved solid must
// do so with the square of the fineness, so that a quarter of the error is left when the sides double.
#include "core/boolean/combine.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Mesh made_of(const std::vector<Operand>& operands) {
  const auto result = combine(operands);
  REQUIRE(result);
  REQUIRE(check_soundness(result->mesh).sound);
  return result->mesh;
}
Operand part(Mesh mesh, Operation operation = Operation::unite) {
  return {shared(std::move(mesh)), "part", operation};
}

/// |x| + |y| + |z| <= r
Mesh octahedron(double r) {
  Mesh mesh;
  for (int k = 0; k < 3; ++k)
    for (const double side : {-r, r}) mesh.add_vertex(Vec3::Unit(k) * side);
  for (Index x : {0u, 1u})
    for (Index y : {2u, 3u})
      for (Index z : {4u, 5u}) {
        if ((x + y + z) % 2 == 0)
          mesh.add_face({x, z, y});
        else
          mesh.add_face({x, y, z});
      }
  return mesh;
}

/// Volumes of a shape at n and at 2 n sides against the formula.
void approaches(double coarse, double fine, double exact) {
  CAPTURE(coarse, fine, exact);
  const double ratio = (exact - coarse) / (exact - fine);
  CHECK(ratio == Approx(4).epsilon(0.1));
  CHECK((4 * fine - coarse) / 3 == Approx(exact).epsilon(3e-4));
}

}  // namespace

TEST_CASE("cube and octahedron: what they have in common is the cuboctahedron, then the truncated octahedron") {
  // Cuboctahedron 5 √2 a³ / 3 with a = √2 (CRC Standard Mathematical Tables; from memory) = 20 / 3.
  const Mesh cuboctahedron = made_of({part(cube(2)), part(octahedron(2), Operation::intersection)});
  CHECK(signed_volume(cuboctahedron) == Approx(20.0 / 3).epsilon(1e-12));
  CHECK(surface_area(cuboctahedron) == Approx(2 * (6 + 2 * std::sqrt(3.0))).epsilon(1e-12));  // 6 squares, 8 triangles
  // Truncated octahedron: the octahedron of radius 3 less six pyramids of height 1 on a square of area 2 (elementary).
  const Mesh truncated = made_of({part(octahedron(3)), part(cube(4), Operation::intersection)});
  CHECK(signed_volume(truncated) == Approx(36 - 6 * 2.0 / 3).epsilon(1e-12));
  CHECK(surface_area(truncated) == Approx(2 * (6 + 12 * std::sqrt(3.0))).epsilon(1e-12));  // 6 squares, 8 hexagons
  CHECK(signed_volume(made_of({part(octahedron(3)), part(cube(4), Operation::difference)})) == Approx(6 * 2.0 / 3).epsilon(1e-12));
}

TEST_CASE("three equal cylinders along the axes have 8 (2 − √2) r³ in common") {
  // Tricylinder of Steinmetz (CRC Standard Mathematical Tables; from memory).
  auto common = [](double sides) {
    const Mesh cylinder = stock("cylinder", {2, 4, sides});
    return signed_volume(made_of({part(cylinder), part(placed(cylinder, {0, 0, 0}, {90, 0, 0}), Operation::intersection),
                             part(placed(cylinder, {0, 0, 0}, {0, 90, 0}), Operation::intersection)}));
  };
  approaches(common(48), common(96), 8 * (2 - std::sqrt(2.0)));
}

TEST_CASE("a ball drilled through its middle leaves π h³ / 6, whatever the ball") {
  // Napkin ring (Bronshtein, Handbook of Mathematics; from memory): h is what is left of the drill's length.
  for (const double hole : {3.0, 4.0}) {
    auto ring = [&](double n) {
      const Mesh ball = stock("sphere", {10, 2 * n, n}), drill = stock("cylinder", {2 * hole, 12, 2 * n});
      const Mesh mesh = made_of({part(ball), part(drill, Operation::difference)});
      CHECK(check_soundness(mesh).genus == 1);
      return signed_volume(mesh);
    };
    const double h = 2 * std::sqrt(25 - hole * hole), exact = pi * h * h * h / 6;
    const double coarse = ring(32), fine = ring(64), finest = ring(128);
    CAPTURE(hole, coarse, fine, finest);
    CHECK(std::abs(exact - fine) < std::abs(exact - coarse));
    CHECK(std::abs(exact - finest) < 0.35 * std::abs(exact - fine));
    CHECK(finest == Approx(exact).epsilon(2e-3));
  }
}

TEST_CASE("a plane cuts the cap π h² (3 R − h) / 3 off a ball") {
  // Bronshtein, Handbook of Mathematics; from memory.
  auto cap = [](double n) {
    return signed_volume(made_of({part(stock("sphere", {10, 2 * n, n})), part(placed(cube(20), {0, 0, 10 + 2.5}), Operation::intersection)}));
  };
  const double h = 2.5, exact = pi * h * h * (15 - h) / 3;
  // The cut lies on a ring of vertices when the rings are a multiple of three: the cap is then a stack of frusta.
  approaches(cap(24), cap(48), exact);
}

TEST_CASE("a torus sliced along its axis, across it and into quarters has the parts that symmetry tells") {
  const Mesh torus = stock("torus", {20, 6, 32, 16});
  const double whole = signed_volume(torus);
  CHECK(whole == Approx(2 * pi * pi * 10 * 9).epsilon(0.05));  // Pappus, for the round torus
  const Mesh halves = made_of({part(torus), part(placed(cube(40), {20, 0, 0}), Operation::intersection)});
  CHECK(signed_volume(halves) == Approx(whole / 2).epsilon(1e-9));
  CHECK(check_soundness(halves).genus == 0);
  const Mesh ring = made_of({part(torus), part(placed(cube(40), {0, 0, 20}), Operation::difference)});
  CHECK(signed_volume(ring) == Approx(whole / 2).epsilon(1e-9));
  CHECK(check_soundness(ring).genus == 1);
  const Mesh quarter = made_of({part(torus), part(placed(cube(40), {20, 20, 0}), Operation::intersection)});
  CHECK(signed_volume(quarter) == Approx(whole / 4).epsilon(1e-9));
}

TEST_CASE("bars through a cube: a sponge of the first and of the second order") {
  // Menger sponge: (20 / 27)ⁿ of the cube is left (elementary); genus 5 and 81 (from memory; the Euler characteristic of
  // the result is counted by the soundness check, and by CGAL's count of shells and volume beside it).
  std::vector<Operand> operands{part(cube(27))};
  auto drill = [&](double width, double x, double y) {
    const Mesh along_z = placed(stock("box", {width, width, 40}), {x, y, 0});
    operands.push_back(part(along_z, Operation::difference));
    for (const auto& [i, j, k] : {std::array{1, 2, 0}, std::array{2, 0, 1}}) {
      Mesh turned = along_z;
      for (Vec3& p : turned.positions) p = Vec3(p[i], p[j], p[k]);
      operands.push_back(part(turned, Operation::difference));
    }
  };
  drill(9, 0, 0);
  const Mesh first = made_of(operands);
  CHECK(signed_volume(first) == Approx(27 * 27 * 27 * 20.0 / 27).epsilon(1e-12));
  CHECK(check_soundness(first).genus == 5);
  for (const double x : {-9, 0, 9})
    for (const double y : {-9, 0, 9})
      if (x != 0 || y != 0) drill(3, x, y);
  const Mesh second = made_of(operands);
  CHECK(signed_volume(second) == Approx(27 * 27 * 27 * std::pow(20.0 / 27, 2)).epsilon(1e-12));
  CHECK(check_soundness(second).genus == 81);
  const Judgement judged = judge(in_triangles(second));
  CHECK(judged.sound());
  CHECK(judged.shells == 1);
  CHECK(judged.volume == Approx(27 * 27 * 27 * std::pow(20.0 / 27, 2)).epsilon(1e-12));
}

TEST_CASE("a chain of frusta bored by a stepped drill: volumes of prisms and pyramids to rounding") {
  // Frustum of a regular pyramid: h (A + B + √(A B)) / 3 (elementary).
  const double n = 20, a = polygon_area(n, 10), b = polygon_area(n, 4);
  const double frustum = 12 * (a + b + std::sqrt(a * b)) / 3;
  const Mesh lower = stock("frustum", {20, 8, 12, n});
  CHECK(signed_volume(lower) == Approx(frustum).epsilon(1e-12));
  const Mesh upper = placed(lower, {0, 0, 12});  // its foot on the lower one's top
  const Mesh pair = made_of({part(lower), part(upper)});
  CHECK(signed_volume(pair) == Approx(2 * frustum).epsilon(1e-9));
  CHECK(check_soundness(pair).shells == 1);
  // The wide step ends flush with the foot, the narrow one goes right through.
  const Mesh wide = placed(stock("cylinder", {6, 6, n}), {0, 0, -3}), narrow = placed(stock("cylinder", {4, 40, n}), {0, 0, 6});
  const Mesh bored = made_of({part(lower), part(upper), part(wide, Operation::difference), part(narrow, Operation::difference)});
  CHECK(signed_volume(bored) == Approx(2 * frustum - 6 * polygon_area(n, 3) - 18 * polygon_area(n, 2)).epsilon(1e-9));
  CHECK(check_soundness(bored).genus == 1);
}
