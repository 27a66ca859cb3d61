// SPDX-License-Identifier: GPL-3.0-or-later
// Which shell lies within which is known here by how the shells were made, never by asking.
#include <catch2/catch.hpp>

#include <algorithm>
#include <numeric>

#include "core/mesh/bvh.h"
#include "core/query/line_winding.h"
#include "core/soundness/check.h"
#include "tests/support/dice.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// The same faces in another order, each begun at another corner.
Mesh shuffled(const Mesh& mesh, Random& random) {
  std::vector<Index> order(mesh.face_count());
  std::iota(order.begin(), order.end(), Index{0});
  std::shuffle(order.begin(), order.end(), random);
  Mesh out;
  out.positions = mesh.positions;
  for (const Index f : order) {
    const auto face = mesh.face(f);
    std::vector<Index> ring(face.begin(), face.end());
    std::rotate(ring.begin(), ring.begin() + below(random, static_cast<int>(ring.size())), ring.end());
    out.add_face(ring);
  }
  return out;
}

/// A needle with its tip at `tip` and a triangle as its base around `foot`; its faces look outwards.
Mesh needle(const Vec3& tip, const Vec3& foot, double width) {
  const Vec3 along = (tip - foot).normalized();
  const Vec3 u = along.unitOrthogonal(), v = along.cross(u);
  Mesh mesh;
  mesh.positions = {tip, foot + width * u, foot + width * (-0.5 * u + 0.8 * v), foot + width * (-0.5 * u - 0.8 * v)};
  for (const auto& t : {Triangle{0, 1, 2}, Triangle{0, 2, 3}, Triangle{0, 3, 1}, Triangle{1, 3, 2}}) mesh.add_face(t);
  if (signed_volume(mesh) < 0) reverse_faces(mesh);
  return mesh;
}

Mesh both(const Mesh& a, const Mesh& b) {
  Mesh mesh = a;
  append(mesh, b);
  return mesh;
}


}  // namespace

TEST_CASE("a sharp solid within a solid is a wall and a sharp cavity is a cavity, wherever its tip touches and in whatever order the faces come") {
  Random random(40);
  const Mesh outer = cube(4);
  // On a face, in the middle of a side, at a corner of the outer cube; and in the inside.
  for (const Vec3& tip : {Vec3(0.3, 0.7, 2), Vec3(0.3, 2, 2), Vec3(2, 2, 2), Vec3(0.3, 0.7, 1.9)})
    for (const double width : {0.3, 0.02, 1e-4})
      for (int turn = 0; turn < 12; ++turn) {
        INFO("tip " << tip.transpose() << ", width " << width << ", order " << turn);
        Mesh sharp = needle(tip, Vec3(0.1, -0.2, -0.5), width);
        const SoundnessReport wall = check_soundness(shuffled(both(outer, sharp), random));
        CHECK(wall.count(families::inner_walls) == 1);
        CHECK(wall.count(families::flipped_faces) == 0);
        reverse_faces(sharp);
        const SoundnessReport cavity = check_soundness(shuffled(both(outer, sharp), random));
        CHECK(cavity.count(families::inner_walls) == 0);
        CHECK(cavity.count(families::flipped_faces) == 0);
        // With the outer shell inside out as well it is the same solid, with every face turned.
        Mesh turned = both(outer, sharp);
        reverse_faces(turned);
        CHECK(check_soundness(shuffled(turned, random)).count(families::flipped_faces) == turned.face_count());
      }
}

TEST_CASE("a shell with all its corners on the one around it lies within it all the same") {
  // An octahedron whose corners are the middles of the sides of a cube, and a tetrahedron with corners at those of the cube.
  Mesh octahedron = *make_mesh({find_stock("polyhedron"), {std::string("octahedron"), 1.0}}), tetrahedron;
  const double reach = octahedron.positions[0].cwiseAbs().maxCoeff();
  for (Vec3& p : octahedron.positions) p *= 2 / reach;
  tetrahedron.positions = {Vec3(2, 2, 2), Vec3(2, -2, -2), Vec3(-2, 2, -2), Vec3(-2, -2, 2)};
  for (const auto& t : {Triangle{0, 1, 2}, Triangle{0, 2, 3}, Triangle{0, 3, 1}, Triangle{1, 3, 2}}) tetrahedron.add_face(t);
  if (signed_volume(tetrahedron) < 0) reverse_faces(tetrahedron);
  Random random(41);
  for (Mesh inner : {octahedron, tetrahedron})
    for (int turn = 0; turn < 12; ++turn) {
      CHECK(check_soundness(shuffled(both(cube(4), inner), random)).count(families::inner_walls) == 1);
      reverse_faces(inner);
      const SoundnessReport cavity = check_soundness(shuffled(both(cube(4), inner), random));
      CHECK(cavity.count(families::inner_walls) + cavity.count(families::flipped_faces) == 0);
      reverse_faces(inner);
    }
}

TEST_CASE("shells one within the other are cavities and solids in turn, and thousands beside each other are nothing of both") {
  Mesh nested;
  for (int k = 0; k < 40; ++k) {
    Mesh shell = cube(40 - k);
    if (k % 2 == 1) reverse_faces(shell);
    append(nested, shell);
  }
  Random random(42);
  CHECK(check_soundness(shuffled(nested, random)).sound);
  Mesh heap;
  for (int k = 0; k < 3000; ++k) append(heap, placed(cube(1), Vec3(2 * k, 0, 0)));
  const SoundnessReport report = check_soundness(shuffled(heap, random));
  CHECK(report.sound);
  CHECK(report.shells == 3000);
  // The same within one around all of them: each a wall, or each a cavity.
  Mesh box = placed(stock("box", {6100, 4, 4}), Vec3(3000, 0, 0));
  CHECK(check_soundness(both(box, heap)).count(families::inner_walls) == 3000);
  reverse_faces(heap);
  CHECK(check_soundness(both(box, heap)).sound);
}

TEST_CASE("winding numbers by a line agree with where a point lies in a cube, on its sides, edges and corners as well") {
  const Mesh mesh = in_triangles(both(cube(2), cube(2)));  // twice around
  std::vector<Triangle> triangles;
  for (Index f = 0; f < mesh.face_count(); ++f) triangles.push_back({mesh.face(f)[0], mesh.face(f)[1], mesh.face(f)[2]});
  const std::vector<Index> surface(triangles.size(), 7);
  const LineWinding lines(mesh.positions, triangles, surface);
  const double at[] = {-1.5, -1, -0.5, 0, 0.5, 1, 1.5};
  for (const double x : at)
    for (const double y : at)
      for (const double z : at) {
        const double far = Vec3(x, y, z).cwiseAbs().maxCoeff();
        for (const bool middle : {false, true}) {
          const Vec3 p(x, y, z), d(0.25, -0.125, 0.5);
          const auto around = middle ? lines.around({p + d, p - d, p}) : lines.around(p);
          INFO(p.transpose() << (middle ? " as a middle" : ""));
          CHECK(around.size() == (far > 1 ? 0 : 1));
          if (around.empty()) continue;
          CHECK(around[0].surface == 7);
          CHECK(around[0].on == (far == 1));
          if (far < 1) CHECK(around[0].winding == 2);
        }
      }
}
