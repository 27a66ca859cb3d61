// SPDX-License-Identifier: GPL-3.0-or-later
// Voxel meshes of machined bodies, made by OpenVDB's plain mesher, get their edges back: held against the bodies they were made of, by CGAL's distances.
#include <catch2/catch.hpp>

#include "bench/peers/recast_peer.h"
#include "core/boolean/combine.h"
#include "core/mesh/edges.h"
#include "core/mesh/regions.h"
#include "core/recast/sharpen.h"
#include "tests/support/marching_cubes.h"
#include "tests/support/meshes.h"
#include "tests/support/nearest.h"
#include "tests/support/random_reshapes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// The share of the length of a body's edges (more than 30°) near which the mesh has one.
double edges_back(const Mesh& body, const Mesh& mesh, double within) {
  const std::vector<Line> found = sharp_lines(mesh, 25);
  if (found.empty()) return 0;
  const NearestLine nearest(found);
  double all = 0, back = 0;
  for (const Line& line : sharp_lines(body, 30)) {
    const Vec3 way = line.to - line.from;
    const int samples = std::max(1, static_cast<int>(way.norm() / (2 * within)));
    for (int k = 0; k < samples; ++k) {
      const auto near = nearest(line.from + (k + 0.5) / samples * way, way.normalized(), 0.5 * within);
      all += way.norm() / samples;
      if (near.distance <= within && std::abs(near.way.dot(way.normalized())) > 0.97) back += way.norm() / samples;
    }
  }
  return back / all;
}

Index numbers_up_to(const std::vector<Index>& numbers) { return *std::max_element(numbers.begin(), numbers.end()); }

Mesh cut(const Mesh& mesh, const Mesh& tool, Operation operation = Operation::difference) {
  Result<BooleanResult> result = combine({{shared(mesh), "body"}, {shared(tool), "tool", operation}});
  REQUIRE(result);
  return std::move(result->mesh);
}

struct Body {
  const char* name;
  Mesh mesh;
};
/// Along the grid's axes and turned against them.
std::vector<Body> machined_bodies() {
  const Mesh block = stock("box", {40, 30, 20});
  const Mesh drilled = cut(block, placed(stock("cylinder", {14, 60, 96}), {3, 2, -10}));
  const Mesh stepped = cut(drilled, placed(stock("box", {20, 50, 20}), {-20, 0, 10}));
  const Mesh boss = cut(block, placed(stock("cylinder", {16, 20, 96}), {6, 0, 10}), Operation::unite);
  const Mesh prism = stock("prism", {24, 30, 6});
  std::vector<Body> bodies{{"block", block}, {"drilled", drilled}, {"stepped", stepped}, {"boss", boss}, {"prism", prism}};
  for (const Body& body : std::vector<Body>(bodies)) bodies.push_back({body.name, placed(body.mesh, {1, 2, 3}, {17, 23, 41})});
  return bodies;
}

/// Of a body's edges hardly any may be there in its rough mesh, and most have to be in the sharpened one, which is sound.
Sharpened given_back(const Body& body, const Mesh& rough, double voxel, double most_before, double least_after) {
  REQUIRE(judge(in_triangles(rough)).sound());
  Sharpened sharp = sharpen(rough, body.name, {});
  const double before = edges_back(body.mesh, rough, 0.1 * voxel), after = edges_back(body.mesh, sharp.mesh, 0.1 * voxel);
  INFO(body.name << ": " << sharp.moved << " vertices moved, " << before << " of the edges there before, " << after << " after");
  CHECK(judge(in_triangles(sharp.mesh)).sound());
  CHECK(sharp.is_sound);
  CHECK(before < most_before);
  CHECK(after > least_after);
  CHECK(sharp.source.size() == sharp.mesh.face_count());
  CHECK(std::all_of(sharp.source.begin(), sharp.source.end(), [&](Index f) { return f < rough.face_count(); }));
  return sharp;
}

}  // namespace

TEST_CASE("voxel meshes of machined bodies get their edges back, and have as many regions as the bodies sides") {
  constexpr double voxel = 0.8;
  constexpr std::size_t crumbs = 20;
  for (const Body& body : machined_bodies()) {
    INFO(body.name);
    const Sharpened sharp = given_back(body, bench::openvdb_recast(in_triangles(body.mesh), voxel), voxel, 0.6, 0.95);
    // A side is a region; crumbs of fewer than 20 faces are left out.
    CHECK(numbers_up_to(regions_by_angle(sharp.mesh, 30, crumbs)) == numbers_up_to(regions_by_angle(body.mesh, 30)));
    CHECK(sharp.edges.size() > 100);
  }
}

TEST_CASE("meshes of marching cubes, which leave strips without vertices of their own, get their edges back as well") {
  constexpr double voxel = 1;
  const std::vector<Body> bodies = machined_bodies();
  // A block along the grid, and a drilled one turned against it.
  for (const Body& body : {bodies[0], bodies[6]}) given_back(body, marching_cubes(body.mesh, voxel), voxel, 0.1, 0.9);
  // Smooth ones stay bit for bit.
  const Mesh ball = marching_cubes(stock("sphere", {20, 96, 48}), voxel);
  CHECK(sharpen(ball, "ball", {}).mesh.positions == ball.positions);
}

TEST_CASE("beside a thin wall, whose two faces meet nowhere, sharpening puts no vertex nowhere") {
  constexpr unsigned case_with_thin_walls = 16;  // ended the program
  CHECK(what_is_wrong_with_sharpen(case_with_thin_walls) == "");
}

TEST_CASE("what has no sharp edges gets none: balls, rings and rounds larger than the grid stay bit for bit") {
  for (const Mesh& smooth : {stock("sphere", {30, 96, 48}), placed(stock("torus", {40, 14, 96, 48}), {0, 0, 0}, {20, 30, 0})}) {
    const Mesh rough = bench::openvdb_recast(in_triangles(smooth), 0.8);
    const Sharpened same = sharpen(rough, "smooth", {});
    CHECK(same.moved == 0);
    CHECK(same.mesh.positions == rough.positions);
    CHECK(same.mesh.corners == rough.corners);
  }
  CHECK(sharpen(Mesh{}, "nothing", {}).moved == 0);
  // Nor do parts that are no voxel meshes, and borders stay where they are.
  Mesh open = bench::openvdb_recast(in_triangles(stock("box", {20, 20, 20})), 0.8);
  std::vector<std::size_t> gone;
  for (std::size_t f = 0; f < open.face_count(); ++f)
    if (open.positions[open.face(f)[0]].z() > 6) gone.push_back(f);
  open = without_faces(open, gone);
  const Sharpened half = sharpen(open, "open", {});
  CHECK(half.moved > 50);
  CHECK_FALSE(half.is_sound);
  std::set<std::array<double, 3>> there;
  for (const Vec3& p : half.mesh.positions) there.insert({p.x(), p.y(), p.z()});
  const EdgeTable edges = build_edges(open);
  for (Index e = 0; e < edges.size(); ++e)
    if (edges.corners_of(e).size() == 1)
      for (Index v : edges.vertices[e]) CHECK(there.count({open.positions[v].x(), open.positions[v].y(), open.positions[v].z()}) == 1);
  // A box that is sharp already stays so.
  const Mesh box = stock("box", {30, 20, 10});
  CHECK(sharpen(box, "box", {}).mesh.positions == box.positions);
}
