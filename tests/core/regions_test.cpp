// SPDX-License-Identifier: GPL-3.0-or-later
// Regions: as many as bodies have sides, numbered by size, handed on by operations, and held.
#include <catch2/catch.hpp>

#include "core/boolean/combine.h"
#include "core/mesh/regions.h"
#include "core/modify/choose.h"
#include "core/recast/recast.h"
#include "core/recast/reduce.h"
#include "core/shape/plane_cut.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Index count_of(const std::vector<Index>& numbers) { return *std::max_element(numbers.begin(), numbers.end()); }

}  // namespace

TEST_CASE("bodies have as many regions as sides, the largest first") {
  const Mesh box = stock("box", {30, 20, 10});
  const std::vector<Index> sides = regions_by_angle(box, 30);
  CHECK(count_of(sides) == 6);
  const std::vector<Region> regions = regions_of(box, sides);
  REQUIRE(regions.size() == 6);
  CHECK(regions[0].area == Approx(600));
  CHECK(regions[5].area == Approx(200));
  for (const Region& region : regions) CHECK(region.faces == 1);
  // A cylinder: its side and two ends; a ball is one; a ring too.
  CHECK(count_of(regions_by_angle(stock("cylinder", {20, 30, 48}), 30)) == 3);
  CHECK(count_of(regions_by_angle(stock("sphere", {20, 48, 24}), 30)) == 1);
  CHECK(count_of(regions_by_angle(stock("torus", {30, 10, 48, 24}), 30)) == 1);
  CHECK(count_of(regions_by_angle(box, 90)) == 1);
  // In triangles it has the same.
  CHECK(count_of(regions_by_angle(in_triangles(box), 30)) == 6);
  // A place of each lies on it.
  const Mesh cylinder = stock("cylinder", {20, 30, 48});
  for (const Region& region : regions_of(cylinder, regions_by_angle(cylinder, 30))) CHECK(std::abs(region.normal.norm() - 1) < 1e-12);
}

TEST_CASE("crumbs of fewer faces than asked for become part of their neighbour") {
  // A box with a small notch in an edge: three sides more.
  Result<BooleanResult> cut = combine({{shared(cube(10)), "box"}, {shared(placed(cube(1), {5, 0, 5})), "notch", Operation::difference}});
  REQUIRE(cut);
  const Mesh notched = in_triangles(cut->mesh);
  const Index all = count_of(regions_by_angle(notched, 30));
  CHECK(all == 10);
  CHECK(count_of(regions_by_angle(notched, 30, 3)) < all);
}

TEST_CASE("regions are handed on by combining, recasting and reducing, numbered behind those of the parts before") {
  Mesh box = stock("box", {30, 20, 10}), pin = stock("cylinder", {6, 40, 24});
  box.regions = regions_by_angle(box, 30);
  pin.regions = regions_by_angle(pin, 30);
  Result<BooleanResult> cut = combine({{shared(box), "box"}, {shared(pin), "pin", Operation::difference}});
  REQUIRE(cut);
  REQUIRE(cut->mesh.regions.size() == cut->mesh.face_count());
  // Six of the box, and the side of the pin, which is its largest.
  const std::set<Index> left(cut->mesh.regions.begin(), cut->mesh.regions.end());
  CHECK(left == std::set<Index>{1, 2, 3, 4, 5, 6, 7});
  for (Index f = 0; f < cut->mesh.face_count(); ++f) CHECK((cut->mesh.regions[f] == 7) == (cut->sources.input[f] == 1));
  const recast::Part part{shared(cut->mesh), "part"};
  const Result<BooleanResult> skin = recast_parts({&part, 1}, {1.0});
  REQUIRE(skin);
  REQUIRE(skin->mesh.regions.size() == skin->mesh.face_count());
  CHECK(std::set<Index>(skin->mesh.regions.begin(), skin->mesh.regions.end()) == left);
  // Cut in two, both pieces know the regions that they are of by the same numbers.
  PlaneCutSettings plane;
  plane.keep = KeepSide::both;
  const Result<BooleanResult> halves = plane_cut(shared(box), "box", plane);
  REQUIRE(halves);
  REQUIRE(halves->pieces == 2);
  CHECK(*std::max_element(halves->mesh.regions.begin(), halves->mesh.regions.end()) == 6);
  std::set<Index> above, below;
  for (Index f = 0; f < halves->mesh.face_count(); ++f) (halves->piece[f] == 0 ? above : below).insert(halves->mesh.regions[f]);
  CHECK(above.size() == 6);  // five sides, and the cut, which is of none
  CHECK(below.size() == 6);
  // What has none gives none.
  box.regions.clear();
  pin.regions.clear();
  CHECK(combine({{shared(box), "box"}, {shared(pin), "pin", Operation::difference}})->mesh.regions.empty());
}

TEST_CASE("the borders of regions are held in a reduction, and faces are chosen by region") {
  // A flat sheet in a box's top, parted by hand into two halves: nothing but the numbers tells where.
  Mesh slab = stock("box", {40, 40, 2});
  Result<BooleanResult> cut = combine({{shared(slab), "slab"}, {shared(placed(stock("box", {20, 60, 60}), {-10, 0, 0})), "half", Operation::score}});
  REQUIRE(cut);
  recast::Part part{shared(cut->mesh), "part"};
  Result<BooleanResult> skin = recast_parts({&part, 1}, {1.0});
  REQUIRE(skin);
  Mesh fine = std::move(skin->mesh);
  fine.regions.assign(fine.face_count(), 1);
  for (Index f = 0; f < fine.face_count(); ++f) {
    double x = 0;
    for (Index v : fine.face(f)) x += fine.positions[v].x() / 3;
    if (x > 0) fine.regions[f] = 2;
  }
  const auto both = [](const Mesh& mesh) {
    double left = 0;
    for (Index f = 0; f < mesh.face_count(); ++f)
      if (mesh.regions[f] == 1) left += newell_normal(mesh.positions, mesh.face(f)).norm() / 2;
    return left;
  };
  ReduceSettings how;
  how.triangles = fine.face_count() / 20;
  const Reduced held = reduce(fine, "part", how);
  REQUIRE(held.mesh.regions.size() == held.mesh.face_count());
  CHECK(both(held.mesh) == Approx(both(fine)).epsilon(1e-3));
  const Topology topology(fine);
  const Elements chosen{ElementKind::faces, {0}};
  const auto ones = static_cast<std::size_t>(std::count(fine.regions.begin(), fine.regions.end(), fine.regions[0]));
  CHECK(whole_regions(fine, topology, chosen).size() == ones);
}

TEST_CASE("a region has places on it that lie far apart, the first near its middle, also where that is no part of it") {
  // A plate with a square hole, one polygon on top: its middle lies in the hole.
  Result<BooleanResult> plate = combine({{shared(stock("box", {40, 40, 4})), "plate"}, {shared(stock("box", {30, 30, 10})), "hole", Operation::difference}});
  REQUIRE(plate);
  const std::vector<Region> regions = regions_of(plate->mesh, regions_by_angle(plate->mesh, 30));
  const auto top = std::max_element(regions.begin(), regions.end(), [](const Region& a, const Region& b) { return a.normal.z() < b.normal.z(); });
  CHECK(top->area == Approx(1600 - 900));
  REQUIRE(top->places.size() > 2);
  CHECK(top->places[0] == top->place);
  for (const Vec3& p : top->places) {
    CHECK(p.z() == Approx(2));
    CHECK(std::max(std::abs(p.x()), std::abs(p.y())) > 15);
    CHECK(std::max(std::abs(p.x()), std::abs(p.y())) < 20);
  }
  for (std::size_t k = 1; k < top->places.size(); ++k) CHECK((top->places[k] - top->places[0]).norm() > 3);
}
