// SPDX-License-Identifier: GPL-3.0-or-later
// The families that stand beside those which decide the verdict, scope and tolerance.
#include "core/mesh/boundary.h"
#include "core/mesh/near_points.h"
#include "core/mesh/weld.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

std::size_t count(const Mesh& mesh, const Family& family, double tolerance = -1) {
  return check_soundness(mesh, {}, {.tolerance = tolerance}).count(family);
}

/// A cube, on whose side x = 1 the upper edge has its middle as a corner, in that side only.
Mesh with_junction(double off = 0) {
  Mesh mesh = cube(2);
  const Index m = mesh.add_vertex({1 + off, 0, 1});
  Mesh made;
  made.positions = mesh.positions;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    std::vector<Index> ring;
    bool side = true;
    for (Index v : mesh.face(f)) side = side && mesh.positions[v].x() == 1;
    for (std::size_t k = 0; k < 4; ++k) {
      const Index v = mesh.face(f)[k], w = mesh.face(f)[(k + 1) % 4];
      ring.push_back(v);
      if (side && mesh.positions[v].z() == 1 && mesh.positions[w].z() == 1) ring.push_back(m);
    }
    made.add_face(ring);
  }
  return made;
}

}  // namespace

TEST_CASE("a vertex on the inside of another face's edge is a T-junction: exactly, or within the tolerance") {
  const SoundnessReport report = check_soundness(with_junction(), {}, {.tolerance = 0});
  REQUIRE(report.count(families::t_junctions) == 1);
  const Defect& junction = report.of(families::t_junctions).defects[0];
  CHECK(junction.position == Vec3(1, 0, 1));
  CHECK(junction.edges.size() == 1);
  CHECK(junction.faces.size() == 2);
  CHECK_FALSE(report.sound);
  CHECK(count(with_junction(1e-8), families::t_junctions, 0) == 0);
  CHECK(count(with_junction(1e-8), families::t_junctions, 1e-7) == 1);
  CHECK(count(cube(2), families::t_junctions) == 0);
}

TEST_CASE("edges with more than two faces say why: a fin, an inner wall, touching walls") {
  const auto kinds = [](const Mesh& mesh) {
    std::set<std::string> found;
    const SoundnessReport report = check_soundness(mesh);
    for (const Defect& d : report.of(families::non_manifold_edges).defects) found.insert(d.kind);
    return found;
  };
  Mesh fin = cube(2);
  const Index a = fin.add_vertex({-1, -1, 3}), b = fin.add_vertex({1, -1, 3});
  fin.add_face({4, 5, b, a});
  CHECK(kinds(fin) == std::set<std::string>{"fin"});
  Mesh halves = cube(2);
  append(halves, placed(cube(2), {2, 0, 0}));
  halves = welded(halves);
  std::size_t wall = 0;
  for (std::size_t f = 0; f < halves.face_count(); ++f) {
    bool at_one = true;
    for (Index v : halves.face(f)) at_one = at_one && halves.positions[v].x() == 1;
    if (at_one) wall = f;
  }
  CHECK(kinds(without_faces(halves, {wall})) == std::set<std::string>{"inner_wall"});
  Mesh touching = cube(2);
  append(touching, placed(cube(2), {2, 2, 0}));
  CHECK(kinds(welded(touching)) == std::set<std::string>{"touching_shells"});
}

TEST_CASE("a cavity with a fin in it is not taken for a wall, nor is a solid with a hole for a fin of its wall") {
  Mesh hollow = cube(8), core = cube(4);
  reverse_faces(core);
  const auto first = static_cast<Index>(hollow.positions.size());
  append(hollow, core);
  const Index a = hollow.add_vertex({-1, -1, 1}), b = hollow.add_vertex({1, -1, 1});
  hollow.add_face({first + 4, first + 5, b, a});
  const SoundnessReport report = check_soundness(hollow);
  CHECK(report.count(families::fins) == 1);
  CHECK(report.count(families::inner_walls) == 0);
  CHECK(report.count(families::flipped_faces) == 0);

  Mesh halves = cube(2);
  append(halves, placed(cube(2), {2, 0, 0}));
  halves = welded(halves);
  std::vector<std::size_t> gone;
  for (std::size_t f = 0; f < halves.face_count(); ++f) {
    bool wall = true, end = true;
    for (Index v : halves.face(f)) wall = wall && halves.positions[v].x() == 1, end = end && halves.positions[v].x() == 3;
    if ((wall && gone.empty()) || end) gone.push_back(f);
  }
  REQUIRE(gone.size() == 2);
  const SoundnessReport open = check_soundness(without_faces(halves, gone));
  CHECK(open.holes() == 1);
  CHECK(open.count(families::fins) == 0);
}

TEST_CASE("holes say how long their boundary is and whether they are flat, and meet in a vertex without becoming one") {
  const SoundnessReport flat = check_soundness(without_faces(cube(2), {1}));
  const Defect& hole = flat.of(families::open_edges).defects.at(0);
  CHECK(hole.length == 8);
  CHECK(hole.planar);
  CHECK(hole.note == "flat hole, 4 edges in quads, 8 mm");
  const SoundnessReport bent = check_soundness(without_faces(cube(2), {1, 2}));
  REQUIRE(bent.of(families::open_edges).defects.size() == 1);
  CHECK_FALSE(bent.of(families::open_edges).defects[0].planar);
  // Four quads around a vertex of a sheet, two of them gone across from each other: loops of their own from any start.
  Mesh sheet;
  for (int y = 0; y < 5; ++y)
    for (int x = 0; x < 5; ++x) sheet.add_vertex({double(x), double(y), 0});
  for (Index y = 0; y < 4; ++y)
    for (Index x = 0; x < 4; ++x)
      if (!((x == 1 && y == 1) || (x == 2 && y == 2))) sheet.add_face({5 * y + x, 5 * y + x + 1, 5 * y + x + 6, 5 * y + x + 5});
  const auto chains = boundary_chains(build_edges(sheet));
  REQUIRE(chains.size() == 3);
  std::multiset<std::size_t> lengths;
  for (const BoundaryChain& chain : chains) {
    CHECK(chain.closed);
    lengths.insert(chain.edges.size());
  }
  CHECK(lengths == std::multiset<std::size_t>{4, 4, 16});
}

TEST_CASE("needles, caps, short edges and polygons that are not flat, convex or of four corners are notes, not defects") {
  Mesh mesh;
  for (const Vec3& p : {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(1, 1e-3, 0), Vec3(0.5, -1e-3, 0)}) mesh.add_vertex(p);
  mesh.add_face({0, 1, 2});  // a needle
  mesh.add_face({1, 0, 3});  // a cap
  CHECK(count(mesh, families::needles) == 1);
  CHECK(count(mesh, families::caps) == 1);
  CHECK(count(mesh, families::short_edges, 1e-2) == 1);
  CHECK(count(mesh, families::short_edges, 0) == 0);
  const Mesh prism = stock("prism", {10, 5, 6});
  CHECK(count(prism, families::ngons) == 2);
  CHECK(check_soundness(prism).sound);
  const Mesh star = stock("star-prism", {10, 5, 4, 5});
  CHECK(count(star, families::concave_faces) == 2);
  Mesh bent = cube(2);
  bent.positions[0].z() -= 0.1;  // of the three quads there, two stay in their planes
  CHECK(count(bent, families::non_planar_faces) == 1);
  CHECK(count(cube(2), families::non_planar_faces) == 0);
}

TEST_CASE("vertices that no face uses are loose, and are told beside the verdict") {
  Mesh mesh = cube(2);
  mesh.add_vertex({5, 5, 5});
  const SoundnessReport report = check_soundness(mesh);
  CHECK(report.sound);
  CHECK(verdict(report) == "Sound, with 1 loose vertex");
}

TEST_CASE("only defects of the chosen faces are told where a scope is given, and only the families asked for") {
  Mesh mesh = without_faces(cube(2), {1});
  append(mesh, placed(without_faces(cube(2), {1}), {5, 0, 0}));
  CheckSettings settings;
  settings.scope.assign(mesh.face_count(), 0);
  settings.scope[7] = 1;
  const SoundnessReport scoped = check_soundness(mesh, {}, settings);
  REQUIRE(scoped.holes() == 1);
  CHECK(scoped.of(families::open_edges).defects[0].position.x() == 5);
  const std::array only{&families::flipped_faces};
  CHECK(check_soundness(mesh, {}, {.families = only}).families.size() == 1);
}

TEST_CASE("near pairs are those that trying all pairs finds") {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> any(-1, 1);
  std::vector<Vec3> points;
  for (int k = 0; k < 300; ++k) points.emplace_back(any(random), any(random), k % 2 == 0 ? 0 : any(random));
  std::set<std::pair<Index, Index>> found, wanted;
  for_each_near_pair(points, 0.15, [&](Index i, Index j) { CHECK(found.insert({i, j}).second); });
  for (Index i = 0; i < points.size(); ++i)
    for (Index j = i + 1; j < points.size(); ++j)
      if ((points[i] - points[j]).norm() <= 0.15) wanted.insert({i, j});
  CHECK(found == wanted);
  CHECK(wanted.size() > 100);
}
