// SPDX-License-Identifier: GPL-3.0-or-later
// What is written to files is sound for whoever reads it back. The random families are tests/support/random_files.h;
// `file_fuzz` runs more of them.
#include "core/boolean/combine.h"
#include "core/boolean/open_touching.h"
#include "core/boolean/settle.h"
#include "core/io/mesh_file.h"
#include "core/mesh/weld.h"
#include "core/shape/mirror.h"
#include "core/soundness/check.h"
#include "core/soundness/readings.h"
#include "tests/support/meshes.h"
#include "tests/support/random_files.h"
#include "tests/support/random_solids.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

void holds_for(Mesh (*family)(unsigned), unsigned cases) {
  unsigned written = 0;
  for (unsigned seed = 1; seed <= cases; ++seed) {
    const Mesh mesh = family(seed);
    if (mesh.empty()) continue;
    INFO("seed " << seed);
    CHECK(what_is_wrong_with_files(mesh) == "");
    ++written;
  }
  CHECK(written > cases / 2);
}

Mesh two_cubes(const Vec3& apart) {
  Mesh mesh = cube();
  append(mesh, placed(cube(), apart));
  return mesh;
}

/// The least distance of two vertices.
double least_distance(const Mesh& mesh) {
  double least = 1e300;
  for (std::size_t a = 0; a < mesh.positions.size(); ++a)
    for (std::size_t b = 0; b < a; ++b) least = std::min(least, (mesh.positions[a] - mesh.positions[b]).norm());
  return least;
}

}  // namespace

TEST_CASE("boxes that touch along edges, at vertices and both are sound in 32-bit files") { holds_for(touching_boxes, 120); }
TEST_CASE("bodies with flats and fillets, shifted by a quarter of their size, are sound in 32-bit files") { holds_for(shifted_fillets, 60); }
TEST_CASE("skins and gaps of 1e-9 to 1e-5 of the size are sound in 32-bit files") { holds_for(thin_skins, 60); }
TEST_CASE("random results are sound in 32-bit files") { holds_for(random_result, 100); }

TEST_CASE("places that touch are opened by the width that was asked for, into the material") {
  for (const Vec3& apart : {Vec3(2, 2, 0), Vec3(2, 2, 2)}) {
    Mesh mesh = two_cubes(apart);
    const double volume = signed_volume(mesh);
    const Opened opened = open_touching(mesh, {0.01});
    CHECK(opened.places == 1);
    CHECK(opened.width == 0.01);
    CHECK(opened.left.empty());
    // Two corners of right angles, each moved half of the width towards the middle of its material.
    CHECK(least_distance(mesh) == Approx(0.01).epsilon(1e-9));
    CHECK(signed_volume(mesh) < volume);
    CHECK(judge(in_triangles(mesh)).sound());
    CHECK(check_soundness(welded(mesh)).sound);
  }
}

TEST_CASE("the tip of a cavity that touches the outer wall goes back into the cavity") {
  // A pyramid-shaped cavity whose tip reaches the middle of the top, where the outer surface has a vertex as well.
  Mesh outer = stock("box", {4, 4, 4});
  Mesh mesh = without_faces(outer, {1});
  const auto top = outer.face(1);
  REQUIRE(outer.positions[top[0]].z() == 2);
  const Index middle = mesh.add_vertex({0, 0, 2});
  for (std::size_t k = 0; k < 4; ++k) mesh.add_face({top[k], top[(k + 1) % 4], middle});
  Mesh cavity = placed(stock("frustum", {2, 0, 2, 4}), {0, 0, 1});
  reverse_faces(cavity);
  append(mesh, cavity);
  REQUIRE(check_soundness(mesh).sound);
  const double volume = signed_volume(mesh);
  const Opened opened = open_touching(mesh, {0.01});
  CHECK(opened.places == 1);
  CHECK(opened.left.empty());
  CHECK(signed_volume(mesh) > volume);
  CHECK(judge(in_triangles(mesh)).sound());
}

TEST_CASE("a mesh that touches itself nowhere is not changed by opening") {
  Mesh mesh = stock("torus", {10, 3, 16, 8});
  const Mesh before = mesh;
  CHECK(open_touching(mesh).places == 0);
  CHECK(mesh.positions == before.positions);
  CHECK(mesh.corners == before.corners);
}

TEST_CASE("an STL says how many touching places were opened and how wide; 3MF needs no opening") {
  const TemporaryFolder folder;
  std::vector<std::string> notes;
  REQUIRE(write_mesh(two_cubes({2, 2, 0}), folder / "two.stl", &notes));
  CHECK(notes == std::vector<std::string>{"1 place where it touches itself opened by 1e-05 mm"});
  notes.clear();
  REQUIRE(write_mesh(two_cubes({2, 2, 0}), folder / "two.3mf", &notes));
  CHECK(notes.empty());
  CHECK(read_mesh(folder / "two.3mf")->mesh.positions == two_cubes({2, 2, 0}).positions);
}

TEST_CASE("an open mesh with an unwelded seam is written as it is, not torn further") {
  const TemporaryFolder folder;
  // Two halves of a box without the wall between them; the seam has its vertices twice.
  Mesh mesh;
  for (double side : {-1.0, 1.0}) {
    Mesh half = placed(stock("box", {2, 2, 2}), {side, 0, 0});
    std::vector<std::size_t> wall;
    for (std::size_t f = 0; f < half.face_count(); ++f)
      if (std::all_of(half.face(f).begin(), half.face(f).end(), [&](Index v) { return half.positions[v].x() == 0; })) wall.push_back(f);
    append(mesh, without_faces(half, wall));
  }
  REQUIRE(write_mesh(mesh, folder / "seam.stl"));
  CHECK(check_soundness(read_mesh(folder / "seam.stl")->mesh).sound);
}

TEST_CASE("a solid that is thinner than 32 bits everywhere is refused for STL, with what to do") {
  const TemporaryFolder folder;
  Mesh thin = placed(stock("box", {2, 2, 2}), {1, 1, 1});
  for (Vec3& p : thin.positions) p.z() = 1 + 1e-9 * p.z();
  REQUIRE(check_soundness(thin).sound);
  const auto written = write_mesh(thin, folder / "thin.stl");
  REQUIRE_FALSE(written);
  CHECK(written.issue().message().find("OFF") != std::string::npos);
  CHECK(folder.file_count() == 0);
  CHECK(write_mesh(thin, folder / "thin.off"));
}

TEST_CASE("a needle that is thinner than 32 bits leaves nothing of itself in an STL") {
  const TemporaryFolder folder;
  Mesh mesh = placed(cube(), {4, 0, 0});
  Mesh needle = placed(stock("box", {2, 2, 2}), {1, 1, 1});
  for (Vec3& p : needle.positions) p = Vec3(p.x(), 1 + 1e-12 * p.y(), 1 + 1e-12 * p.z());
  append(mesh, needle);
  REQUIRE(check_soundness(mesh).sound);
  REQUIRE(write_mesh(mesh, folder / "needle.stl"));
  const Mesh back = read_mesh(folder / "needle.stl")->mesh;
  CHECK(back.face_count() == 12);
  CHECK(judge(back).sound());
}

TEST_CASE("results that are all skins come as sound files or not at all") {
  // Found by the long random run; of the second, rounding would have told that it is inside out.
  for (unsigned seed : {1263u, 2363u}) {
    const auto [a, b] = random_pair(seed);
    CAPTURE(seed);
    CHECK(what_is_wrong(a, b, true) == "");
  }
}

TEST_CASE("where solids touch at a vertex with faces all around it, that is opened too") {
  // Found by the long random run: no direction leads behind all faces there.
  const auto [a, b] = random_pair(9907);
  CHECK(what_is_wrong(a, b, true) == "");
}

TEST_CASE("slivers a few steps of 32 bits apart settle when contact closes far less than they are apart") {
  // Found by the long random run: four steps of contact made ever more of them.
  const auto [a, b] = random_pair(18832);
  CHECK(what_is_wrong(a, b, true) == "");
}

TEST_CASE("settling may cross what it makes in many points and still come to rest") {
  // Found by the long random run, when a limit meant for contact was set there too: nothing settled.
  const auto [a, b] = random_pair(10756);
  CHECK(what_is_wrong(a, b, true) == "");
}

TEST_CASE("where rounding makes a tangle, near things are made to meet before it") {
  // Found by the long random run: neither settled as long as rounding came first.
  CHECK(what_is_wrong_with_files(shifted_fillets(4233)) == "");
  CHECK(what_is_wrong_with_files(thin_skins(1366)) == "");
}

TEST_CASE("a triangle that is cut many times is paired once with each piece, so settling ends") {
  // The demo's gauge board, mirrored with a weld of 2.5 mm, filled the memory when it was settled.
  const auto board = read_mesh(DEMO_DATA "/gauge-board.off");
  REQUIRE(board);
  MirrorSettings settings;
  settings.point = {7.034234212621449, 1, -5};
  settings.how = MirrorHow::copy;
  settings.weld = 2.5;
  const auto mirrored = mirror(shared(board->mesh), "board", settings);
  REQUIRE(mirrored);
  CHECK(what_is_wrong_with_file(mirrored->result.mesh, ".stl") == "");
}

TEST_CASE("concave polygons come apart into few convex pieces, with the same area, volume and materials") {
  // The five corners of a star are reflex; a plane region needs at least half as many cuts as it has reflex corners
  // (Chazelle and Dobkin 1985), and joining triangles makes at most four times the fewest pieces (Hertel and Mehlhorn 1983).
  Mesh star = stock("star-prism", {20, 10, 10, 5});
  star.materials.names = {"steel", "brass"};
  star.materials.of_face.assign(star.face_count(), 0);
  std::size_t ends = 0;
  for (std::size_t f = 0; f < star.face_count(); ++f)
    if (star.face(f).size() == 10) star.materials.of_face[f] = 1, ++ends;
  REQUIRE(ends == 2);
  const Mesh convex = convex_faces(star);
  CHECK(convex.positions == star.positions);
  CHECK(surface_area(convex) == Approx(surface_area(star)).epsilon(1e-12));
  CHECK(signed_volume(convex) == Approx(signed_volume(star)).epsilon(1e-12));
  std::size_t pieces = 0;
  for (std::size_t f = 0; f < convex.face_count(); ++f) pieces += convex.materials.of_face[f] == 1;
  CHECK(pieces >= 2 * 4);
  CHECK(pieces <= 2 * 8);
  CHECK(check_any_reader(convex).sound);
  CHECK(check_soundness(star).sound);
  CHECK_FALSE(check_any_reader(star).sound);
}

TEST_CASE("a polygon of very many corners is cut where another face stands on two of them that are not side by side") {
  for (const int sides : {40, 100}) {
    CAPTURE(sides);
    Mesh plate;
    std::vector<Index> ring;
    for (int k = 0; k < sides; ++k) {
      const double turn = 2 * std::numbers::pi * k / sides;
      ring.push_back(plate.add_vertex({10 * std::cos(turn), 10 * std::sin(turn), 0}));
    }
    plate.add_face(ring);
    const auto standing_on = [&](Index a, Index b) {
      Mesh mesh = plate;
      const Index c = mesh.add_vertex(mesh.positions[b] + Vec3(0, 0, 5)), d = mesh.add_vertex(mesh.positions[a] + Vec3(0, 0, 5));
      mesh.add_face({a, b, c, d});
      return convex_faces(mesh);
    };
    CHECK(standing_on(3, 4).face_count() == 2);
    CHECK(standing_on(0, static_cast<Index>(sides) - 1).face_count() == 2);
    CHECK(standing_on(3, 17).face_count() == static_cast<std::size_t>(sides) - 2 + 1);
  }
}

TEST_CASE("convex polygons that are flat stay whole; one with a corner in a straight side does not") {
  const Mesh prism = stock("prism", {10, 5, 6});
  CHECK(convex_faces(prism).corners == prism.corners);
  // A corner in the middle of an edge: a fan from its neighbour would have a triangle without area.
  Mesh box = cube();
  const Index a = box.face(0)[0], b = box.face(0)[1];
  const Index middle = box.add_vertex((box.positions[a] + box.positions[b]) / 2);
  Mesh split;
  split.positions = box.positions;
  for (std::size_t f = 0; f < box.face_count(); ++f) {
    std::vector<Index> ring;
    for (std::size_t k = 0; k < box.face(f).size(); ++k) {
      const Index v = box.face(f)[k], w = box.face(f)[(k + 1) % box.face(f).size()];
      ring.push_back(v);
      if ((v == a && w == b) || (v == b && w == a)) ring.push_back(middle);
    }
    split.add_face(ring);
  }
  REQUIRE(check_soundness(split).sound);
  CHECK_FALSE(check_any_reader(split).sound);
  const Mesh convex = convex_faces(split);
  CHECK(convex.face_count() == 4 + 2 * 2);
  CHECK(check_any_reader(convex).sound);
}
