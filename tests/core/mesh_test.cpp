// SPDX-License-Identifier: GPL-3.0-or-later
#include <random>

#include "core/mesh/bvh.h"
#include "core/mesh/edges.h"
#include "core/mesh/nearest.h"
#include "core/mesh/touch.h"
#include "core/mesh/union_find.h"
#include "core/mesh/weld.h"
#include "core/mesh/winding.h"
#include "job/placement.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

TEST_CASE("a concave polygon is cut into triangles that cover it once") {
  // A U of area 3·3 − 1·2 = 7.
  Mesh mesh;
  for (const Vec3& p : {Vec3(0, 0, 0), Vec3(3, 0, 0), Vec3(3, 3, 0), Vec3(2, 3, 0), Vec3(2, 1, 0),
                        Vec3(1, 1, 0), Vec3(1, 3, 0), Vec3(0, 3, 0)})
    mesh.add_vertex(p);
  mesh.add_face({0, 1, 2, 3, 4, 5, 6, 7});
  const TriangleList list = triangulate(mesh);
  REQUIRE(list.triangles.size() == 6);
  double signed_area = 0;
  for (const Triangle& t : list.triangles) {
    const Vec3 n =
        (mesh.positions[t[1]] - mesh.positions[t[0]]).cross(mesh.positions[t[2]] - mesh.positions[t[0]]);
    CHECK(n.z() > 0);
    signed_area += n.z() / 2;
  }
  CHECK(signed_area == Approx(7));
}

TEST_CASE("collinear corners of a polygon cost no zero-area triangle") {
  Mesh mesh;
  for (const Vec3& p :
       {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(2, 0, 0), Vec3(2, 2, 0), Vec3(1, 2, 0), Vec3(0, 2, 0)})
    mesh.add_vertex(p);
  mesh.add_face({0, 1, 2, 3, 4, 5});
  for (const Triangle& t : triangulate(mesh).triangles)
    CHECK(
        (mesh.positions[t[1]] - mesh.positions[t[0]]).cross(mesh.positions[t[2]] - mesh.positions[t[0]]).z() >
        0.5);
}

TEST_CASE("a bow-tie, a repeated corner and a flat line still give corners minus two triangles") {
  Mesh mesh;
  for (const Vec3& p : {Vec3(0, 0, 0), Vec3(2, 2, 0), Vec3(2, 0, 0), Vec3(0, 2, 0), Vec3(4, 4, 0)})
    mesh.add_vertex(p);
  mesh.add_face({0, 1, 2, 3});
  mesh.add_face({0, 0, 1, 2, 3});
  mesh.add_face({0, 1, 4, 1});
  CHECK(triangulate(mesh).triangles.size() == 2 + 3 + 2);
}

TEST_CASE("welding numbers positions by first appearance and knows that zero has no sign") {
  const std::vector<Vec3> points = {
      {1, 2, 3}, {0.0, 0, 0}, {1, 2, 3}, {-0.0, 0, -0.0}, {1, 2, std::nextafter(3, 4)}};
  const WeldMap map = weld_equal(points);
  CHECK(map.id == std::vector<Index>{0, 1, 0, 1, 2});
  CHECK(map.first == std::vector<Index>{0, 1, 4});
}

TEST_CASE("welding a large shuffled set finds exactly the distinct points") {
  std::mt19937 random(11);
  std::vector<Vec3> points;
  for (int i = 0; i < 200000; ++i) points.emplace_back(random() % 50, random() % 50, random() % 20);
  const WeldMap map = weld_equal(points);
  std::set<std::array<double, 3>> distinct;
  for (const Vec3& p : points) distinct.insert({p.x(), p.y(), p.z()});
  CHECK(map.first.size() == distinct.size());
  for (std::size_t i = 0; i < points.size(); ++i) REQUIRE(points[map.first[map.id[i]]] == points[i]);
  CHECK(std::is_sorted(map.first.begin(), map.first.end()));
}

TEST_CASE("a cube has 12 edges of two faces each, and each corner knows its edge") {
  const Mesh mesh = cube();
  const EdgeTable edges = build_edges(mesh);
  CHECK(edges.size() == 12);
  for (std::size_t e = 0; e < edges.size(); ++e) {
    REQUIRE(edges.corners_of(e).size() == 2);
    for (Index c : edges.corners_of(e)) CHECK(edges.corner_edge[c] == e);
  }
}

TEST_CASE("the hierarchy reports every overlapping pair of boxes once") {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> any(0, 10);
  std::vector<Vec3> points;
  std::vector<Triangle> triangles;
  for (Index i = 0; i < 700; ++i) {
    const Vec3 p(any(random), any(random), any(random));
    for (int k = 0; k < 3; ++k) points.push_back(p + Vec3(any(random), any(random), any(random)) / 20);
    triangles.push_back({3 * i, 3 * i + 1, 3 * i + 2});
  }
  auto box = [&](Index i) {
    Box3 b;
    for (Index v : triangles[i]) b.add(points[v]);
    return b;
  };
  std::set<std::pair<Index, Index>> expected, found;
  for (Index i = 0; i < triangles.size(); ++i)
    for (Index j = i + 1; j < triangles.size(); ++j) {
      const Box3 a = box(i), b = box(j);
      if ((a.lo.array() <= b.hi.array()).all() && (b.lo.array() <= a.hi.array()).all())
        expected.emplace(i, j);
    }
  const Bvh tree(points, triangles);
  std::mutex mutex;
  std::size_t calls = 0;
  tree.for_each_pair(
      [&](Index i, Index j) {
        const std::lock_guard lock(mutex);
        ++calls;
        found.insert(std::minmax(i, j));
      },
      {});
  CHECK(calls == found.size());
  for (const auto& pair : expected) REQUIRE(found.contains(pair));
  CHECK(found.size() <= expected.size() + 5);  // boxes are rounded outwards to float
}

TEST_CASE("a ray finds the nearest face of a sphere where geometry says") {
  const Mesh mesh = stock("icosphere", {2, 4});
  const TriangleList list = triangulate(mesh);
  const Bvh tree(mesh.positions, list.triangles);
  std::mt19937 random(2);
  std::normal_distribution<double> any;
  for (int i = 0; i < 200; ++i) {
    const Vec3 outward = Vec3(any(random), any(random), any(random)).normalized();
    const auto hit = tree.nearest_hit(mesh.positions, list.triangles, 5 * outward, -outward);
    REQUIRE(hit);
    CHECK(hit->distance == Approx(4).margin(0.01));
  }
  CHECK_FALSE(tree.nearest_hit(mesh.positions, list.triangles, {5, 0, 0}, {0, 1, 0}));
}

TEST_CASE("the winding number is 1 inside, 0 outside and a half on a face") {
  const Mesh mesh = cube();
  const auto triangles = triangulate(mesh).triangles;
  CHECK(winding_number(mesh.positions, triangles, {0.1, 0.2, 0.3}) == Approx(1));
  CHECK(winding_number(mesh.positions, triangles, {3, 0, 0}) == Approx(0).margin(1e-12));
  CHECK(winding_number(mesh.positions, triangles, {1, 0.3, 0.2}) == Approx(0.5));
}

TEST_CASE("disjoint sets are numbered by their smallest members") {
  UnionFind sets(6);
  sets.unite(5, 1);
  sets.unite(2, 4);
  std::vector<Index> set_of;
  CHECK(sets.number(set_of) == 4);
  CHECK(set_of == std::vector<Index>{0, 1, 2, 3, 2, 1});
}

TEST_CASE("a polygon with a slit to a hole comes apart into triangles that face as it does, wherever it begins") {
  // A frame: 12 wide, with a hole of 6; its area by subtraction.
  const std::vector<Vec3> at{{0, 0, 0}, {12, 0, 0}, {12, 12, 0}, {0, 12, 0}, {3, 3, 0}, {3, 9, 0}, {9, 9, 0}, {9, 3, 0}};
  const std::vector<Index> frame{0, 1, 2, 3, 0, 4, 5, 6, 7, 4};
  for (const double facing : {1.0, -1.0})
    for (std::ptrdiff_t first = 0; first < 10; ++first) {
      CAPTURE(facing, first);
      std::vector<Index> ring = frame;
      if (facing < 0) std::reverse(ring.begin(), ring.end());
      std::rotate(ring.begin(), ring.begin() + first, ring.end());
      double area = 0;
      for (const auto& [a, b, c] : triangulate(at, ring)) {
        const double twice = facing * (at[b] - at[a]).cross(at[c] - at[a]).z();
        CHECK(twice > 0);
        area += twice / 2;
      }
      CHECK(area == 12 * 12 - 6 * 6);
    }
}

TEST_CASE("solids touch where surfaces meet, by corner, edge, face or crossing, and where one lies in the other") {
  const Mesh a = stock("box", {10, 10, 10});
  const auto touches = [&](const Mesh& b, const Vec3& at, const Vec3& angles = Vec3::Zero(), double within = 1e-6) {
    Placement placement;
    placement.position = at;
    placement.angles = angles;
    const bool one = touch(a, b, placement.matrix(), within);
    CHECK(one == touch(b, a, placement.matrix().inverse(), within));
    return one;
  };
  CHECK(touches(a, {10, 0, 0}));     // face on face
  CHECK(touches(a, {10, 3, 4}));     // faces that cover each other in part
  CHECK(touches(a, {10, 10, 0}));    // edge on edge
  CHECK(touches(a, {10, 10, 10}));   // corner on corner
  CHECK(touches(a, {7, 7, 7}));      // overlapping
  CHECK(touches(a, Vec3::Zero()));   // the same
  CHECK_FALSE(touches(a, {10.001, 0, 0}));
  CHECK(touches(a, {10.001, 0, 0}, Vec3::Zero(), 0.002));
  const Mesh bar = stock("box", {40, 2, 2}), grain = stock("box", {1, 1, 1}), ball = stock("icosphere", {8, 3});
  CHECK(touches(bar, {0, 0, 6}));    // across a face, no corner on it
  CHECK(touches(grain, {1, 2, 3}));  // within
  // Bounds that overlap tell nothing: a bar past the corner, turned; a ball beyond an edge.
  CHECK_FALSE(touches(bar, {9, 9, 0}, {0, 0, -45}));
  CHECK_FALSE(touches(ball, {7.9, 7.9, 0}));
  CHECK(touches(ball, {7.7, 7.7, 0}));  // 8/2 from the edge at 5, 5: it reaches to 7.83
  CHECK_FALSE(touch(a, Mesh(), Affine::Identity(), 1));
}

TEST_CASE("the nearest point of a triangle, however narrow it is, is on it and no farther than any of its edges") {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> any(-1, 1);
  const auto somewhere = [&](double size) { return Vec3(size * any(random), size * any(random), size * any(random)); };
  for (int n = 0; n < 20'000; ++n) {
    const double narrow = std::pow(10, -16 * std::abs(any(random)));  // down to no area at all
    const Vec3 a = somewhere(20), b = a + somewhere(1), c = a + any(random) * (b - a) + narrow * somewhere(1);
    // Over its inside, square to its length.
    const Vec3 p = 0.3 * a + 0.3 * b + 0.4 * c + 5 * any(random) * (b - a).cross(somewhere(1)).normalized();
    const Vec3 found = nearest_on_triangle(p, a, b, c);
    INFO(n << ", narrow by " << narrow);
    // Along its edges, and across: by the scalar product alone, which rounding hardly touches.
    double least = 1e300;
    for (const auto& [from, to] : {std::pair{a, b}, std::pair{b, c}, std::pair{c, a}}) {
      const double share = (to - from).squaredNorm() > 0 ? std::clamp((p - from).dot(to - from) / (to - from).squaredNorm(), 0.0, 1.0) : 0.0;
      least = std::min(least, (from + share * (to - from) - p).norm());
    }
    CHECK((found - p).norm() <= least * (1 + 1e-9));
    // And it is a point of the triangle: no farther from it than rounding.
    const Vec3 normal = (b - a).cross(c - a);
    if (normal.norm() > 1e-3) CHECK(std::abs((found - a).dot(normal.normalized())) < 1e-12);
    CHECK((found - a).norm() <= 1e-12 + std::max((b - a).norm(), (c - a).norm()));
  }
}
