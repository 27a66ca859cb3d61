// SPDX-License-Identifier: GPL-3.0-or-later
// While tools are dragged their step is made in two parts: the same solid, judged by CGAL and by its volume, with the same origins.
#include <random>
#include <set>

#include "job/edit.h"
#include "job/recipe_runner.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

constexpr auto live = RecipeRunner::How::live;

Part part_of(const char* kind, std::initializer_list<double> sizes, const Vec3& at, const Vec3& angles = Vec3::Zero()) {
  Part part;
  part.name = kind;
  part.source = Primitive::of(kind, sizes);
  part.placement.position = at;
  part.placement.angles = angles;
  return part;
}

/// A plate with tools that add and take away, crossing each other as it comes; the tray holds two of them.
Job random_job(unsigned seed, std::size_t tools) {
  std::mt19937 random(seed);
  const auto within = [&](double low, double high) { return low + (high - low) * static_cast<double>(random() % 1000) / 1000; };
  Job job = edit::add_part(Job{}, part_of("box", {100, 60, 12}, Vec3::Zero()));
  std::vector<PartId> adds, takes;
  for (std::size_t k = 0; k < tools; ++k) {
    const Vec3 at(within(-45, 45), within(-25, 25), within(-6, 6));
    PartId id = 0;
    job = edit::add_part(job, random() % 2 ? part_of("box", {within(4, 14), within(4, 14), 20}, at, {within(0, 40), 0, within(0, 90)}) : part_of("cylinder", {within(4, 12), 24, 24}, at), &id);
    (random() % 3 == 0 ? adds : takes).push_back(id);
  }
  if (!adds.empty()) job = *edit::combine(job, 1, adds, Operation::unite);
  if (!takes.empty()) job = *edit::combine(job, 1, takes, Operation::difference);
  std::vector<UseId> rows;
  for (const Job::Use& use : job.uses_by(1))
    if (rows.size() < 2 && use.operation == job.uses_by(1)[0].operation) rows.push_back(use.id);
  return *edit::add_tray(job, rows, "Two");
}

std::set<std::pair<Index, Index>> origins_of(const Mesh& mesh) {
  std::set<std::pair<Index, Index>> all;
  for (const FaceOrigin& origin : mesh.origins) all.emplace(origin.part, origin.face);
  return all;
}

Job moved(const Job& job, PartId tool, const Vec3& by) {
  return edit::change_part(job, tool, [&](Part& part) { part.placement.position += by; });
}

}  // namespace

TEST_CASE("a dragged tool gives the same solid as all at once, sound, with the same origins") {
  std::size_t split = 0;
  for (unsigned seed = 1; seed <= 25; ++seed) {
    CAPTURE(seed);
    Job job = random_job(seed, 8);
    RecipeRunner runner;
    runner.begin(job);
    REQUIRE(!runner.evaluate(job, 1, {}, false)->error);
    for (int frame = 1; frame <= 3; ++frame) {
      CAPTURE(frame);
      job = moved(job, 2 + seed % 8, {0.7, -0.4, 0.3});
      runner.begin(job, live);
      const EvaluatedPtr quick = runner.evaluate(job, 1, {}, false, live);
      RecipeRunner afresh;
      const EvaluatedPtr exact = afresh.evaluate(job, 1, {}, false);
      REQUIRE(!quick->error);
      CHECK(judge(in_triangles(*quick->mesh)).sound());
      CHECK(signed_volume(*quick->mesh) == Approx(signed_volume(*exact->mesh)).epsilon(1e-6));  // contact may move what is near
      CHECK(origins_of(*quick->mesh) == origins_of(*exact->mesh));
      CHECK(quick->cast_parts == exact->cast_parts);
      CHECK(quick->cast_steps == exact->cast_steps);
      CHECK(quick->steps.back().step == exact->steps.back().step);
      split += quick->mesh->positions != exact->mesh->positions;
    }
    // Once it is let go, the exact one is made, whatever was shown.
    runner.begin(job);
    const EvaluatedPtr rest = runner.evaluate(job, 1, {}, false);
    RecipeRunner afresh;
    CHECK(rest->mesh->positions == afresh.evaluate(job, 1, {}, false)->mesh->positions);
    CHECK(rest->mesh->corners == afresh.evaluate(job, 1, {}, false)->mesh->corners);
  }
  CHECK(split > 10);  // else nothing was tried
}

TEST_CASE("where the order matters, a dragged tool is combined with all the others at once") {
  // A pin that adds, then a hole that crosses it.
  Job job = edit::add_part(Job{}, part_of("box", {40, 40, 10}, Vec3::Zero()));
  job = edit::add_part(job, part_of("box", {6, 6, 30}, {0, 0, 0}));
  job = edit::add_part(job, part_of("box", {4, 4, 40}, {0, 0, 0}));
  job = *edit::combine(*edit::combine(job, 1, {2}, Operation::unite), 1, {3}, Operation::difference);
  RecipeRunner runner;
  runner.begin(job);
  (void)runner.evaluate(job, 1, {}, false);
  job = moved(job, 2, {1, 0, 0});
  runner.begin(job, live);
  const EvaluatedPtr quick = runner.evaluate(job, 1, {}, false, live);
  RecipeRunner afresh;
  CHECK(quick->mesh->positions == afresh.evaluate(job, 1, {}, false)->mesh->positions);
  CHECK(signed_volume(*quick->mesh) == Approx(40 * 40 * 10 + 6 * 6 * 20 - 4 * 4 * 30));
  // An intersection that comes later meets everything.
  job = edit::add_part(job, part_of("box", {10, 10, 50}, {15, 15, 0}));
  job = *edit::combine(job, 1, {4}, Operation::intersection);
  runner.begin(job);
  (void)runner.evaluate(job, 1, {}, false);
  job = moved(job, 2, {1, 0, 0});
  runner.begin(job, live);
  CHECK(signed_volume(*runner.evaluate(job, 1, {}, false, live)->mesh) == Approx(10 * 10 * 10));
}

TEST_CASE("steps after the dragged one follow it, and what was shown is never taken for the exact result") {
  Job job = random_job(3, 6);
  Step cut = new_step(steps::plane_cut);
  cut.fields[*field_place(cut.kind->fields, "normal")] = Vec3(1, 0, 0);
  job = *edit::add_step(job, 1, cut);
  RecipeRunner runner;
  runner.begin(job);
  (void)runner.evaluate(job, 1, {}, false);
  job = moved(job, 4, {2, 1, 0});
  runner.begin(job, live);
  const EvaluatedPtr quick = runner.evaluate(job, 1, {}, true, live);
  REQUIRE(quick->steps.size() == 2);
  CHECK(quick->drawable != nullptr);
  RecipeRunner afresh;
  const EvaluatedPtr exact = afresh.evaluate(job, 1, {}, false);
  CHECK(signed_volume(*quick->mesh) == Approx(signed_volume(*exact->mesh)).epsilon(1e-6));
  // The check is about the exact result, also while dragging.
  CHECK(runner.check(job, 1, {})->sound);
  CHECK(runner.evaluate(job, 1, {}, false)->mesh->positions == exact->mesh->positions);
}

TEST_CASE("however long a drag is, nothing of its frames is kept but what stays") {
  Job job = edit::add_part(Job{}, part_of("box", {100, 60, 12}, Vec3::Zero()));
  for (int k = 0; k < 4; ++k) job = edit::add_part(job, part_of("cylinder", {8, 30, 48}, {20.0 * k - 30, 0, 0}));
  job = *edit::combine(job, 1, {2, 3, 4, 5}, Operation::difference);
  RecipeRunner runner;
  runner.begin(job);
  (void)runner.evaluate(job, 1, {}, true);
  std::size_t second = 0;
  for (int frame = 1; frame <= 12; ++frame) {
    const Job now = moved(job, 4, {0.1 * frame, 0, 0});
    runner.begin(now, live);
    (void)runner.evaluate(now, 1, {}, true, live);
    if (frame == 2) second = runner.memory().used;
  }
  CHECK(static_cast<double>(runner.memory().used) < 1.1 * static_cast<double>(second));
}
