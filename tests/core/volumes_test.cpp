// SPDX-License-Identifier: GPL-3.0-or-later
// Offsets, blends and shells against closed formulas; what a recast thins, sifts and leaves open.
#include <catch2/catch.hpp>

#include "core/io/mesh_file.h"
#include "core/mesh/edges.h"
#include "core/recast/recast.h"
#include "core/recast/signed_distance.h"
#include "core/recast/volumes.h"
#include "tests/support/meshes.h"
#include "tests/support/dice.h"
#include "tests/support/nearest.h"
#include "tests/support/random_reshapes.h"
#include "tests/support/recast_of.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

double blended(const Mesh& one, const Mesh& other, Operation operation, double detail, double blend) {
  const std::vector<recast::Part> parts{{shared(one), "one"}, {shared(other), "other"}};
  return signed_volume(sound(blend_parts(parts, {operation, detail, blend})).mesh);
}

/// Edges with one face.
std::size_t borders(const Mesh& mesh) {
  const EdgeTable edges = build_edges(mesh);
  std::size_t count = 0;
  for (Index e = 0; e < edges.size(); ++e) count += edges.corners_of(e).size() == 1;
  return count;
}

}  // namespace

TEST_CASE("a box moved out has the volume that Steiner gives, by second order; moved in it is a box, exactly") {
  // V + A d + π (a + b + c) d² + 4/3 π d³ (Steiner, "Über parallele Flächen", 1840; here from memory).
  const double a = 30, b = 20, c = 10;
  const Mesh box = placed(stock("box", {a, b, c}), {1, 2, 3}, {17, 23, 41});
  const auto offset = [&](double d, double detail) {
    RecastSettings settings;
    settings.detail = detail;
    settings.offset = d;
    return signed_volume(recast_of(box, settings).mesh);
  };
  const double d = 2, steiner = a * b * c + 2 * (a * b + b * c + c * a) * d + pi * (a + b + c) * d * d + 4 * pi / 3 * d * d * d;
  double coarse = 0, fine = 0;
  for (double shift : {1.0, 1.07}) coarse += std::abs(offset(d, 1.6 * shift) / steiner - 1), fine += std::abs(offset(d, 0.4 * shift) / steiner - 1);
  CHECK(fine < 1e-3);
  CHECK(coarse / fine > 8);  // 16 by second order
  CHECK(offset(-d, 1.1) == Approx((a - 2 * d) * (b - 2 * d) * (c - 2 * d)).epsilon(1e-7));
  RecastSettings gone;
  gone.offset = -5.1;
  const recast::Part part{shared(box), "box"};
  const Result<BooleanResult> nothing = recast_parts({&part, 1}, gone);
  REQUIRE(nothing);
  CHECK(nothing->mesh.empty());
  CHECK(nothing->report.empty_reason == "nothing in it is as thick as that");
}

TEST_CASE("distances know their side beside triangles without area and beside walls without thickness") {
  // A cube of side 2 about the origin, of which one edge has a vertex on one side only: a triangle without area closes it up.
  Mesh cube = in_triangles(stock("box", {2, 2, 2}));
  const EdgeTable edges = build_edges(cube);
  Index split = 0;  // an edge of the cube, not across a side
  while ((cube.positions[edges.vertices[split][0]] - cube.positions[edges.vertices[split][1]]).norm() > 2.1) ++split;
  const auto [v, w] = edges.vertices[split];
  const Index on_it = cube.add_vertex(0.7 * cube.positions[v] + 0.3 * cube.positions[w]), face = edges.corner_face[edges.corners_of(split)[0]];
  Mesh body;
  body.positions = cube.positions;
  for (Index f = 0; f < cube.face_count(); ++f) {
    const Triangle t{cube.face(f)[0], cube.face(f)[1], cube.face(f)[2]};
    if (f != face) {
      body.add_face(t);
      continue;
    }
    for (std::size_t k = 0; k < 3; ++k) {
      const Index a = t[k], b = t[(k + 1) % 3], c = t[(k + 2) % 3];
      if (std::minmax(a, b) != std::minmax(v, w)) continue;
      body.add_face(Triangle{a, on_it, c});
      body.add_face(Triangle{on_it, b, c});
      body.add_face(Triangle{a, b, on_it});
    }
  }
  // And above it, at z = 1 to 3, a wall without thickness.
  const Index first = static_cast<Index>(body.positions.size());
  for (int side = 0; side < 2; ++side)
    for (const Vec3& p : {Vec3(-1, 5, 1), Vec3(1, 5, 1), Vec3(1, 5, 3), Vec3(-1, 5, 3)}) body.add_vertex(Vec3(p));
  body.add_face(Triangle{first, first + 1, first + 2});
  body.add_face(Triangle{first, first + 2, first + 3});
  body.add_face(Triangle{first + 4, first + 6, first + 5});
  body.add_face(Triangle{first + 4, first + 7, first + 6});
  const TriangleList list = triangulate(body);
  const recast::SignedDistance distance(body.positions, list.triangles);
  Dice dice(3);
  for (int n = 0; n < 20'000; ++n) {
    const Vec3 p(dice.between(-4, 4), dice.between(-4, 9), dice.between(-4, 5));
    // Elementary: outside of a box the way to it, inside to the nearest side; the wall has no inside.
    const Vec3 beyond = p.cwiseAbs().array() - 1;
    const double to_box = beyond.maxCoeff() > 0 ? beyond.cwiseMax(0).norm() : beyond.maxCoeff();
    const double to_wall = Vec3(std::max(0.0, std::abs(p.x()) - 1), p.y() - 5, std::max({0.0, 1 - p.z(), p.z() - 3})).norm();
    INFO(p.transpose());
    CHECK(distance(p).value == Approx(std::min(to_box, to_wall)).margin(1e-9));
  }
}

TEST_CASE("parts with fins and spikes are combined by distances") {
  // Their skins have walls without thickness and triangles without area: distances that took the wrong side there took all memory.
  CHECK(what_is_wrong_with_damaged(14) == "");
}

TEST_CASE("where a pin meets a slab at right angles a blend is a round all about: its volume, by closed formula") {
  // Along straight sides (1 − π/4) r² of area; about the pin's four corners the same turned full circle: 2π r³ (5/6 − π/4), by Pappus' theorem (elementary).
  const Mesh slab = stock("box", {40, 30, 8}), pin = placed(stock("box", {10, 10, 20}), {0, 0, 7}), through = stock("box", {10, 10, 20});
  const double r = 3, round = 40 * (1 - pi / 4) * r * r + 2 * pi * r * r * r * (5.0 / 6 - pi / 4), plain = 9600 + 10 * 10 * 13;
  CHECK(blended(slab, pin, Operation::unite, 0.7, 0) == Approx(plain).epsilon(1e-6));
  CHECK(blended(slab, pin, Operation::unite, 0.5, r) - plain == Approx(round).epsilon(0.03));
  // Taken away instead, the hole's two rims lose as much.
  CHECK(blended(slab, through, Operation::difference, 0.7, 0) == Approx(8800).epsilon(1e-6));
  CHECK(8800 - blended(slab, through, Operation::difference, 0.5, r) == Approx(2 * round).epsilon(0.03));
  CHECK(blended(slab, through, Operation::intersection, 0.7, 0) == Approx(800).epsilon(1e-6));
  // Flush faces stay as they are where nothing else is near.
  const Mesh beside = placed(stock("box", {40, 30, 8}), {20, 0, 0});
  CHECK(blended(slab, beside, Operation::unite, 1, r) == Approx(60 * 30 * 8).epsilon(1e-6));
  // A part that is not sound is re-skinned first.
  const Mesh open = without_faces(stock("sphere", {20, 24, 12}), {40});
  const std::vector<recast::Part> parts{{shared(slab), "slab"}, {shared(open), "ball"}};
  const BooleanResult both = sound(blend_parts(parts, {Operation::unite, 1.5, 2}));
  REQUIRE(told(both.report, "skinned_first"));
  CHECK(told(both.report, "skinned_first")->part == "ball");
}

TEST_CASE("a shell's own side stays bit for bit, its wall is as thick as asked for everywhere, and drains lead out") {
  const Mesh box = placed(stock("box", {30, 20, 10}), {1, 2, 3}, {5, 10, 15});
  const recast::Part part{shared(box), "box"};
  ShellSettings settings;
  settings.thickness = 2;
  const BooleanResult inner = sound(shell_part(part, settings));
  CHECK(signed_volume(inner.mesh) == Approx(6000 - 26 * 16 * 6).epsilon(1e-7));
  for (std::size_t v = 0; v < box.positions.size(); ++v) CHECK(inner.mesh.positions[v] == box.positions[v]);
  const DistanceToSurface to_box(box);
  for (std::size_t v = box.positions.size(); v < inner.mesh.positions.size(); ++v) CHECK(to_box(inner.mesh.positions[v]) == Approx(2).epsilon(1e-3));
  settings.outside = true;
  settings.detail = 0.5;
  const BooleanResult outer = sound(shell_part(part, settings));
  CHECK(signed_volume(outer.mesh) == Approx(2 * 1100 * 2 + pi * 60 * 4 + 4 * pi / 3 * 8).epsilon(2e-3));
  settings.outside = false;
  const Vec3 top = Placement{{1, 2, 3}, {5, 10, 15}, Vec3::Ones()}.matrix() * Vec3(3, 2, 5), side = Placement{{1, 2, 3}, {5, 10, 15}, Vec3::Ones()}.matrix() * Vec3(15, 1, 0);
  settings.drains = {top, side};
  settings.drain_diameter = 3;
  const BooleanResult drained = sound(shell_part(part, settings));
  CHECK(signed_volume(drained.mesh) == Approx(6000 - 26 * 16 * 6 - 2 * 2 * polygon_area(48, 1.5)).epsilon(1e-6));
  settings.thickness = 5.5;
  CHECK(shell_part(part, settings).issue().what.find("nowhere as thick") != std::string::npos);
  settings.detail = 6;
  CHECK(shell_part(part, settings).issue().what.find("too coarse") != std::string::npos);
  const recast::Part open{shared(without_faces(box, {0})), "open"};
  CHECK(shell_part(open, {}).issue().what.find("not sound") != std::string::npos);
}

TEST_CASE("the wall of a finely faceted ball is as thick as asked for, everywhere on its new side") {
  const Mesh ball = stock("icosphere", {40, 4});
  REQUIRE(ball.face_count() == 5120);
  const recast::Part part{shared(ball), "ball"};
  ShellSettings settings;
  settings.thickness = 2;
  for (const bool outside : {false, true}) {
    settings.outside = outside;
    const BooleanResult hollow = sound(shell_part(part, settings));
    CHECK_FALSE(told(hollow.report, "walls_not_as_thick"));
    const DistanceToSurface to_ball(ball);
    double thinnest = 1e9, thickest = 0;
    Dice dice(5);
    for (Index f = 0; f < hollow.mesh.face_count(); ++f) {
      const auto ring = hollow.mesh.face(f);
      const double s = dice.between(0, 1), t = dice.between(0, 1 - s);
      const Vec3 &a = hollow.mesh.positions[ring[0]], &b = hollow.mesh.positions[ring[1]], &c = hollow.mesh.positions[ring[2]];
      for (const Vec3& p : {a, Vec3(a + s * (b - a) + t * (c - a))}) {
        const double distance = to_ball(p);
        if (distance < 0.5) continue;  // its own side
        thinnest = std::min(thinnest, distance);
        thickest = std::max(thickest, distance);
      }
    }
    CHECK(thinnest > 2 * 0.99);
    CHECK(thickest < 2 * 1.03);
  }
}

TEST_CASE("a sound part is moved out from its own surface, and stands as far off as asked for") {
  const Mesh ball = stock("icosphere", {40, 4});
  RecastSettings settings;
  settings.detail = 1;
  settings.offset = 1;
  const Mesh out = recast_of(ball, settings).mesh;
  const DistanceToSurface to_ball(ball);
  for (const Vec3& p : out.positions) {
    INFO(p.transpose());
    CHECK(to_ball(p) > 0.97);
    CHECK(to_ball(p) < 1.04);
  }
}

TEST_CASE("a radius where parts meet in no edge rounds nothing, which is told") {
  const std::vector<recast::Part> apart{{shared(cube(4)), "one"}, {shared(placed(cube(4), {20, 0, 0})), "other"}};
  CHECK(told(sound(blend_parts(apart, {Operation::unite, 0.5, 1})).report, "nothing_to_blend"));
}

TEST_CASE("flat areas of a recast are thinned, strays sifted, and holes left open where asked for") {
  const Mesh box = placed(stock("box", {30, 20, 10}), {1, 2, 3}, {17, 23, 41});
  RecastSettings settings;
  settings.detail = 1;
  const std::size_t whole = recast_of(box, settings).mesh.face_count();
  settings.flatten = 1;
  const BooleanResult flat = recast_of(box, settings);
  CHECK(flat.mesh.face_count() < whole / 50);
  CHECK(signed_volume(flat.mesh) == Approx(6000).epsilon(1e-6));
  // A speck beside it goes, and is told; where smaller things count it stays.
  Mesh with_speck = box;
  append(with_speck, placed(cube(0.9), {60, 0, 0}));
  settings = {};
  const BooleanResult sifted = recast_of(with_speck, settings);
  CHECK(signed_volume(sifted.mesh) == Approx(6000).epsilon(1e-6));
  CHECK(sifted.report.done.back().what() == "small_shells_left_out");
  settings.smallest = 0.5;
  CHECK(signed_volume(recast_of(with_speck, settings).mesh) > 6000.3);
  // A box without its lid is open on top again.
  settings = {};
  const recast::Part open{shared(without_faces(stock("box", {30, 20, 10}), {1})), "open"};
  CHECK(borders(recast_parts({&open, 1}, settings)->mesh) == 0);
  settings.close_holes = false;
  const Result<BooleanResult> left_open = recast_parts({&open, 1}, settings);
  REQUIRE(left_open);
  CHECK(left_open->open_on_purpose);
  CHECK(borders(left_open->mesh) > 50);
  for (Index f : left_open->sources.face) CHECK(f != no_index);
  // Where holes meet in one vertex the skin does not hang together by it.
  const auto cap = read_mesh(std::filesystem::path(DEMO_DATA) / "buoy-cap.ply");
  REQUIRE(cap);
  const recast::Part torn{shared(cap->mesh), "cap"};
  settings.detail = 2.5;
  const SoundnessReport frayed = check_soundness(recast_parts({&torn, 1}, settings)->mesh);
  CHECK(frayed.holes() > 3);
  CHECK(frayed.count(families::non_manifold_vertices) == 0);
  CHECK(frayed.count(families::crossing_faces) == 0);
  settings.detail = RecastSettings().detail;
  // Of two holes the wider one is left open, and told where it is.
  settings.close_holes = true;
  settings.widest_hole = 8;
  Mesh ball = stock("icosphere", {20, 2});
  std::vector<std::size_t> around;
  for (std::size_t f = 0; f < ball.face_count(); ++f)
    if (std::find(ball.face(f).begin(), ball.face(f).end(), 0) != ball.face(f).end()) around.push_back(f);
  ball = without_faces(ball, around);
  const std::array<recast::Part, 2> two{open, recast::Part{shared(placed(ball, {60, 0, 0})), "ball"}};
  const Result<BooleanResult> one_left = recast_parts(two, settings);
  REQUIRE(one_left);
  CHECK(count_told(one_left->report, "holes_left_open") == 1);
  const std::vector<Vec3> left_at = places_told(one_left->report, "holes_left_open");
  REQUIRE(left_at.size() == 1);
  CHECK((left_at[0] - Vec3(0, 0, 5)).norm() < 2);
  CHECK(borders(one_left->mesh) == borders(left_open->mesh));
  CHECK(std::find(one_left->sources.face.begin(), one_left->sources.face.end(), no_index) != one_left->sources.face.end());
  settings.widest_hole = 60;
  CHECK(borders(recast_parts(two, settings)->mesh) == 0);
  settings.widest_hole = 0;
  // Smoothing leaves a ball's volume, and takes nothing off a box's edges.
  settings.smoothing = 20;
  settings.close_holes = true;
  CHECK(signed_volume(recast_of(box, settings).mesh) == Approx(6000).epsilon(1e-6));
}
