// SPDX-License-Identifier: GPL-3.0-or-later
// Clouds of points: read and written, how far apart they lie, recast as balls and as the surface through them, against closed formulas.
#include <catch2/catch.hpp>

#include "core/io/mesh_file.h"
#include "core/mesh/cloud.h"
#include "core/mesh/edges.h"
#include "core/recast/recast.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/nearest.h"
#include "tests/support/recast_of.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

double ball(double r) { return 4 * pi / 3 * r * r * r; }

/// Points on a ball, as even as spirals get (Vogel, "A better way to construct the sunflower head", 1979).
Mesh on_ball(int count, double radius) {
  Mesh cloud;
  cloud.cloud = true;
  for (int k = 0; k < count; ++k) {
    const double z = 1 - (2 * k + 1.0) / count, angle = k * pi * (3 - std::sqrt(5.0));
    cloud.normals.push_back(Vec3(std::sqrt(1 - z * z) * std::cos(angle), std::sqrt(1 - z * z) * std::sin(angle), z));
    cloud.add_vertex(radius * cloud.normals.back());
  }
  return cloud;
}

/// Points on both sides of a plate and along its rim, so far apart.
Mesh on_plate(double side, double thickness, double apart) {
  Mesh cloud;
  cloud.cloud = true;
  const auto add = [&](const Vec3& p, const Vec3& n) { cloud.add_vertex(p), cloud.normals.push_back(n); };
  for (double x = apart / 2; x < side; x += apart)
    for (double y = apart / 2; y < side; y += apart)
      for (int up = 0; up < 2; ++up) add({x, y, up * thickness}, {0, 0, up ? 1.0 : -1.0});
  const double rise = thickness / std::ceil(thickness / apart);
  for (double x = apart / 2; x < side; x += apart)
    for (double z = rise / 2; z < thickness; z += rise)
      add({x, 0, z}, {0, -1, 0}), add({x, side, z}, {0, 1, 0}), add({0, x, z}, {-1, 0, 0}), add({side, x, z}, {1, 0, 0});
  return cloud;
}

}  // namespace

TEST_CASE("a cloud of points is recast as balls that close it, alone and beside a mesh") {
  // Points on a ball of 10, about 1 apart: the skin is hollow, a shell between 10 − r and 10 + r; without cavities a solid.
  Mesh cloud = on_ball(1250, 10);
  cloud.normals.clear();
  const recast::Part part{shared(cloud), "cloud"};
  RecastSettings settings;
  settings.detail = 0.5;
  settings.point_radius = 1.2;
  const BooleanResult shell = sound(recast_parts({&part, 1}, settings));
  CHECK(signed_volume(shell.mesh) == Approx(ball(11.2) - ball(8.8)).epsilon(0.12));
  settings.inner = false;
  const BooleanResult solid = sound(recast_parts({&part, 1}, settings));
  CHECK(signed_volume(solid.mesh) == Approx(ball(11.2)).epsilon(0.03));
  // No point lies outside, and none of the skin farther from the points than the radius, and a detail's rounding.
  const DistanceToSurface distance(solid.mesh);
  for (const Vec3& p : cloud.positions) CHECK(distance(p) > 0.8);
  CHECK(solid.report.done.front().what() == "points_as_balls");
  settings.point_radius = 0;  // proposed
  CHECK(signed_volume(sound(recast_parts({&part, 1}, settings)).mesh) > ball(10.5));
  // Where balls are too small to close it, it is told that no solid came of it.
  settings.through_points = false;
  settings.point_radius = 1.2;
  const BooleanResult loose = recast_of(on_ball(60, 10), settings);
  CHECK(told(loose.report, "points_leave_gaps"));
  // Where it is closed but for some places, these are told: two caps of which the rims lie at z = 8 and z = -9.
  Mesh gaps;
  gaps.cloud = true;
  for (const Vec3& p : cloud.positions)
    if (p.z() < 8 && p.z() > -9) gaps.add_vertex(Vec3(p));
  for (const bool inner : {true, false}) {
    settings.inner = inner;
    const BooleanResult open = recast_of(gaps, settings);
    REQUIRE(count_told(open.report, "points_leave_gaps") == 2);
    const std::vector<Vec3> places = places_told(open.report, "points_leave_gaps");
    REQUIRE(places.size() == 2);
    const auto [low, high] = std::minmax(places[0].z(), places[1].z());
    CHECK(low == Approx(-9).margin(1));
    CHECK(high == Approx(8).margin(1));
    for (const Vec3& p : places) CHECK(Vec3(p.x(), p.y(), 0).norm() < 1);
  }
  settings.inner = true;
  CHECK(!told(shell.report, "points_leave_gaps"));
  // With a box through it: faces know their part.
  settings.point_radius = 1.2;
  const std::vector<recast::Part> both{{shared(stock("box", {30, 4, 4})), "box"}, part};
  const BooleanResult joined = sound(recast_parts(both, settings));
  CHECK(std::count(joined.sources.input.begin(), joined.sources.input.end(), 0u) > 50);
  CHECK(std::count(joined.sources.input.begin(), joined.sources.input.end(), 1u) > 500);
  settings.detail = 3;
  CHECK(recast_parts({&part, 1}, settings).issue().what.find("too small") != std::string::npos);
}

TEST_CASE("the skin through points with normals is the surface they lie on: a ball by second order in their distance, a plate thinner than that, turned normals and all") {
  const auto off = [](int count) {
    RecastSettings settings;
    settings.detail = 0.5;
    return std::abs(signed_volume(recast_of(on_ball(count, 10), settings).mesh) / ball(10) - 1);
  };
  const double coarse = off(1000), fine = off(4000);
  CHECK(coarse < 0.03);
  CHECK(fine < 0.01);
  CHECK(coarse / fine > 2);
  RecastSettings settings;
  settings.detail = 0.5;
  const Mesh cloud = on_ball(1250, 10);
  const BooleanResult skin = recast_of(cloud, settings);
  const DistanceToSurface distance(skin.mesh);
  for (const Vec3& p : cloud.positions) CHECK(std::abs(distance(p)) < 0.15);
  CHECK(judge(in_triangles(skin.mesh)).shells == 1);
  // Normals that look inwards are turned, and it is told.
  Mesh turned = cloud;
  for (Vec3& n : turned.normals) n = -n;
  const BooleanResult again = recast_of(turned, settings);
  CHECK(signed_volume(again.mesh) == Approx(signed_volume(skin.mesh)).epsilon(1e-9));
  CHECK(again.report.done.front().what() == "normals_turned");
  // A wall of 0.8 with points 1 apart: both its sides, no balls.
  const BooleanResult plate = recast_of(on_plate(20, 0.8, 1), {0.4});
  CHECK(signed_volume(plate.mesh) == Approx(20 * 20 * 0.8).epsilon(0.1));
  CHECK(judge(in_triangles(plate.mesh)).shells == 1);
  // As balls where asked for.
  settings.through_points = false;
  settings.point_radius = 1.2;
  CHECK(signed_volume(recast_of(cloud, settings).mesh) == Approx(ball(11.2) - ball(8.8)).epsilon(0.12));
}

TEST_CASE("gaps between points with normals are spanned and told, or left open; points that enclose nothing say what to do") {
  Mesh cloud = on_ball(3000, 10), gap;
  gap.cloud = true;
  for (std::size_t k = 0; k < cloud.positions.size(); ++k)
    if (cloud.positions[k].z() < 8) gap.add_vertex(cloud.positions[k]), gap.normals.push_back(cloud.normals[k]);  // a cap of radius 6 is missing
  RecastSettings settings;
  settings.detail = 0.6;
  const BooleanResult spanned = recast_of(gap, settings);
  CHECK(count_told(spanned.report, "holes_spanned") > 50);
  // Between flat over the gap and round: a cap of height 2 is π h² (3 r − h) / 3.
  const double cap = pi * 4 * (30 - 2) / 3;
  CHECK(signed_volume(spanned.mesh) > ball(10) - 1.3 * cap);
  CHECK(signed_volume(spanned.mesh) < ball(10) + 0.3 * cap);
  settings.close_holes = false;
  const recast::Part part{shared(gap), "cloud"};
  const Result<BooleanResult> open = recast_parts({&part, 1}, settings);
  REQUIRE(open);
  CHECK(open->open_on_purpose);
  CHECK(open->mesh.face_count() < spanned.mesh.face_count());
  const EdgeTable edges = build_edges(open->mesh);
  std::size_t borders = 0;
  for (Index e = 0; e < edges.size(); ++e) borders += edges.corners_of(e).size() == 1;
  CHECK(borders > 20);
  // A flat patch encloses nothing.
  Mesh patch;
  patch.cloud = true;
  for (int x = 0; x < 20; ++x)
    for (int y = 0; y < 20; ++y) patch.add_vertex(Vec3(x, y, 0)), patch.normals.push_back(Vec3::UnitZ());
  const recast::Part flat{shared(patch), "patch"};
  const Result<BooleanResult> nothing = recast_parts({&flat, 1}, settings);
  REQUIRE(nothing);
  CHECK(nothing->mesh.empty());
  CHECK(nothing->report.empty_reason.find("balls") != std::string::npos);
}

TEST_CASE("clouds are read from .xyz and .ply with the normals they have, written so, and told from meshes") {
  const TemporaryFolder folder;
  write_text(folder / "a.xyz", "# x y z nx ny nz\n0 0 0 0 0 1\n1.5 0 0 0 0 1\n0 2 -3e-1 0.6 0 -0.8\n");
  const Result<Import> read = read_mesh(folder / "a.xyz", true);
  REQUIRE(read);
  REQUIRE(read->mesh.positions.size() == 3);
  CHECK(read->mesh.cloud);
  CHECK(read->mesh.positions[2] == Vec3(0, 2, -0.3));
  REQUIRE(read->mesh.normals.size() == 3);
  CHECK((read->mesh.normals[2] - Vec3(0.6, 0, -0.8)).norm() < 1e-12);
  CHECK(bounds(read->mesh).size() == Vec3(1.5, 2, 0.3));
  CHECK(read_mesh(folder / "a.xyz").issue().remedy.find("recast") != std::string::npos);
  write_text(folder / "points.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\n");
  CHECK(read_mesh(folder / "points.obj", true)->mesh.cloud);
  CHECK_FALSE(read_mesh(folder / "points.obj"));
  // Colours are not normals, nor are normals that some lines lack.
  write_text(folder / "colours.xyz", "0 0 0 255 0 12\n1 0 0 9 8 7\n");
  CHECK(read_mesh(folder / "colours.xyz", true)->mesh.normals.empty());
  write_text(folder / "some.xyz", "0 0 0 0 0 1\n1 0 0\n");
  CHECK(read_mesh(folder / "some.xyz", true)->mesh.normals.empty());
  for (const char* name : {"b.xyz", "b.ply"}) {
    REQUIRE(write_mesh(read->mesh, folder / name));
    const Result<Import> back = read_mesh(folder / name, true);
    REQUIRE(back);
    CHECK(back->mesh.cloud);
    CHECK(back->mesh.positions == read->mesh.positions);
    CHECK(back->mesh.normals == read->mesh.normals);
  }
  write_text(folder / "zero.ply", "ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty float z\nproperty float nx\nproperty float ny\nproperty float nz\nend_header\n0 0 0 0 0 1\n1 0 0 0 0 0\n");
  CHECK(read_mesh(folder / "zero.ply", true)->mesh.normals.empty());
  CHECK(write_mesh(read->mesh, folder / "b.stl").issue().remedy.find(".ply") != std::string::npos);
  CHECK(read_mesh(std::filesystem::path(DEMO_DATA) / "fender-scan.ply", true)->mesh.positions.size() == 12378);
  CHECK_FALSE(write_mesh(cube(), folder / "c.xyz"));
  write_text(folder / "broken.xyz", "0 0 0\n1 2\n");
  CHECK(read_mesh(folder / "broken.xyz", true).issue().message().find("line 2") != std::string::npos);
  // Turned with its placement, normals as normals do.
  Mesh moved = read->mesh;
  place(moved, Affine(Eigen::Translation3d(5, 0, 0) * Eigen::AngleAxisd(pi / 2, Vec3::UnitY()) * Eigen::Scaling(1.0, 1.0, 2.0)));
  CHECK((moved.normals[0] - Vec3::UnitX()).norm() < 1e-12);
  CHECK((moved.normals[2] - Vec3(-0.4, 0, -0.6).normalized()).norm() < 1e-12);
  const SoundnessReport report = check_soundness(read->mesh);
  CHECK_FALSE(report.sound);
  CHECK(report.points == 3);
  CHECK(verdict(report).find("Points only") == 0);
}

TEST_CASE("how far apart points lie, and the planes that fit them") {
  const Mesh grid = on_plate(30, 3, 1.5);
  CHECK(spacing_of(grid.positions, PointTree(grid.positions)) == Approx(1.5).epsilon(1e-6));
  std::vector<Vec3> doubled = grid.positions;
  doubled.insert(doubled.end(), grid.positions.begin(), grid.positions.end());
  CHECK(spacing_of(doubled, PointTree(doubled)) == Approx(1.5).epsilon(1e-6));
  const std::vector<Vec3> one(5, Vec3(1, 2, 3));
  CHECK(spacing_of(one, PointTree(one)) == 0);
  CHECK(rough_normals(one, 0).size() == 5);
  const Mesh cloud = on_ball(5000, 10);
  const double apart = spacing_of(cloud.positions, PointTree(cloud.positions));
  CHECK(apart == Approx(std::sqrt(4 * pi * 100 / 5000)).epsilon(0.2));
  const std::vector<Vec3> normals = rough_normals(cloud.positions, apart);
  for (std::size_t k = 0; k < normals.size(); ++k) CHECK(std::abs(normals[k].dot(cloud.normals[k])) > 0.98);
}
