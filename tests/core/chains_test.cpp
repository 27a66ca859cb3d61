// SPDX-License-Identifier: GPL-3.0-or-later
// Results combined again with what made them leave no skins.
#include <tbb/parallel_for.h>

#include <catch2/catch.hpp>

#include "core/boolean/combine.h"
#include "core/io/mesh_file.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/random_chains.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

TEST_CASE("a drilled box split by its own copy is one piece, without skins") {
  // The identity A split by A = A (elementary). The copy was drilled by a tool of its own, so its rounding is another one.
  const Mesh box = stock("box", {40, 40, 20});
  for (const double turn : {0.0, 15.0, 37.0}) {
    const Vec3 angles(turn, 0, turn / 2);
    const auto drilled = [&] {
      return combine({{shared(placed(box, Vec3::Zero(), angles)), "box"},
                      {shared(placed(stock("cylinder", {20, 40, 64}), Vec3::Zero(), angles)), "pin", Operation::difference}})
          ->mesh;
    };
    const Mesh one = drilled();
    const Mesh copy = placed(placed(one, Vec3::Zero(), Vec3(0, 0, 120)), Vec3::Zero(), Vec3(0, 0, -120));
    const auto split = combine({{shared(one), "one"}, {shared(copy), "copy", Operation::split}});
    REQUIRE(split);
    CHECK(split->pieces == 1);
    CHECK(shell_count(split->mesh) == 1);
    CHECK(check_soundness(split->mesh).sound);
    CHECK(combine({{shared(one), "one"}, {shared(copy), "copy", Operation::difference}})->mesh.empty());
  }
}

TEST_CASE("a contact tolerance of nothing leaves every cell what it is") {
  // Two boxes with a gap of a billionth between them, in a third: with tolerance one cavity, without a wall between two.
  const Mesh part = stock("box", {10, 10, 10}), left = placed(stock("box", {2, 2, 2}), {-1, 0, 0}),
             right = placed(stock("box", {2, 2, 2}), {1 + 1e-9, 0, 0});
  const std::vector<Operand> operands{{shared(part), "part"}, {shared(left), "left", Operation::difference}, {shared(right), "right", Operation::difference}};
  CHECK(shell_count(combine(operands)->mesh) == 2);
  CHECK(shell_count(combine(operands, {}, {0})->mesh) == 3);
}

TEST_CASE("a thick lump on a wide skin stays, and the skin goes") {
  // A plate raised by far less than the tolerance and a block on it, taken out of the plate's own copy: what is left of the
  // plate is skin, what is left of the block is not. Volume of the block: elementary.
  const Mesh plate = stock("box", {100, 100, 10}), block = placed(stock("box", {4, 4, 4}), {0, 0, 7});
  const auto raised = combine({{shared(placed(plate, {0, 0, 1e-7})), "raised"}, {shared(block), "block", Operation::unite}}, {}, {0});
  REQUIRE(raised);
  const auto left = combine({{shared(raised->mesh), "raised"}, {shared(plate), "plate", Operation::difference}}, {}, {1e-4});
  REQUIRE(left);
  CHECK(shell_count(left->mesh) == 1);
  CHECK(check_soundness(left->mesh).volume == Approx(4 * 4 * 4).epsilon(1e-6));
}

TEST_CASE("parts whose faces coincide but for rounding, in many layers, are combined on a grid far below the tolerance") {
  // Found by the long random run (chain 10245). That the union is no larger than both together is elementary.
  const std::filesystem::path data = TEST_DATA;
  const Mesh a = read_mesh(data / "many-layers-a.off")->mesh, b = read_mesh(data / "many-layers-b.off")->mesh;
  const auto result = combine({{shared(a), "A"}, {shared(b), "B", Operation::unite}}, {}, {1.5e-5});
  REQUIRE(result);
  CHECK(judge(in_triangles(result->mesh)).sound());
  CHECK(thinnest_shell(result->mesh) > 1.5e-5);
  const double most = signed_volume(a) + signed_volume(b), volume = signed_volume(result->mesh);
  CHECK(volume <= most * (1 + 1e-9));
  CHECK(volume >= std::max(signed_volume(a), signed_volume(b)) * (1 - 1e-6));
  CHECK(!told(result->report, "rounding_not_settled"));
  // Every face still knows where it comes from.
  for (std::size_t f = 0; f < result->mesh.face_count(); ++f) REQUIRE(result->sources.face[f] < (result->sources.input[f] == 0 ? a : b).face_count());
}

TEST_CASE("40 random chains: results combined again with what made them are as the identities of sets say, without skins") {
  // A share of tests/core/chain_fuzz.cpp.
  std::vector<std::string> wrong(40);
  tbb::parallel_for(std::size_t{0}, wrong.size(), [&](std::size_t k) { wrong[k] = what_is_wrong_with_chain(static_cast<unsigned>(k + 1)); });
  for (std::size_t k = 0; k < wrong.size(); ++k) {
    INFO("seed " << k + 1);
    CHECK(wrong[k] == "");
  }
}

TEST_CASE("a flap and a groove thinner than the tolerance are seen by the measure that the chains are told by") {
  // A slot of 1e-7 in a block, and a fin of 1e-7 on one: each has two wide faces that look at each other, or away.
  auto sheet = [](double x) {
    Mesh mesh = placed(stock("box", {3, 3, 1}), {x, 0, 0});
    for (Vec3& p : mesh.positions) p.z() *= 1e-7;
    return mesh;
  };
  const Mesh block = cube(4), slot = sheet(2), fin = sheet(2.5);
  const auto slotted = combine({{shared(block), "block"}, {shared(slot), "slot"}}, {}, {0});
  const auto finned = combine({{shared(block), "block"}, {shared(fin), "fin", Operation::unite}}, {}, {0});
  REQUIRE(slotted);
  REQUIRE(finned);
  CHECK(folds(slotted->mesh, 1e-6).grooves > 0);
  CHECK(folds(slotted->mesh, 1e-6).flaps == 0);
  CHECK(folds(finned->mesh, 1e-6).flaps > 0);
  CHECK(folds(finned->mesh, 1e-6).grooves == 0);
  CHECK(folds(finned->mesh, 1e-8).flaps == 0);
}

TEST_CASE("the measure of skins takes a leaf for thin, and a splinter as thick as its thick end") {
  // A leaf of 1e-6; of a pyramid the mean is a third of the height, by the formula of its volume.
  Mesh leaf = stock("box", {3, 3, 1});
  for (Vec3& p : leaf.positions) p.z() *= 1e-6;
  CHECK(thinnest_shell(leaf) == Approx(1e-6).epsilon(1e-5));
  Mesh splinter;
  splinter.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 3e-6}};
  for (const Triangle& t : {Triangle{0, 2, 1}, Triangle{0, 1, 3}, Triangle{1, 2, 3}, Triangle{2, 0, 3}}) splinter.add_face(t);
  CHECK(thinnest_shell(splinter) > 2e-6);
  CHECK(thinnest_shell(splinter) < 3e-6);
  Mesh both = leaf;
  append(both, splinter);
  CHECK(thinnest_shell(both) == Approx(1e-6).epsilon(1e-5));
}
