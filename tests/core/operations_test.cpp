// SPDX-License-Identifier: GPL-3.0-or-later
// What each operation gives, beside union, difference and intersection (boolean_test.cpp).
#include "core/boolean/combine.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/random_solids.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Mesh sheet(double size, const Vec3& position = Vec3::Zero(), const Vec3& angles = Vec3::Zero()) {
  return placed(stock("sheet", {size, size, 1, 1}), position, angles);
}

BooleanResult result_of(const std::vector<Operand>& operands, std::optional<double> contact = {}) {
  const auto result = combine(operands, {}, {contact, nullptr});
  REQUIRE(result);
  return *result;
}

/// Volumes of the pieces; each is judged by CGAL.
std::vector<double> piece_volumes(const BooleanResult& result) {
  std::vector<double> volumes;
  for (Index k = 0; k < result.pieces; ++k) {
    const Mesh piece = result.piece_mesh(k);
    CHECK(judge(piece).sound());
    volumes.push_back(signed_volume(piece));
  }
  return volumes;
}

}  // namespace

TEST_CASE("a split keeps everything: the pieces are A − B and A ∩ B, each closed") {
  const auto volumes = piece_volumes(result_of({{shared(cube(2)), "A"}, {shared(placed(cube(2), {1, 0.5, 0.25})), "B", Operation::split}}));
  REQUIRE(volumes.size() == 2);
  const double common = 1 * 1.5 * 1.75;
  CHECK(volumes[0] == Approx(8 - common).epsilon(1e-9));
  CHECK(volumes[1] == Approx(common).epsilon(1e-9));
}

TEST_CASE("pieces of a split are told apart by place: a slab through the middle leaves three") {
  const Mesh slab = stock("box", {0.5, 4, 4});
  const auto volumes = piece_volumes(result_of({{shared(cube(2)), "A"}, {shared(slab), "B", Operation::split}}));
  REQUIRE(volumes.size() == 3);
  CHECK(volumes[0] + volumes[1] + volumes[2] == Approx(8).epsilon(1e-9));
}

TEST_CASE("pieces of random degenerate splits are each sound for CGAL and sum to the part") {
  for (unsigned seed = 1; seed <= 150; ++seed) {
    const auto [a, b] = random_pair(seed);
    const auto by = [&](Operation operation) { return result_of({{shared(a), "A"}, {shared(b), "B", operation}}); };
    const BooleanResult split = by(Operation::split);
    const double part = signed_volume(by(Operation::difference).mesh) + signed_volume(by(Operation::intersection).mesh);
    INFO("seed " << seed);
    double sum = 0;
    for (Index k = 0; k < split.pieces; ++k) {
      const Mesh piece = in_triangles(split.piece_mesh(k));
      if (piece.empty()) continue;
      CHECK(judge(piece).sound());
      sum += signed_volume(piece);
    }
    CHECK(sum == Approx(part).epsilon(1e-4));  // contact may move walls by a millionth
  }
}

TEST_CASE("a tool that changes nothing where it is is told, and only such a tool") {
  const Operand part{shared(cube(4)), "A"};
  auto idle = [&](const Mesh& tool, Operation operation) { return count_told(result_of({part, {shared(tool), "B", operation}}).report, "changes_nothing"); };
  const Mesh within = cube(1), apart = placed(cube(1), {9, 0, 0}), across = placed(cube(1), {2, 0, 0}), around = cube(6);
  CHECK(idle(apart, Operation::difference) == 1);
  CHECK(idle(within, Operation::difference) == 0);
  CHECK(idle(within, Operation::unite) == 1);
  CHECK(idle(across, Operation::unite) == 0);
  CHECK(idle(around, Operation::intersection) == 1);
  CHECK(idle(across, Operation::intersection) == 0);
  // Two drills in one hole: each of them is dispensable.
  const auto twice = result_of({part, {shared(across), "B"}, {shared(across), "C"}});
  CHECK(std::count_if(twice.report.done.begin(), twice.report.done.end(), [](const auto& d) { return d.what() == "changes_nothing"; }) == 2);
}

TEST_CASE("a cavity that a split does not touch stays with the piece around it, and what floats in it is a piece") {
  const Mesh ball = stock("sphere", {10, 24, 12}), inner = placed(stock("sphere", {4, 24, 12}), {2, 0, 0});
  Mesh cavity = inner, island = placed(cube(0.5), {2, 0, 0});
  reverse_faces(cavity);
  Mesh part = ball;
  append(part, cavity);
  append(part, island);
  const double around = signed_volume(ball) - signed_volume(inner);
  // Off to the side, the sheet cuts the ball alone: the cavity stays whole.
  const auto result = result_of({{shared(part), "A"}, {shared(sheet(30, {-3, 0.1, 0.2}, {0, 90, 0})), "sheet", Operation::split}});
  auto volumes = piece_volumes(result);
  REQUIRE(volumes.size() == 3);
  std::sort(volumes.begin(), volumes.end());
  CHECK(volumes[0] == Approx(0.125).epsilon(1e-9));
  CHECK(volumes[1] + volumes[2] == Approx(around).epsilon(1e-9));
  CHECK(volumes[1] > 1);
}

TEST_CASE("open sheets split: one, and several that cross each other, in one go") {
  const auto one = result_of({{shared(cube(2)), "A"}, {shared(sheet(9, {0, 0, 0.5})), "sheet", Operation::split}});
  CHECK(count_told(one.report, "cuts_as_sheet") == 1);
  const auto halves = piece_volumes(one);
  REQUIRE(halves.size() == 2);
  CHECK(std::min(halves[0], halves[1]) == Approx(2).epsilon(1e-9));
  // Three planes through one point cut a cube into eight equal pieces.
  const auto eight = piece_volumes(result_of({{shared(cube(2)), "A"},
                                       {shared(sheet(9)), "x", Operation::split},
                                       {shared(sheet(9, Vec3::Zero(), {90, 0, 0})), "y", Operation::split},
                                       {shared(sheet(9, Vec3::Zero(), {0, 90, 0})), "z", Operation::split}}));
  REQUIRE(eight.size() == 8);
  for (double v : eight) CHECK(v == Approx(1).epsilon(1e-9));
}

TEST_CASE("a sheet that ends inside the part splits nothing off") {
  const auto result = result_of({{shared(cube(4)), "A"}, {shared(sheet(2)), "sheet", Operation::split}});
  CHECK(result.pieces == 1);
  CHECK(signed_volume(result.mesh) == Approx(64));
  CHECK(judge(result.mesh).sound());
}

TEST_CASE("a partition gives A − B, A ∩ B and B − A, in this order") {
  const auto volumes =
      piece_volumes(result_of({{shared(cube(2)), "A"}, {shared(placed(cube(3), {1, 0.5, 0.25})), "B", Operation::partition}}));
  REQUIRE(volumes.size() == 3);
  const double common = 1.5 * 2 * 2;
  CHECK(volumes[0] == Approx(8 - common).epsilon(1e-9));
  CHECK(volumes[1] == Approx(common).epsilon(1e-9));
  CHECK(volumes[2] == Approx(27 - common).epsilon(1e-9));
}

TEST_CASE("an inlay is the pocket and, unchanged, the piece that fills it") {
  const Mesh plug = placed(stock("prism", {1, 2, 7}), {0.1, 0.2, 1});
  const auto result = result_of({{shared(cube(2)), "A"}, {shared(plug), "B", Operation::inlay}});
  const auto volumes = piece_volumes(result);
  REQUIRE(volumes.size() == 2);
  CHECK(volumes[0] == Approx(8 - polygon_area(7, 0.5)).epsilon(1e-9));
  CHECK(volumes[1] == Approx(2 * polygon_area(7, 0.5)).epsilon(1e-9));
  for (const Vec3& corner : plug.positions) {
    const Mesh piece = result.piece_mesh(1);
    CHECK(std::count(piece.positions.begin(), piece.positions.end(), corner) == 1);
  }
}

TEST_CASE("a score draws the curve into the faces and takes nothing away") {
  const auto result = result_of({{shared(cube(2)), "A"}, {shared(stock("cylinder", {1, 5, 24})), "B", Operation::score}});
  CHECK(signed_volume(result.mesh) == Approx(8).epsilon(1e-12));
  CHECK(judge(result.mesh).sound());
  CHECK(result.fresh_edges.size() == 2 * 24);
  // A disc in the top and one in the bottom, and the four sides untouched.
  CHECK(count_told(result.report, "polygons_untouched") == 4);
  const auto by_sheet = result_of({{shared(cube(2)), "A"}, {shared(sheet(9, {0, 0, 0.25})), "B", Operation::score}});
  CHECK(by_sheet.mesh.face_count() == 10);  // four sides in two halves each, top and bottom
  CHECK(by_sheet.fresh_edges.size() == 4);
  CHECK(judge(by_sheet.mesh).sound());
}

TEST_CASE("open trims take faces away and add none; inside and outside are each other's rest") {
  const Mesh part = cube(2), tool = placed(cube(2), {1, 0.5, 0.25});
  const auto inside = result_of({{shared(part), "A"}, {shared(tool), "B", Operation::trim_inside}});
  const auto outside = result_of({{shared(part), "A"}, {shared(tool), "B", Operation::trim_outside}});
  CHECK(inside.open_on_purpose);
  CHECK(surface_area(inside.mesh) + surface_area(outside.mesh) == Approx(24).epsilon(1e-9));
  // In the tool: of x = 1 all but the strips below, of y = 1 and z = 1 the halves with x > 0.
  CHECK(surface_area(outside.mesh) == Approx(1.5 * 1.75 + 1 * 1.75 + 1 * 1.5).epsilon(1e-9));
  CHECK(check_soundness(inside.mesh).holes() == 1);
  CHECK(check_soundness(outside.mesh).holes() == 1);
}

TEST_CASE("gather puts parts together untouched") {
  const Mesh tool = placed(cube(2), {1, 0.5, 0.25});
  const auto result = result_of({{shared(cube(2)), "A"}, {shared(tool), "B", Operation::gather}});
  CHECK(result.mesh.face_count() == 12);
  CHECK(result.mesh.positions.size() == 16);
  CHECK(result.sources.input.back() == 1);
  CHECK(count_told(result.report, "gathered") == 1);
}

TEST_CASE("a tray is one tool: its members are combined first, in the same pass") {
  // A − (B − C): what C gives back stays.
  Operand tray;
  tray.name = "tray";
  tray.operation = Operation::difference;
  tray.tray = {{shared(stock("box", {1, 1, 4})), "B"}, {shared(stock("box", {4, 4, 0.5})), "C", Operation::difference}};
  const auto result = result_of({{shared(cube(2)), "A"}, tray});
  CHECK(signed_volume(result.mesh) == Approx(8 - 1 * 1 * 1.5).epsilon(1e-12));
  CHECK(judge(result.mesh).sound());
  // The same by two runs.
  const auto inner = result_of({tray.tray[0], tray.tray[1]});
  const auto outer = result_of({{shared(cube(2)), "A"}, {shared(inner.mesh), "B − C"}});
  CHECK(signed_volume(outer.mesh) == Approx(signed_volume(result.mesh)).epsilon(1e-12));
  tray.tray[1].operation = Operation::split;
  const auto refused = combine({{shared(cube(2)), "A"}, tray});
  REQUIRE_FALSE(refused);
  CHECK(refused.issue().subject == "C");
}

TEST_CASE("a sheet bounds nothing and is refused where a solid is needed, with the way out") {
  for (const Operation operation : {Operation::unite, Operation::difference, Operation::intersection, Operation::partition,
                                    Operation::inlay, Operation::trim_inside, Operation::trim_outside}) {
    const auto refused = combine({{shared(cube(2)), "A"}, {shared(sheet(9, {0, 0, 0.3})), "sheet", operation}});
    REQUIRE_FALSE(refused);
    CHECK(refused.issue().subject == "sheet");
    CHECK(refused.issue().remedy.find("recast") != std::string::npos);
  }
}

TEST_CASE("every face of a result knows the part and the face that it comes from") {
  const Mesh plate = stock("box", {10, 8, 2}), drill = stock("cylinder", {2, 6, 12});
  const auto result = result_of({{shared(plate), "plate"}, {shared(drill), "drill"}});
  REQUIRE(result.sources.input.size() == result.mesh.face_count());
  std::size_t walls = 0;
  for (std::size_t f = 0; f < result.mesh.face_count(); ++f) {
    const Mesh& source = result.sources.input[f] == 0 ? plate : drill;
    REQUIRE(result.sources.face[f] < source.face_count());
    // Every corner lies in the plane of the source face.
    const auto from = source.face(result.sources.face[f]);
    const Vec3 origin = source.positions[from[0]];
    const Vec3 normal = (source.positions[from[1]] - origin).cross(source.positions[from[2]] - origin).normalized();
    for (Index v : result.mesh.face(f)) CHECK(std::abs(normal.dot(result.mesh.positions[v] - origin)) < 1e-12);
    walls += result.sources.input[f];
  }
  CHECK(walls == 12);
  CHECK(result.mesh.face_count() == 12 + 4 + 2 * 2);  // a face with one hole takes two simple polygons
  CHECK(result.fresh_edges.size() == 24);
}

TEST_CASE("the cache changes nothing but the time") {
  CombineCache cache;
  const auto part = shared(stock("icosphere", {4, 3})), tool = shared(cube(2));
  for (int k = 0; k < 4; ++k) {
    const Affine at(Eigen::Translation3d(0.4 * k, 0.1, 0.2));
    const auto warm = combine({{part, "A"}, {tool, "B", Operation::difference, at}}, {}, {{}, &cache});
    const auto cold = combine({{part, "A"}, {tool, "B", Operation::difference, at}});
    REQUIRE(warm);
    REQUIRE(cold);
    CHECK(warm->mesh.positions == cold->mesh.positions);
    CHECK(warm->mesh.corners == cold->mesh.corners);
  }
}

TEST_CASE("an open sheet is trimmed and scored as it is, and stays open") {
  // A square of 40 × 40 and a cylinder of 64 sides through it: area by elementary geometry.
  Mesh lid;
  for (const auto& [x, y] : {std::pair(-20, -20), {20, -20}, {20, 20}, {-20, 20}}) lid.add_vertex({double(x), double(y), 0});
  lid.add_face({0, 1, 2, 3});
  const double disc = polygon_area(64, 10);
  const auto result = [&](Operation operation, const Mesh& from, const Mesh& tool) {
    return combine({{shared(from), "lid", Operation::unite, Affine::Identity()}, {shared(tool), "pin", operation, Affine::Identity()}});
  };
  const Mesh pin = stock("cylinder", {20, 30, 64});
  const auto outside = result(Operation::trim_inside, lid, pin);
  REQUIRE(outside);
  CHECK(surface_area(outside->mesh) == Approx(1600 - disc));
  CHECK(outside->open_on_purpose);
  const auto inside = result(Operation::trim_outside, lid, pin);
  REQUIRE(inside);
  CHECK(surface_area(inside->mesh) == Approx(disc));
  const auto scored = result(Operation::score, lid, pin);
  REQUIRE(scored);
  CHECK(surface_area(scored->mesh) == Approx(1600));
  CHECK(scored->mesh.face_count() > 1);
  // All faces look as they did, also of a sheet that looks down.
  Mesh down = lid;
  reverse_faces(down);
  for (const auto& [sheet, up] : {std::pair(&lid, 1.0), {&down, -1.0}})
    for (const Operation operation : {Operation::trim_inside, Operation::trim_outside, Operation::score}) {
      const auto made = result(operation, *sheet, pin);
      REQUIRE(made);
      for (Index f = 0; f < made->mesh.face_count(); ++f) CHECK(up * newell_normal(made->mesh.positions, made->mesh.face(f)).z() > 0);
    }
  // A tool that does not reach it takes nothing away, or all.
  const Mesh far = placed(pin, {0, 0, 100});
  CHECK(surface_area(result(Operation::trim_inside, lid, far)->mesh) == Approx(1600));
  CHECK(result(Operation::trim_outside, lid, far)->mesh.empty());
  // Flush: the tool ends in the sheet.
  const Mesh flush = placed(pin, {0, 0, 15});
  const auto on_it = result(Operation::trim_inside, lid, flush);
  REQUIRE(on_it);
  CHECK((std::abs(surface_area(on_it->mesh) - 1600) < 1e-6 || std::abs(surface_area(on_it->mesh) - (1600 - disc)) < 1e-6));
  // A solid operation on a sheet is still refused.
  CHECK_FALSE(result(Operation::difference, lid, pin));
  // A curved sheet of many faces: half a ball's surface, cut by a box.
  const Mesh ball = stock("icosphere", {40, 4});
  std::vector<std::size_t> lower;
  for (Index f = 0; f < ball.face_count(); ++f)
    if (ball.positions[ball.face(f)[0]].z() < 0) lower.push_back(f);
  const Mesh dome = without_faces(ball, lower);
  const Mesh block = placed(stock("box", {20, 20, 60}), {0, 0, 0.123});
  const auto kept = result(Operation::trim_outside, dome, block);
  const auto cut = result(Operation::trim_inside, dome, block);
  REQUIRE(kept);
  REQUIRE(cut);
  CHECK(surface_area(kept->mesh) + surface_area(cut->mesh) == Approx(surface_area(dome)).epsilon(1e-9));
  CHECK(surface_area(kept->mesh) > 400);
}
