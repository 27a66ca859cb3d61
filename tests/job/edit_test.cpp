// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/edit.h"
#include "job/history.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Part part_named(const std::string& name, const Vec3& position = Vec3::Zero()) {
  Part part;
  part.name = name;
  part.source = Primitive::of("box");
  part.placement.position = position;
  return part;
}

/// Plate (1) with Drill (2) as difference.
Job drilled() {
  Job job = edit::add_part(Job{}, part_named("Plate", {10, 0, 0}));
  job = edit::add_part(job, part_named("Drill", {30, 5, 0}));
  return *edit::combine(job, 1, {2}, Operation::difference);
}

}  // namespace

TEST_CASE("names stay unique and ids are never used again") {
  Job job = edit::add_part(Job{}, part_named("Box"));
  job = edit::add_part(job, part_named("Box"));
  CHECK(job.at(2).name == "Box 2");
  job = *edit::remove_parts(job, {2});
  PartId id = 0;
  job = edit::add_part(job, part_named("Box 2"), &id);
  CHECK(id == 3);
  job = edit::add_part(job, part_named("Box 2"));
  CHECK(job.at(4).name == "Box 3");
}

TEST_CASE("a combined tool rides along and does not jump") {
  const Job job = drilled();
  CHECK(job.at(2).rides_on == PartId{1});
  CHECK(job.world_of(2).translation() == Vec3(30, 5, 0));
  const Job moved = edit::change_part(job, 1, [](Part& p) {
    p.placement.position = {10, 0, 50};
    p.placement.angles = {0, 0, 90};
  });
  CHECK((moved.world_of(2).translation() - Vec3(5, 20, 50)).norm() < 1e-12);
  const Job released = *edit::release_tool(moved, 2);
  CHECK_FALSE(released.at(2).rides_on);
  CHECK(released.at(1).recipe.empty());
  CHECK((released.world_of(2).matrix() - moved.world_of(2).matrix()).norm() < 1e-9);
}

TEST_CASE("a tool that stays put keeps its place while the part moves") {
  const Job job = *edit::fasten(drilled(), 2, std::nullopt);
  const Job moved = edit::change_part(job, 1, [](Part& p) { p.placement.position = {99, 0, 0}; });
  CHECK(moved.world_of(2).translation() == Vec3(30, 5, 0));
}

TEST_CASE("a part cannot be its own tool, directly or through others; it may serve two parts") {
  Job job = drilled();
  CHECK_FALSE(edit::combine(job, 1, {1}, Operation::unite));
  CHECK_FALSE(edit::combine(job, 2, {1}, Operation::unite));
  job = edit::add_part(job, part_named("Other"));
  CHECK(edit::combine(job, 2, {1}, Operation::unite).issue().message().find("Drill → Plate → Drill") != std::string::npos);
  const auto twice = edit::combine(job, 3, {2}, Operation::unite);
  REQUIRE(twice);
  CHECK(twice->uses_of(2).size() == 2);
  CHECK(twice->at(2).rides_on == PartId{1});
  CHECK(edit::combine(*twice, 3, {2}, Operation::unite).issue().message().find("tool of this step") != std::string::npos);
  job = edit::change_part(job, 3, [](Part& p) { p.locked = true; });
  CHECK(edit::combine(job, 3, {1}, Operation::unite).issue().message().find("locked") != std::string::npos);
  CHECK_FALSE(edit::combine(job, 1, {}, Operation::unite));
}

TEST_CASE("deleting a tool mends the recipe, deleting a part leaves its tools where they are") {
  const Job job = drilled();
  CHECK(edit::remove_parts(job, {2})->at(1).recipe.empty());
  const Job orphan = *edit::remove_parts(job, {1});
  REQUIRE(orphan.parts.size() == 1);
  CHECK_FALSE(orphan.at(2).rides_on);
  CHECK((orphan.world_of(2).translation() - Vec3(30, 5, 0)).norm() < 1e-12);
}

TEST_CASE("a copied tool stays a tool; a copied part brings its tools") {
  const Job job = drilled();
  std::vector<PartId> copies;
  const Job tool_copied = *edit::duplicate_parts(job, {2}, &copies);
  const auto use = tool_copied.use_of(copies.at(0));
  REQUIRE(use);
  CHECK(use->part == 1);
  CHECK(use->operation == Operation::difference);
  CHECK(tool_copied.at(copies[0]).rides_on == PartId{1});
  copies.clear();
  const Job part_copied = *edit::duplicate_parts(job, {1, 2}, &copies);
  CHECK(part_copied.parts.size() == 4);
  CHECK(part_copied.use_of(copies.at(1))->part == copies[0]);
  CHECK(part_copied.at(copies[1]).rides_on == copies[0]);
}

TEST_CASE("swap exchanges what is kept and what is cut away, and swapping twice is the start again") {
  const Job job = drilled();
  const auto swapped = edit::swap_roles(job, job.use_of(2)->id);
  REQUIRE(swapped);
  CHECK(swapped->use_of(1)->part == 2);
  CHECK((swapped->world_of(1).translation() - Vec3(10, 0, 0)).norm() < 1e-12);
  CHECK((swapped->world_of(2).translation() - Vec3(30, 5, 0)).norm() < 1e-12);
  const auto back = edit::swap_roles(*swapped, swapped->use_of(1)->id);
  REQUIRE(back);
  CHECK(back->use_of(2)->part == 1);
  CHECK_FALSE(edit::swap_roles(back.value(), 99));
}

TEST_CASE("tools and parts can be put in another order") {
  Job job = drilled();
  job = edit::add_part(job, part_named("Rib"));
  job = *edit::combine(job, 1, {3}, Operation::unite);
  job = *edit::move_uses(job, {job.use_of(3)->id}, {job.at(1).recipe[0].id, 0, 0});
  CHECK(job.at(1).recipe[0].tools[0].tool == 3);
  CHECK(edit::reorder_part(job, 3, 0).parts[0]->id == 3);
}

TEST_CASE("quarter turns are exact and angles are recovered from a rotation") {
  const Affine quarter = Placement{Vec3::Zero(), {0, 0, 90}, Vec3::Ones()}.matrix();
  CHECK(quarter * Vec3(1, 2, 3) == Vec3(-2, 1, 3));
  CHECK(Placement{Vec3::Zero(), {180, -90, 270}, Vec3::Ones()}.matrix().linear().cwiseAbs().sum() == 3);
  std::mt19937 random(4);
  std::uniform_real_distribution<double> any(-179, 179);
  for (int i = 0; i < 200; ++i) {
    const Placement p{Vec3::Zero(), {any(random), any(random) / 2, any(random)}, Vec3::Ones()};
    const Placement q{Vec3::Zero(), angles_of(p.matrix().linear()), Vec3::Ones()};
    REQUIRE((p.matrix().matrix() - q.matrix().matrix()).norm() < 1e-9);
  }
  for (const double y : {90.0, -90.0}) {
    const Placement p{Vec3::Zero(), {33, y, 20}, Vec3::Ones()};
    CHECK((Placement{Vec3::Zero(), angles_of(p.matrix().linear()), Vec3::Ones()}.matrix().matrix() -
           p.matrix().matrix())
              .norm() < 1e-9);
  }
}

TEST_CASE("undo goes back to the very first version and forward again; previews are not steps") {
  History history;
  for (int i = 0; i < 500; ++i)
    history.commit("add box", edit::add_part(*history.current(), part_named("Box")));
  history.preview(edit::add_part(*history.current(), part_named("Ghost")));
  CHECK(history.current()->parts.size() == 501);
  history.drop_preview();
  CHECK(history.current()->parts.size() == 500);
  CHECK(history.undo_label() == "add box");
  for (int i = 0; i < 500; ++i) history.undo();
  CHECK_FALSE(history.can_undo());
  CHECK(history.current()->parts.empty());
  CHECK(history.saved());
  history.redo();
  CHECK(history.current()->parts.size() == 1);
  CHECK_FALSE(history.saved());
  history.commit("other", *history.current());
  CHECK_FALSE(history.can_redo());
}
