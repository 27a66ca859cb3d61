// SPDX-License-Identifier: GPL-3.0-or-later
// Re-skinned parts: what must come back exactly, what converges, what is spanned, and a share of the long random runs.
#include <catch2/catch.hpp>

#include "core/io/mesh_file.h"
#include "core/mesh/edges.h"
#include "core/recast/contour.h"
#include "core/recast/recast.h"
#include "core/recast/settle_shells.h"
#include "tests/support/meshes.h"
#include "tests/support/nearest.h"
#include "tests/support/random_recasts.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

BooleanResult recast_of(const std::vector<Mesh>& meshes, RecastSettings settings) {
  std::vector<recast::Part> parts;
  for (const Mesh& mesh : meshes) parts.push_back({shared(mesh), "part"});
  Result<BooleanResult> result = recast_parts(parts, settings);
  REQUIRE(result);
  if (!result->mesh.empty()) {
    CHECK(judge(result->mesh).sound());
    std::vector<char> used(result->mesh.positions.size(), 0);
    for (Index v : result->mesh.corners) used[v] = 1;
    CHECK(std::count(used.begin(), used.end(), 0) == 0);
  }
  return std::move(*result);
}
double volume_of(const BooleanResult& result) { return signed_volume(result.mesh); }

Mesh turned_over(Mesh mesh) {
  reverse_faces(mesh);
  return mesh;
}

}  // namespace

TEST_CASE("a box stays a box with twelve straight edges, at any angle to the grid") {
  for (const Vec3& angles : {Vec3(0, 0, 0), Vec3(17, 23, 41), Vec3(45, 0, 0), Vec3(45, 35.26438968, 0), Vec3(1, 0, 0), Vec3(80, 5, 33)}) {
    const Mesh box = placed(stock("box", {30, 20, 10}), {1, 2, 3}, angles);
    const BooleanResult skin = recast_of({box}, {1.3});
    CHECK(volume_of(skin) == Approx(6000).epsilon(1e-9));
    const Kept kept = kept_by_recast(box, skin.mesh, 1.3);
    CHECK(kept.edges > 0.99);
    CHECK(kept.surface == 1);
    CHECK(kept.farthest < 0.02);
    // Nothing is sharp but these edges.
    const NearestLine edges(sharp_lines(box, 20));
    for (const Line& line : sharp_lines(skin.mesh, 10)) CHECK(edges((line.from + line.to) / 2, Vec3::UnitX(), 0).distance < 0.05);
  }
}

TEST_CASE("a skin stays within half a detail where folds are about as narrow as that") {
  // Balls with bumps: of these the grid that was asked for leaves points 0.54, 0.56 and 0.53 details off.
  struct Bumps {
    double number, height, detail;
    int turn;
  };
  for (const auto& [number, height, detail, turn] : {Bumps{9, 0.1, 20. / 18, 17}, Bumps{11, 0.1, 1, 19}, Bumps{9, 0.12, 1, 52}}) {
    CAPTURE(number, turn);
    Mesh ball = stock("sphere", {10, 128, 64}), body;
    for (Vec3& p : ball.positions) {
      const double along = std::atan2(p.y(), p.x()), up = std::asin(std::clamp(p.z() / 10, -1., 1.));
      p *= 1 + height * std::sin(number * along) * std::cos(up) * std::sin(number * up + turn);
    }
    body.positions = ball.positions;
    for (const Triangle& t : triangulate(ball).triangles) body.add_face(t);
    const BooleanResult skin = recast_of({body}, {detail});
    CHECK(told(skin.report, "skin_finer"));
    CHECK(!told(skin.report, "skin_strays"));
    const DistanceToSurface off(body);
    double farthest = 0;
    constexpr int steps = 12;
    for (Index f = 0; f < skin.mesh.face_count(); ++f) {
      const auto ring = skin.mesh.face(f);
      REQUIRE(ring.size() == 3);
      for (int i = 0; i <= steps; ++i)
        for (int j = 0; i + j <= steps; ++j)
          farthest = std::max(farthest, off((i * skin.mesh.positions[ring[0]] + j * skin.mesh.positions[ring[1]] + (steps - i - j) * skin.mesh.positions[ring[2]]) / steps));
    }
    CHECK(farthest < 0.5 * detail);
  }
}

TEST_CASE("volumes of balls, rings and boxes come near by second order in the detail") {
  const auto off = [](const Mesh& mesh, double detail, bool sharp) { return std::abs(volume_of(recast_of({mesh}, {detail, sharp})) / signed_volume(mesh) - 1); };
  for (const Mesh& mesh : {stock("sphere", {20, 96, 48}), placed(stock("torus", {30, 10, 96, 48}), {0, 0, 0}, {20, 30, 40})}) {
    // Four grids each, since a single one may lie luckily.
    double coarse = 0, fine = 0, sharp = 0;
    for (double shift : {1.0, 1.03, 1.07, 1.12}) coarse += off(mesh, 1.6 * shift, false), fine += off(mesh, 0.8 * shift, false), sharp += off(mesh, 0.8 * shift, true);
    CHECK(coarse / fine > 3);
    CHECK(coarse / fine < 6);
    // On the surface itself it is off by what chords are, or less where facets are found again.
    CHECK(sharp < 0.5 * fine);
  }
  // A box loses its edges by second order too, where they are not kept.
  const Mesh box = placed(stock("box", {30, 20, 10}), {0, 0, 0}, {17, 23, 41});
  CHECK(off(box, 1, false) / off(box, 0.5, false) == Approx(4).epsilon(0.3));
  CHECK(off(box, 1, true) < 1e-9);
}

TEST_CASE("parts that cross, and some that are inside out, are one solid") {
  // Two boxes with a common 5 x 10 x 10 (elementary), and one beside them.
  const Mesh box = stock("box", {20, 10, 10});
  const BooleanResult skin = recast_of({box, turned_over(placed(box, {15, 0, 0})), placed(box, {100, 0, 0}, {0, 0, 30})}, {0.9});
  CHECK(volume_of(skin) == Approx(2000 + 2000 - 500 + 2000).epsilon(1e-9));
  CHECK(count_told(skin.report, "recast_faces_turned") == 6);
  // Every face knows where it comes from, and lies on it.
  for (std::size_t f = 0; f < skin.mesh.face_count(); ++f) {
    REQUIRE(skin.sources.face[f] < 6);
    const Vec3 middle = skin.mesh.positions[skin.mesh.face(f)[0]] / 3 + skin.mesh.positions[skin.mesh.face(f)[1]] / 3 + skin.mesh.positions[skin.mesh.face(f)[2]] / 3;
    CHECK((middle.x() > 60) == (skin.sources.input[f] == 2));
  }
}

TEST_CASE("walls and rods thinner than the detail stay where the grid's lines pass through them") {
  const BooleanResult wall = recast_of({placed(stock("box", {30, 20, 0.2}), {0, 0, 0}, {10, 20, 30})}, {1});
  // All around it ends less than half a detail short: no line passes through its narrow sides.
  CHECK(volume_of(wall) < 120.001);
  CHECK(volume_of(wall) > 29 * 19 * 0.2 * 0.97);
  // Two sheets of a hollow: its wall is 0.3 thick, the grid 1.
  Mesh hollow = stock("sphere", {20, 48, 24});
  append(hollow, turned_over(stock("sphere", {19.4, 48, 24})));
  CHECK(volume_of(recast_of({hollow}, {1})) == Approx(signed_volume(hollow)).epsilon(0.05));
  // It is told, with where; of a solid, edges at any angle and all, it is not.
  const auto thin = [](const BooleanResult& skin) { return places_told(skin.report, "walls_thinner"); };
  const Affine lies = Placement{{0, 0, 0}, {10, 20, 30}, {1, 1, 1}}.matrix().inverse();
  REQUIRE_FALSE(thin(wall).empty());
  for (const Vec3& p : thin(wall)) CHECK(std::abs((lies * p).z()) <= 0.11);
  CHECK(thin(recast_of({placed(stock("box", {30, 20, 10}), {0, 0, 0}, {10, 20, 30})}, {1})).empty());
  CHECK(thin(recast_of({stock("sphere", {20, 48, 24})}, {1})).empty());
}

TEST_CASE("walls thinner than asked for are made so thick, and it is told where they are and where they could not be") {
  // A plate of 0.2 with a block on it, at an angle to the grid: the plate comes to 0.8, the block stays as it is.
  const Affine turn = Placement{{0, 0, 0}, {10, 20, 30}, {1, 1, 1}}.matrix();
  std::vector<Mesh> parts{stock("box", {30, 20, 0.2}), placed(stock("box", {10, 10, 10}), {0, 0, 4})};
  for (Mesh& part : parts) place(part, turn);
  RecastSettings settings{1};
  const BooleanResult thin = recast_of(parts, settings);
  settings.least_wall = 0.8;
  const BooleanResult thick = recast_of(parts, settings);
  CHECK(judge(in_triangles(thick.mesh)).sound());
  // Of what the plate has beside the block all comes but a strip of a detail along its rim.
  const double more = signed_volume(thick.mesh) - signed_volume(thin.mesh);
  CHECK(more < 0.6 * (30 * 20 - 10 * 10) * 1.02);
  CHECK(more > 0.6 * (28 * 18 - 11 * 11) * 0.95);
  const auto told = [&](const char* what) { return places_told(thick.report, what); };
  REQUIRE_FALSE(told("walls_thickened").empty());
  CHECK(told("walls_thinner").empty());  // which says that they stay as they are
  for (const Vec3& p : told("walls_thickened")) CHECK(std::abs((turn.inverse() * p).z()) < 0.11);
  // By CGAL: far from rim and block the plate's sides are at 0.4, and the block's top where it was.
  const DistanceToSurface off(thick.mesh);
  for (const double side : {-1.0, 1.0})
    for (const double x : {-12.0, -9.0, 9.0, 12.0}) CHECK(off(turn * Vec3(x, 6, 0.4 * side)) < 1e-6);
  CHECK(off(turn * Vec3(1, 2, 9)) < 1e-6);
  CHECK(off(turn * Vec3(5, 2, 5)) < 1e-6);
  // A solid without thin walls stays bit for bit.
  settings.least_wall = 0;
  const BooleanResult cube = recast_of({stock("box", {20, 20, 20})}, settings);
  settings.least_wall = 0.8;
  CHECK(recast_of({stock("box", {20, 20, 20})}, settings).mesh.positions == cube.mesh.positions);
}

TEST_CASE("walls thinner than asked for are left out, at any angle and also where points of the grid lie within them") {
  const auto told = [](const BooleanResult& skin, const char* what) {
    return std::pair(count_told(skin.report, what), places_told(skin.report, what));
  };
  for (const double thick : {0.2, 0.7, 1.6})
    for (const Vec3& angles : {Vec3(0, 0, 0), Vec3(10, 20, 30), Vec3(45, 0, 0), Vec3(30, 40, -70)}) {
      CAPTURE(thick, angles.x(), angles.y(), angles.z());
      // A plate through a block, and a fin on top of it.
      const Affine turn = Placement{{0, 0, 0}, angles, {1, 1, 1}}.matrix();
      std::vector<Mesh> parts{stock("box", {30, 24, thick}), placed(stock("box", {12, 12, 12}), {0, 0, 4}), placed(stock("box", {thick, 8, 10}), {1, 0, 14})};
      for (Mesh& part : parts) place(part, turn);
      RecastSettings settings{0.5};
      settings.least_wall = 2;
      settings.leave_out_thin = true;
      const BooleanResult skin = recast_of(parts, settings);
      CHECK(judge(in_triangles(skin.mesh)).shells == 1);
      // The block alone, but for where the walls stood on it: there it is even to two details, half of one in the mean.
      const double about_roots = (4 * 12 + 8) * (thick + 1);
      CHECK(std::abs(signed_volume(skin.mesh) - 12 * 12 * 12) < 0.25 * about_roots);
      double farthest = 0;
      for (const Vec3& p : skin.mesh.positions) {
        const Vec3 q = turn.inverse() * p;
        farthest = std::max({farthest, std::abs(q.x()) - 6, std::abs(q.y()) - 6, std::abs(q.z() - 4) - 6});
      }
      CHECK(farthest < 2 * 0.5);  // two details
      const DistanceToSurface off(skin.mesh);
      for (const double x : {-6.0, 6.0})
        for (const double y : {-6.0, 6.0}) CHECK(off(turn * Vec3(x, y, 10)) < 0.01);
      const auto [walls, places] = told(skin, "thin_walls_left_out");
      CHECK(walls == 2);
      REQUIRE(places.size() == 2);
      for (const Vec3& p : places) {
        const Vec3 q = turn.inverse() * p;
        CHECK((std::abs(q.z()) < thick / 2 + 1e-9 || std::abs(q.x() - 1) < thick / 2 + 1e-9));
      }
      CHECK(told(skin, "holes_spanned").first == 0);  // what closes the roots comes from the walls
      CHECK(std::count(skin.sources.face.begin(), skin.sources.face.end(), no_index) == 0);
    }
  // What has no thin wall stays bit for bit; of what is nothing else nothing is left, which is said.
  const Mesh cube = placed(stock("box", {20, 20, 20}), {0, 0, 0}, {10, 20, 30});
  RecastSettings settings{1};
  const BooleanResult before = recast_of({cube}, settings);
  settings.least_wall = 2;
  settings.leave_out_thin = true;
  CHECK(recast_of({cube}, settings).mesh.positions == before.mesh.positions);
  const BooleanResult gone = recast_of({placed(stock("box", {30, 20, 1}), {0, 0, 0}, {10, 20, 30})}, settings);
  CHECK(gone.mesh.empty());
  CHECK(gone.report.empty_reason.find("least wall") != std::string::npos);
}

TEST_CASE("cavities are kept or filled, as asked") {
  Mesh hollow = stock("box", {20, 20, 20});
  append(hollow, turned_over(stock("box", {10, 10, 10})));
  append(hollow, stock("box", {4, 4, 4}));
  CHECK(volume_of(recast_of({hollow}, {0.9})) == Approx(8000 - 1000 + 64).epsilon(1e-9));
  RecastSettings outer{0.9};
  outer.inner = false;
  CHECK(volume_of(recast_of({hollow}, outer)) == Approx(8000).epsilon(1e-9));
}

TEST_CASE("small holes are spanned, and it is told how many faces lie on no part") {
  const Mesh ball = in_triangles(stock("sphere", {20, 24, 12}));
  std::vector<std::size_t> gone;
  for (std::size_t f = 0; f < ball.face_count(); f += 17) gone.push_back(f);
  const BooleanResult skin = recast_of({without_faces(ball, gone)}, {0.4});
  CHECK(volume_of(skin) == Approx(signed_volume(ball)).epsilon(0.01));
  std::size_t on_none = 0;
  for (Index f : skin.sources.face) on_none += f == no_index;
  CHECK(on_none > 0);
  CHECK(count_told(skin.report, "holes_spanned") == on_none);
}

namespace {

/// How much of what is sharp lies along the sharp edges of a body, and how much elsewhere; mesh units.
struct Sharp {
  double wanted = 0, found = 0, frayed = 0;
};
Sharp sharp_along(const Mesh& body, const Mesh& skin) {
  Sharp sharp;
  const NearestLine edges(sharp_lines(body, 25));
  for (const Line& line : sharp_lines(body, 25)) sharp.wanted += (line.to - line.from).norm();
  for (const Line& line : sharp_lines(skin, 25)) {
    const double length = (line.to - line.from).norm();
    sharp.found += length;
    if (edges((line.from + line.to) / 2, Vec3::UnitX(), 0).distance > 0.05) sharp.frayed += length;
  }
  return sharp;
}

}  // namespace

TEST_CASE("rims of a cylinder do not fray, however their bends lie in the grid") {
  // Facets of 1.57, turned by 9 degrees from one to the next.
  for (const Vec3& angles : {Vec3(0, 0, 0), Vec3(17, 23, 41), Vec3(21, 0, 29), Vec3(80, 5, 33)})
    for (const double detail : {0.7, 1.0, 1.4}) {
      const Mesh cylinder = placed(stock("cylinder", {20, 20, 40}), {1, 2, 3}, angles);
      const Sharp sharp = sharp_along(cylinder, recast_of({cylinder}, {detail}).mesh);
      INFO("detail " << detail << ", turned by " << angles.transpose());
      CHECK(sharp.found == Approx(sharp.wanted).epsilon(0.02));
      CHECK(sharp.frayed < 0.01 * sharp.wanted);
    }
}

TEST_CASE("where a whole face is missing what spans it has straight edges, at any angle to the grid") {
  for (const char* kind : {"box", "cylinder"})
    for (const Vec3& angles : {Vec3(0, 0, 0), Vec3(17, 23, 41), Vec3(21, 0, 29), Vec3(80, 5, 33)}) {
      const Mesh whole = placed(std::string_view(kind) == "box" ? stock("box", {20, 20, 20}) : stock("cylinder", {20, 20, 40}), {1, 2, 3}, angles);
      // The largest face is a lid.
      std::size_t lid = 0;
      for (std::size_t f = 0; f < whole.face_count(); ++f)
        if (newell_normal(whole.positions, whole.face(f)).norm() > 1.001 * newell_normal(whole.positions, whole.face(lid)).norm()) lid = f;
      const BooleanResult skin = recast_of({without_faces(whole, {lid})}, {1});
      INFO(kind << " turned by " << angles.transpose());
      CHECK(volume_of(skin) == Approx(signed_volume(whole)).epsilon(0.005));
      const Sharp sharp = sharp_along(whole, skin.mesh);
      CHECK(sharp.found == Approx(sharp.wanted).epsilon(0.06));
      CHECK(sharp.frayed < 0.04 * sharp.wanted);
    }
}

TEST_CASE("what cannot be recast says why, and stops when told") {
  const recast::Part sheet{shared(stock("sheet", {20, 20, 3, 3})), "sheet"}, box{shared(cube(10)), "box"};
  const auto nothing = recast_parts({&sheet, 1}, {1});
  REQUIRE(nothing);
  CHECK(nothing->mesh.empty());
  CHECK(nothing->report.empty_reason == "nothing in it is enclosed");
  const auto too_fine = recast_parts({&box, 1}, {1e-4});
  REQUIRE_FALSE(too_fine);
  CHECK(too_fine.issue().subject == "box");
  CHECK_FALSE(too_fine.issue().remedy.empty());
  std::stop_source stop;
  stop.request_stop();
  CHECK_THROWS_AS(recast_parts({&box, 1}, {0.1}, {stop.get_token(), nullptr}), Stopped);
}

TEST_CASE("sheets in a pile, which enclose without end, are skinned as far as the grid goes, and one that is there many times is one") {
  const auto pile = [](double apart) {
    Mesh sheets;
    for (int n = 0; n < 100; ++n) {
      const auto first = static_cast<Index>(sheets.positions.size());
      for (const Vec3& p : {Vec3(0, 0, 0), Vec3(10, 0, 0), Vec3(10, 10, 0), Vec3(0, 10, 0)}) sheets.add_vertex(p + Vec3(0, 0, n * apart));
      sheets.add_face(std::vector<Index>{first, first + 1, first + 2, first + 3});
    }
    return sheets;
  };
  const BooleanResult skin = recast_of({pile(0.001)}, {1});
  CHECK_FALSE(skin.mesh.empty());
  CHECK(bounds(skin.mesh).diagonal() < 40);
  CHECK(recast_of({pile(0)}, {1}).mesh.empty());  // a single sheet encloses nothing
}

TEST_CASE("crossings that are odd in number around a face are told, and nothing is made of them") {
  recast::Grid grid;
  grid.size = {5, 5, 5};
  recast::Crossings crossings;
  crossings[0].push_back({2 + 2 * 5, 2, 0, true, 2.5});
  const std::vector<Vec3> normals{Vec3::UnitX()};
  const recast::Contour made = recast::contour(grid, crossings, normals, {});
  CHECK(made.uneven);
  CHECK(made.triangles.empty());
}

TEST_CASE("of the shells of a skin those that enclose nothing go, and what is inside out is turned over") {
  const Mesh flat = [] {
    Mesh mesh;
    for (const Vec3& p : {Vec3(20, 0, 0), Vec3(21, 0, 0), Vec3(20.5, 1, 0), Vec3(20.4, 0.3, 1e-14)}) mesh.add_vertex(Vec3(p));
    for (const Triangle& t : {Triangle{0, 1, 2}, Triangle{0, 3, 1}, Triangle{1, 3, 2}, Triangle{2, 3, 0}}) mesh.add_face(t);
    return mesh;
  }();
  Mesh speck = in_triangles(cube(1));
  for (Vec3& p : speck.positions) p = Vec3(30, 0, 0) + 1e-14 * p;
  // A wall, its cavity and an island in that; another beside it. In every combination of ways to look.
  const std::vector<Mesh> solids{in_triangles(cube(10)), in_triangles(cube(4)), in_triangles(cube(2)), placed(in_triangles(cube(3)), {12, 0, 0})};
  for (unsigned ways = 0; ways < 16; ++ways) {
    Mesh all;
    for (std::size_t k = 0; k < solids.size(); ++k) {
      append(all, (ways >> k & 1) != 0 ? turned_over(solids[k]) : solids[k]);
      append(all, ways % 2 == 0 ? flat : speck);
    }
    recast::Contour contour;
    contour.positions = contour.smooth = contour.middle = all.positions;
    contour.sharpness.resize(all.positions.size());
    for (Index f = 0; f < all.face_count(); ++f) {
      contour.triangles.push_back({all.face(f)[0], all.face(f)[1], all.face(f)[2]});
      contour.source.push_back(f);
    }
    recast::settle_shells(contour, 1);
    Mesh made;
    made.positions = contour.positions;
    for (const Triangle& t : contour.triangles) made.add_face(t);
    INFO(ways);
    CHECK(judge(made).sound());
    CHECK(made.positions.size() == 32);
    CHECK(contour.source.size() == 48);
    CHECK(signed_volume(made) == Approx(1000 - 64 + 8 + 27));
  }
}

TEST_CASE("material slots come along, and slots of one name are one") {
  Mesh one = cube(10), other = placed(cube(10), {20, 0, 0});
  one.materials.names = {"steel", "brass"};
  one.materials.of_face = {0, 0, 1, 0, 0, 0};
  other.materials.names = {"brass"};
  other.materials.of_face.assign(6, 0);
  const BooleanResult skin = recast_of({one, other}, {0.9});
  REQUIRE(skin.mesh.materials.names.size() == 2);
  double steel = 0;
  for (Index f = 0; f < skin.mesh.face_count(); ++f)
    if (skin.mesh.materials.names[skin.mesh.materials.of_face[f]] == "steel") steel += newell_normal(skin.mesh.positions, skin.mesh.face(f)).norm() / 2;
  CHECK(steel == Approx(500).epsilon(0.05));
}

TEST_CASE("random heaps and bodies at random angles: sound, near, and with their edges") {
  for (unsigned seed = 1; seed <= 3; ++seed) CHECK(what_is_wrong_with_recast(seed, 30) == "");
  for (unsigned seed = 1; seed <= 5; ++seed) CHECK(what_is_wrong_with_recast_of_damaged(seed, 50) == "");
  // One of whose skin no grid leaves little crossing, ones where it stood off the parts between rims of holes or across a gap, and one where a vertex got hundreds of slivers, which the engine took half an hour for.
  for (const unsigned seed : {70035u, 70043u, 70052u, 70091u}) CHECK(what_is_wrong_with_recast(seed) == "");
  for (const unsigned seed : {23u, 24u, 2u, 3u, 4u, 6u, 8u, 13u, 15u, 19u, 22u}) CHECK(what_is_wrong_with_sharp_recast(seed) == "");
}

TEST_CASE("where holes of the buoy cap's open sheets are spanned, the skin is taut: it hardly turns from face to face") {
  const auto cap = read_mesh(std::filesystem::path(DEMO_DATA) / "buoy-cap.ply");
  REQUIRE(cap);
  RecastSettings settings;
  settings.detail = 1;
  const auto made = recast_parts(std::vector<recast::Part>{{shared(cap->mesh), "cap"}}, settings);
  REQUIRE(made);
  CHECK(judge(in_triangles(made->mesh)).sound());
  const EdgeTable edges = build_edges(made->mesh);
  const DistanceToSurface off(cap->mesh);
  std::vector<char> on_part;
  for (const Vec3& p : made->mesh.positions) on_part.push_back(off(p) < 0.01);
  std::size_t spanned = 0, sharp = 0;
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    if (uses.size() != 2) continue;
    const Index f = edges.corner_face[uses[0]], g = edges.corner_face[uses[1]];
    if (on_part[edges.vertices[e][0]] || on_part[edges.vertices[e][1]]) continue;
    const auto normal = [&](Index face) { return newell_normal(made->mesh.positions, made->mesh.face(face)).normalized(); };
    ++spanned;
    sharp += normal(f).dot(normal(g)) < std::cos(20 * std::numbers::pi / 180);
  }
  INFO(sharp << " of " << spanned << " edges away from the cap");
  CHECK(spanned > 3000);
  CHECK(static_cast<double>(sharp) < 0.032 * static_cast<double>(spanned));
}
