// SPDX-License-Identifier: GPL-3.0-or-later
#include <tbb/parallel_for.h>

#include <random>
#include <set>

#include "core/boolean/combine.h"
#include "core/mend/mend.h"
#include "core/mesh/deviation.h"
#include "core/mesh/edges.h"
#include "core/mesh/mesh_editor.h"
#include "core/mesh/weld.h"
#include "tests/support/damage.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

std::vector<const Mender*> ticked_menders() {
  std::vector<const Mender*> menders;
  for (const Mender* mender : mender_table())
    if (mender->ticked) menders.push_back(mender);
  return menders;
}
Mended mended(const Mesh& mesh, MendSettings settings = {}) {
  const auto menders = ticked_menders();
  settings.menders = menders;
  return mend(mesh, settings);
}
std::set<std::vector<std::array<double, 3>>> faces_of(const Mesh& mesh) {
  std::set<std::vector<std::array<double, 3>>> faces;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    std::vector<std::array<double, 3>> ring;
    for (Index v : mesh.face(f)) ring.push_back({mesh.positions[v].x(), mesh.positions[v].y(), mesh.positions[v].z()});
    std::rotate(ring.begin(), std::min_element(ring.begin(), ring.end()), ring.end());
    faces.insert(ring);
  }
  return faces;
}

}  // namespace

TEST_CASE("every kind of damage on every body, one seed each, is found, counted and mended") {
  // A share of tests/core/mend_fuzz.cpp; CGAL and the volume judge.
  const std::size_t kinds = damage_kinds().size(), bodies = bodies_to_damage().size();
  CHECK(kinds >= 22);
  CHECK(bodies >= 8);
  std::vector<std::string> wrong((kinds + 1) * bodies);
  tbb::parallel_for(std::size_t{0}, wrong.size(), [&](std::size_t k) {
    if (k % bodies != 3 || k / bodies % 5 == 0) wrong[k] = what_is_wrong_with_mending(k % bodies, k / bodies, 1);  // the large ball now and then
  });
  for (std::size_t k = 0; k < wrong.size(); ++k) {
    INFO("kind " << k / bodies << ", " << bodies_to_damage()[k % bodies].name);
    CHECK(wrong[k] == "");
  }
}

TEST_CASE("whether a mesh is sound is told alike with and without the records") {
  for (const auto& body : {bodies_to_damage()[0], bodies_to_damage()[1], bodies_to_damage()[6]}) {
    CHECK(is_sound(body.mesh, {}, 1));
    for (const DamageKind& kind : damage_kinds()) {
      Damage damage(body.mesh);
      if (!kind.inflict(damage)) continue;
      INFO(body.name << ", " << kind.name);
      CHECK(is_sound(damage.mesh, {}, 1) == check_soundness(damage.mesh).sound);
      // As one of two pieces it decides for both.
      Mesh both = body.mesh;
      append(both, damage.mesh);
      std::vector<Index> piece(body.mesh.face_count(), 0);
      piece.resize(both.face_count(), 1);
      CHECK(is_sound(both, piece, 2) == check_pieces(both, piece, 2).sound);
    }
  }
}

TEST_CASE("faces extruded by nothing are cleaned back to the old mesh, polygon for polygon") {
  // Common practice: removing the zero-length edges must give the old mesh back.
  const Mesh old = stock("sphere", {10, 16, 8});
  Mesh mesh = old;
  std::vector<Index> ring(mesh.face(40).begin(), mesh.face(40).end()), lifted;
  for (Index v : ring) lifted.push_back(mesh.add_vertex(Vec3(mesh.positions[v])));
  Mesh extruded = without_faces(mesh, {40});
  for (std::size_t k = 0; k < 4; ++k) extruded.add_face({ring[k], ring[(k + 1) % 4], lifted[(k + 1) % 4], lifted[k]});
  extruded.add_face(lifted);
  REQUIRE_FALSE(check_soundness(extruded).sound);
  const Mended result = mended(extruded);
  CHECK(result.after.sound);
  CHECK(faces_of(result.mesh) == faces_of(old));
  CHECK(result.mesh.positions.size() == old.positions.size());
}

TEST_CASE("after the wall of a mirrored part is taken out, an edge loop can be walked all around the seam") {
  // Common practice.
  Mesh mesh = cube(2);
  append(mesh, placed(cube(2), {2, 0, 0}));
  const Mended result = mended(welded(mesh));
  REQUIRE(result.after.sound);
  CHECK(result.after.volume == Approx(16));
  // The four edges in the plane x = 1 follow each other around, each between two faces.
  const EdgeTable edges = build_edges(result.mesh);
  std::size_t seam = 0;
  for (std::size_t e = 0; e < edges.size(); ++e) {
    const auto [v, w] = edges.vertices[e];
    if (result.mesh.positions[v].x() != 1 || result.mesh.positions[w].x() != 1) continue;
    ++seam;
    CHECK(edges.corners_of(e).size() == 2);
  }
  CHECK(seam == 4);
  CHECK(result.mesh.face_count() == 10);
}

TEST_CASE("the halves of a hollow part meet although their corners are off by a hair and one of them kept its wall") {
  // Common practice. The volume taken as known is twice that of the half.
  const auto half = combine({{shared(stock("cylinder", {20, 40, 48})), "outside"}, {shared(stock("cylinder", {18, 38, 48})), "hollow", Operation::difference},
                             {shared(placed(stock("box", {60, 60, 60}), {30, 0, 0})), "other side", Operation::difference}});
  REQUIRE(half);
  std::vector<std::size_t> wall;
  for (std::size_t f = 0; f < half->mesh.face_count(); ++f) {
    const auto ring = half->mesh.face(f);
    if (std::all_of(ring.begin(), ring.end(), [&](Index v) { return half->mesh.positions[v].x() == 0; })) wall.push_back(f);
  }
  REQUIRE_FALSE(wall.empty());
  for (const double off : {1e-15, 1e-9, 1e-5}) {
    Mesh other = half->mesh;
    std::mt19937 random(5);
    for (Vec3& p : other.positions) {
      if (p.x() == 0)
        for (double& c : p) c += off * std::uniform_real_distribution<double>(-1, 1)(random);
      p.x() = -p.x();
    }
    reverse_faces(other);
    Mesh both = half->mesh;
    append(both, without_faces(other, wall));
    const Mended result = mended(both);
    INFO("off by " << off << ": " << verdict(result.after));
    CHECK(result.after.sound);
    CHECK(result.after.shells == 2);
    CHECK(signed_volume(result.mesh) == Approx(2 * signed_volume(half->mesh)).epsilon(1e-5));
  }
}

TEST_CASE("welding stops at a thin wall: what would turn a face over or take one away stays apart") {
  // A sheet with an open slit of 1e-4 between two rims, its faces much narrower than the tolerance would allow.
  Mesh mesh;
  for (const Vec3& p : {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(1, 1e-3, 0), Vec3(0, 1e-3, 0)}) mesh.add_vertex(p);
  mesh.add_face({0, 1, 2, 3});
  MendSettings settings;
  settings.tolerance = 1e-2;
  const std::array only{&menders::weld};
  settings.menders = only;
  const Mended result = mend(mesh, settings);
  CHECK(result.mesh.face_count() == 1);
  CHECK(result.mesh.positions.size() == 4);
}

TEST_CASE("where shells alternate, a shell inside another becomes a cavity; where they add, it goes") {
  Mesh mesh = cube(4);
  append(mesh, cube(2));
  MendSettings settings;
  CHECK(mended(mesh, settings).after.volume == Approx(64));
  settings.solid = Solid::alternate;
  CHECK(mended(mesh, settings).after.volume == Approx(64 - 8));
  // Crossing shells: union, or what lies in one of both only.
  Mesh crossing = cube(2);
  append(crossing, placed(cube(2), {1, 0.25, 0.125}));
  const double common = 1 * 1.75 * 1.875;
  settings.solid = Solid::add;
  const Mended united = mended(crossing, settings);
  CHECK(united.after.sound);
  CHECK(united.after.volume == Approx(16 - common).epsilon(1e-9));
  settings.solid = Solid::alternate;
  const Mended either = mended(crossing, settings);
  CHECK(either.after.sound);
  CHECK(either.after.volume == Approx(16 - 2 * common).epsilon(1e-9));
}

TEST_CASE("a small cavity is no stray and stays") {
  Mesh mesh = cube(100), bubble = cube(1);
  reverse_faces(bubble);
  append(mesh, bubble);
  REQUIRE(check_soundness(mesh).sound);
  CHECK(check_soundness(mesh).count(families::stray_shells) == 0);
  const Mended result = mended(mesh);
  CHECK(result.deeds.empty());
  CHECK(result.after.volume == Approx(1e6 - 1));
}

TEST_CASE("places where a sound mesh touches itself are opened when that is asked for, and only then") {
  Mesh mesh = cube(2);
  append(mesh, placed(cube(2), {2, 2, 0}));
  REQUIRE(check_soundness(mesh).count(families::contact_edges) == 1);
  CHECK(mended(mesh).deeds.empty());
  MendSettings settings;
  const auto all = mender_table();
  settings.menders = all;
  settings.opening = 1e-3;
  const Mended result = mend(mesh, settings);
  REQUIRE(result.deeds.size() == 1);
  CHECK(result.deeds[0].mender == &menders::opening);
  CHECK(result.after.sound);
  CHECK(result.after.count(families::contact_edges) == 0);
  CHECK(result.source.size() == result.mesh.face_count());
  CHECK(judge(in_triangles(result.mesh)).sound());
}

TEST_CASE("faces away from a repair keep their vertices bit for bit, their polygons, and their material") {
  Mesh mesh = stock("torus", {40, 14, 36, 18});
  mesh.materials.names = {"body", "rim"};
  for (Index f = 0; f < mesh.face_count(); ++f) mesh.materials.of_face.push_back(f % 2);
  Mesh open = without_faces(mesh, {100});
  open.materials = mesh.materials;
  open.materials.of_face.erase(open.materials.of_face.begin() + 100);
  const Mended result = mended(open);
  REQUIRE(result.after.sound);
  const auto after = faces_of(result.mesh);
  for (const auto& face : faces_of(open)) REQUIRE(after.count(face) == 1);
  for (Index f = 0; f < result.mesh.face_count(); ++f)
    if (result.source[f] != no_index) REQUIRE(result.mesh.materials.of_face[f] == open.materials.of_face[result.source[f]]);
  CHECK(std::count(result.source.begin(), result.source.end(), no_index) >= 1);
}

TEST_CASE("a hole longer than asked for stays open, and that is told") {
  MendSettings settings;
  settings.longest_hole = 7;
  const Mended result = mended(without_faces(cube(2), {1}), settings);
  CHECK_FALSE(result.after.sound);
  REQUIRE(result.left.size() == 1);
  CHECK(result.left[0].find("8 mm") != std::string::npos);
  settings.longest_hole = 8;
  CHECK(mended(without_faces(cube(2), {1}), settings).after.sound);
}

TEST_CASE("a curved hole is filled to the curve beside it, not cut flat") {
  // A ball of radius 20 with a patch missing: a flat filling would lose the cap, the faired one keeps most of it.
  const Mesh ball = stock("icosphere", {40, 3});
  std::vector<std::size_t> gone;
  for (std::size_t f = 0; f < ball.face_count(); ++f) {
    Vec3 middle = Vec3::Zero();
    for (Index v : ball.face(f)) middle += ball.positions[v] / 3;
    if (middle.z() > 16) gone.push_back(f);
  }
  REQUIRE(gone.size() > 20);
  const Mended result = mended(without_faces(ball, gone));
  REQUIRE(result.after.sound);
  double top = 0;
  for (const Vec3& p : result.mesh.positions) top = std::max(top, p.z());
  CHECK(top > 18);
  CHECK(top < 22);
}

TEST_CASE("a mesh of random faces comes to an end, and is never worse than before") {
  std::mt19937 random(77);
  auto coarse = [&] { return static_cast<double>(random() % 4); };
  for (int i = 0; i < 60; ++i) {
    Mesh mesh;
    const auto vertices = 4 + random() % 10;
    for (std::size_t v = 0; v < vertices; ++v) mesh.add_vertex(Vec3(coarse(), coarse(), coarse()));
    for (auto f = 4 + random() % 14; f > 0; --f) {
      std::vector<Index> ring;
      for (auto k = 3 + random() % 3; k > 0; --k) ring.push_back(static_cast<Index>(random() % vertices));
      mesh.add_face(ring);
    }
    const Mended result = mended(mesh);
    CHECK(result.rounds <= max_mend_rounds);
    CHECK(result.source.size() == result.mesh.face_count());
    if (!result.after.sound) continue;
    const Judgement j = judge(in_triangles(result.mesh));
    INFO(i << ": manifold " << j.manifold << " closed " << j.closed << " crosses " << j.self_intersects << " bounds " << j.bounds_volume << " outward "
           << j.outward << " degenerate " << j.degenerate << " contacts " << j.contacts << " shells " << j.shells << " volume " << j.volume);
    CHECK(j.sound());
  }
}

TEST_CASE("the deviation of two surfaces is that of their points, both ways") {
  const Mesh small = cube(2), large = cube(3);
  const Deviation d = deviation_between(small, large);
  // Elementary: from a corner of the large cube to that of the small one, and from the small one's faces out by a half.
  CHECK(d.from_new.max == Approx(0.5 * std::sqrt(3.0)));
  CHECK(d.from_old.max == Approx(0.5));
  CHECK(d.from_old.mean == Approx(0.5));
  CHECK(d.place().cwiseAbs() == Vec3(1.5, 1.5, 1.5));
  CHECK(d.from_new.at_vertex.size() == 8);
  CHECK(deviation_between(small, small).max() == 0);
  // A dent in the middle of a large face is seen from both sides.
  Mesh dented = without_faces(cube(2), {1});
  const Index tip = dented.add_vertex({0, 0, 0.5});
  for (const auto& [a, b] : {std::pair<Index, Index>{4, 5}, {5, 7}, {7, 6}, {6, 4}}) dented.add_face({a, b, tip});
  REQUIRE(check_soundness(dented).sound);
  CHECK(deviation_between(cube(2), dented).from_new.max == Approx(0.5));
  CHECK(deviation_between(cube(2), dented).from_old.max > 0.3);
  CHECK(deviation_between(Mesh{}, cube(2)).max() == 0);
}

TEST_CASE("the deviation of needles has the mean of what changes evenly along them") {
  // Elementary: the distance from a tilted strip to the ground grows evenly, so its mean is that at the strip's centroid; two
  // tubes lie half the difference of their diameters apart.
  Mesh ground, strip;
  for (const Vec3& p : {Vec3(-50, -50, 0), Vec3(150, -50, 0), Vec3(150, 50, 0), Vec3(-50, 50, 0)}) ground.add_vertex(p);
  ground.add_face({0, 1, 2, 3});
  for (const Vec3& p : {Vec3(0, 0, 0), Vec3(100, -0.1, 3), Vec3(100, 0.1, 3)}) strip.add_vertex(p);
  strip.add_face({0, 1, 2});
  CHECK(deviation_between(ground, strip).from_new.mean == Approx(2).epsilon(1e-6));
  CHECK(deviation_between(ground, strip).from_new.max == Approx(3));
  const auto tube = [](double radius) {
    Mesh mesh;
    constexpr Index sides = 15000;
    for (Index k = 0; k < sides; ++k)
      for (double z : {0.0, 100.0}) mesh.add_vertex({radius * std::cos(2 * M_PI * k / sides), radius * std::sin(2 * M_PI * k / sides), z});
    for (Index k = 0; k < sides; ++k) mesh.add_face({2 * k, 2 * ((k + 1) % sides), 2 * ((k + 1) % sides) + 1, 2 * k + 1});
    return mesh;
  };
  const Deviation d = deviation_between(tube(20), tube(20.25));
  CHECK(d.from_old.mean == Approx(0.25).epsilon(1e-4));
  CHECK(d.from_new.mean == Approx(0.25).epsilon(1e-4));
}

TEST_CASE("the mesh editor carries out edits together and leaves the rest bit for bit") {
  const Mesh mesh = cube(2);
  MeshEditor edit(mesh);
  CHECK_FALSE(edit.any());
  const Index top = edit.add_vertex({0, 0, 2});
  const auto ring = edit.ring(1);
  edit.split_face(1, {{ring[0], ring[1], top}, {ring[1], ring[2], top}, {ring[2], ring[3], top}, {ring[3], ring[0], top}});
  edit.reverse_face(0);
  edit.reverse_face(0);
  const EditedMesh made = edit.finish();
  CHECK(made.mesh.face_count() == 9);
  CHECK(made.mesh.positions.size() == 9);
  CHECK(signed_volume(made.mesh) == Approx(8 + 4.0 / 3));
  CHECK(made.source == std::vector<Index>{0, 1, 2, 3, 4, 5, 1, 1, 1});
  // Merged corners vanish, and so does what has fewer than three of them left.
  MeshEditor collapse(mesh);
  collapse.merge_vertex(5, 4);
  const EditedMesh collapsed = collapse.finish();
  CHECK(collapsed.mesh.positions.size() == 7);
  std::size_t triangles = 0;
  for (std::size_t f = 0; f < collapsed.mesh.face_count(); ++f) triangles += collapsed.mesh.face(f).size() == 3;
  CHECK(triangles == 2);
  // A face that would pass a vertex twice falls apart there.
  Mesh bow;
  for (int k = 0; k < 6; ++k) bow.add_vertex({double(k), double(k * k), 0});
  bow.add_face({0, 1, 2, 3, 4, 5});
  MeshEditor pinch(bow);
  pinch.merge_vertex(3, 0);
  CHECK(pinch.finish().mesh.face_count() == 2);
}

TEST_CASE("a face by itself is left as it is, with the reason, however often one looks") {
  Mesh one;
  for (const Vec3& p : {Vec3(1, 2, 3), Vec3(2, 3, 1), Vec3(3, 1, 2)}) one.add_vertex(p);
  one.add_face({0, 1, 2});
  Mesh bent = stock("box", {2, 2, 2});
  bent = without_faces(bent, {1, 2, 3, 4, 5});
  bent.positions[bent.face(0)[0]] += Vec3(0.3, 0.4, 0.5);  // four corners out of one plane
  for (const Mesh& mesh : {one, bent}) {
    const Mended left = mended(mesh);
    CHECK(faces_of(left.mesh) == faces_of(mesh));
    for (const Deed& deed : left.deeds) CHECK(deed.mender == &menders::loose_vertices);
    CHECK(std::find(left.left.begin(), left.left.end(), "a face by itself encloses nothing") != left.left.end());
  }
}

TEST_CASE("a face that goes around its corners several times becomes one that goes around once") {
  Mesh box = stock("box", {2, 2, 2});
  Mesh wound;
  wound.positions = box.positions;
  for (Index f = 0; f < box.face_count(); ++f) {
    std::vector<Index> ring(box.face(f).begin(), box.face(f).end());
    if (f == 2)
      for (int k = 0; k < 5; ++k) ring.insert(ring.end(), box.face(f).begin(), box.face(f).end());
    wound.add_face(ring);
  }
  REQUIRE_FALSE(check_soundness(wound).sound);
  const Mended result = mended(wound);
  CHECK(result.after.sound);
  CHECK(faces_of(result.mesh) == faces_of(box));
  REQUIRE_FALSE(result.deeds.empty());
  CHECK(result.deeds[0].mender == &menders::folds);
  CHECK(result.deeds[0].count == 1);
}
