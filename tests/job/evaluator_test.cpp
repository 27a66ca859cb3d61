// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/evaluator.h"

#include "core/soundness/check.h"
#include "job/edit.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Job plate_and_drill() {
  Part plate, drill;
  plate.name = "Plate";
  plate.source = Primitive::of("box", {40, 40, 10});
  drill.name = "Drill";
  drill.source = Primitive::of("cylinder", {10, 30, 24});
  return *edit::combine(edit::add_part(edit::add_part(Job{}, plate), drill), 1, {2}, Operation::difference);
}

const double drilled_volume = 16000 - polygon_area(24, 5) * 10;

/// An evaluator, and what it has published; to be read while it is idle.
struct Watched {
  std::vector<Published> seen;
  Evaluator evaluator{[this](const Published& p) { seen.push_back(p); }};
};

std::shared_ptr<const Job> ball_recast_at(double detail) {
  Part ball;
  ball.name = "Ball";
  ball.source = Primitive::of("icosphere", {30, 3});
  Step step = new_step(steps::recast);
  set_field(step, "detail", detail);
  return std::make_shared<const Job>(*edit::add_step(edit::add_part(Job{}, ball), 1, step));
}

}  // namespace

TEST_CASE("a recipe is evaluated live, and switching steps and tools off brings the source back") {
  RecipeRunner cache;
  Job job = plate_and_drill();
  CHECK(signed_volume(*cache.evaluate(job, 1, {}, false)->mesh) == Approx(drilled_volume).epsilon(1e-9));
  auto step = [&](const Job& j, auto&& change) {
    return edit::change_part(j, 1, [&](Part& p) { change(p.recipe[0]); });
  };
  const Job tool_off = step(job, [](Step& s) { s.tools[0].on = false; });
  CHECK(signed_volume(*cache.evaluate(tool_off, 1, {}, false)->mesh) == Approx(16000));
  const Job step_off = step(job, [](Step& s) { s.on = false; });
  CHECK(signed_volume(*cache.evaluate(step_off, 1, {}, false)->mesh) == Approx(16000));
  CHECK(cache.check(job, 1, {})->genus == 1);
}

TEST_CASE("moving a part with its riding tools costs no new computation; moving the tool does") {
  RecipeRunner cache;
  const Job job = plate_and_drill();
  const auto before = cache.evaluate(job, 1, {}, true);
  const Job moved = edit::change_part(job, 1, [](Part& p) {
    p.placement = {{5, 7, 11}, {20, 30, 40}, {1, 1, 1}};
  });
  CHECK(cache.evaluate(moved, 1, {}, true) == before);
  const Job tool_moved = edit::change_part(job, 2, [](Part& p) { p.placement.position.x() = 3; });
  CHECK(cache.evaluate(tool_moved, 1, {}, true) != before);
  CHECK(cache.evaluate(job, 1, {}, true) == before);
}

TEST_CASE("a tool's own recipe counts, and a failing one is reported by the part that cannot be made") {
  RecipeRunner cache;
  Job job = plate_and_drill();
  Part sheet;
  sheet.name = "Sheet";
  sheet.source = Primitive::of("sheet");
  job = *edit::combine(edit::add_part(job, sheet), 2, {3}, Operation::difference);
  const auto result = cache.evaluate(job, 1, {}, true);
  REQUIRE(result->error);
  CHECK(with_names(job, cast_of(job, 1), *result->error).subject == "Sheet");
  CHECK(signed_volume(*result->mesh) == Approx(16000));  // the part itself is still there to look at
}

TEST_CASE("a later step does not take what an earlier one gathered or split for free of crossings") {
  // A 20 mm cube; a second one that overlaps it by half, gathered or used to split; then a bar through both.
  auto box = [](const char* name, double x, double y, double z, double at) {
    Part part;
    part.name = name;
    part.source = Primitive::of("box", {x, y, z});
    part.placement.position.x() = at;
    return part;
  };
  Job job;
  for (const Part& part : {box("A", 20, 20, 20, 0), box("B", 20, 20, 20, 10), box("Bar", 60, 4, 4, 0)}) job = edit::add_part(job, part);
  for (const auto& [first, volume] : {std::pair(Operation::gather, 30.0 * (400 - 16)), std::pair(Operation::split, 20.0 * (400 - 16))}) {
    CAPTURE(key_of(first));
    const Job two_steps = edit::change_part(job, 1, [&, operation = first](Part& part) {
      part.recipe = {new_step(steps::combine), new_step(steps::combine)};
      part.recipe[0].tools = {{1, 2, operation}};
      part.recipe[1].tools = {{2, 3, Operation::difference}};
    });
    RecipeRunner cache;
    const auto result = cache.evaluate(two_steps, 1, {}, false);
    REQUIRE_FALSE(result->error);
    CHECK(check_soundness(*result->mesh).sound);
    CHECK(signed_volume(*result->mesh) == Approx(volume));
  }
}

TEST_CASE("the evaluator publishes meshes first, then reports, the chosen part before the others") {
  Watched watched;
  auto& [seen, evaluator] = watched;
  evaluator.request(std::make_shared<const Job>(plate_and_drill()), 2, false);
  evaluator.wait_idle();
  REQUIRE(seen.size() == 4);
  CHECK(seen[0].part == 2);
  CHECK(seen[1].part == 1);
  CHECK_FALSE(seen[1].report);
  CHECK(seen[2].report);
  CHECK(seen[3].report->genus == 1);
  CHECK(seen[3].evaluated->drawable->triangles.size() == 3 * seen[3].report->triangles);
}

TEST_CASE("a fine recast is preceded by a coarser one that stands in for it, unless it is known or as coarse already") {
  Watched watched;
  auto& [seen, evaluator] = watched;
  evaluator.set_soon(0);
  const auto ask = [&](double detail) {
    seen.clear();
    evaluator.request(ball_recast_at(detail), 1, false);
    evaluator.wait_idle();
  };
  ask(0.2);
  REQUIRE(seen.size() == 3);
  CHECK(seen[0].coarser);
  CHECK_FALSE(seen[0].report);
  CHECK_FALSE(seen[1].coarser);
  REQUIRE(seen[2].report);
  CHECK(seen[2].report->sound);
  CHECK(seen[0].evaluated->mesh->face_count() < seen[2].evaluated->mesh->face_count() / 8);
  CHECK(signed_volume(*seen[0].evaluated->mesh) == Approx(signed_volume(*seen[2].evaluated->mesh)).epsilon(0.02));
  CHECK(seen[0].evaluated->drawable);
  // How far it strayed is not looked for, and who asks for the same detail in earnest gets it with that.
  CHECK(seen[0].evaluated->comparison() == nullptr);
  Step asked = new_step(*find_step_kind("recast"));
  set_field(asked, "detail", 0.2);
  REQUIRE(steps::recast.coarsen(asked, stock("icosphere", {30, 3})) > 1);
  CHECK(asked.stands_in);
  CHECK(asked.values().on("sharp"));
  ask(asked.values().number("detail"));
  REQUIRE_FALSE(seen.empty());
  CHECK(std::none_of(seen.begin(), seen.end(), [](const Published& p) { return p.coarser; }));
  CHECK(seen[0].evaluated->comparison() != nullptr);
  // A little finer than what stands in elsewhere: half as fine.
  set_field(asked = new_step(steps::recast), "detail", 0.6);
  CHECK(steps::recast.coarsen(asked, stock("icosphere", {30, 3})) == Approx(4));
  CHECK(asked.values().number("detail") == Approx(1.2));
  set_field(asked = new_step(steps::recast), "detail", 0.7);
  CHECK(steps::recast.coarsen(asked, stock("icosphere", {30, 3})) == 0);
  // Of a mesh of very many faces edges are left to the skin itself.
  REQUIRE(steps::recast.coarsen(asked = new_step(steps::recast), stock("sphere", {1000, 1000, 400})) > 1);
  CHECK_FALSE(asked.values().on("sharp"));
  // Known, it comes at once; coarse, it is not coarsened; what fails has nothing to stand in for it.
  ask(0.2);
  CHECK(std::none_of(seen.begin(), seen.end(), [](const Published& p) { return p.coarser; }));
  ask(1);
  CHECK(std::none_of(seen.begin(), seen.end(), [](const Published& p) { return p.coarser; }));
  ask(1e-5);
  REQUIRE_FALSE(seen.empty());
  CHECK(seen.back().evaluated->error);
}

TEST_CASE("nothing stands in for a recast that is expected soon") {
  Watched watched;
  auto& [seen, evaluator] = watched;
  evaluator.set_soon(1e9);
  evaluator.request(ball_recast_at(0.3), 1, false);
  evaluator.wait_idle();
  REQUIRE(seen.size() == 2);
  CHECK(std::none_of(seen.begin(), seen.end(), [](const Published& p) { return p.coarser; }));
}

TEST_CASE("of many live requests the last one is always answered, and results never go backwards") {
  std::mutex mutex;
  std::vector<std::pair<std::uint64_t, double>> seen;
  Evaluator evaluator([&](const Published& p) {
    const std::lock_guard lock(mutex);
    if (p.part == 1) seen.emplace_back(p.request, signed_volume(*p.evaluated->mesh));
  });
  const Job job = plate_and_drill();
  std::uint64_t last = 0;
  for (int i = 0; i <= 60; ++i)
    last = evaluator.request(std::make_shared<const Job>(edit::change_part(
                                 job, 2, [&](Part& p) { p.placement.position.x() = i * 0.5; })),
                             1, true);
  evaluator.wait_idle();
  REQUIRE_FALSE(seen.empty());
  CHECK(std::is_sorted(seen.begin(), seen.end(), [](auto& a, auto& b) { return a.first < b.first; }));
  CHECK(seen.back().first == last);
  CHECK(seen.back().second == Approx(16000));  // at x = 30 the drill has left the plate
}

TEST_CASE("stopping ends a long check promptly and the evaluator serves the next request") {
  std::atomic<int> reports = 0;
  Evaluator evaluator([&](const Published& p) { reports += p.report != nullptr; });
  Part big;
  big.name = "Big";
  big.source = Primitive::of("icosphere", {100, 8});
  evaluator.request(std::make_shared<const Job>(edit::add_part(Job{}, big)), 1, false);
  while (evaluator.activity().what.find("Checking") == std::string::npos) std::this_thread::yield();
  evaluator.stop();
  evaluator.wait_idle();
  CHECK(reports == 0);
  evaluator.request(std::make_shared<const Job>(plate_and_drill()), 1, false);
  evaluator.wait_idle();
  CHECK(reports == 2);
}

TEST_CASE("a large mesh gets a lighter stand-in, a small one does not") {
  const Drawable small = make_drawable(cube(), {});
  CHECK(small.proxy.empty());
  CHECK(small.edges.size() == 12);
  CHECK(
      std::all_of(small.edges.begin(), small.edges.end(), [](const DrawnEdge& e) { return e.kind == 1.0F; }));
  const Drawable large = make_drawable(stock("icosphere", {10, 7}), {});
  CHECK(large.triangles.size() / 3 > proxy_threshold);
  CHECK(large.proxy.size() > 3000);
  CHECK(large.proxy.size() < large.triangles.size() / 2);
  CHECK(large.deviation.empty());
  // With a map every position has its value, those of the stand-in too.
  const Mesh ball = stock("icosphere", {10, 7});
  const Deviation off = deviation_between(stock("icosphere", {11, 7}), ball);
  const Drawable mapped = make_drawable(ball, {}, {}, &off.from_new);
  CHECK(3 * mapped.deviation.size() == mapped.positions.size());
  CHECK(mapped.max_deviation == Approx(0.5).epsilon(1e-2));
  CHECK(*std::min_element(mapped.deviation.begin(), mapped.deviation.end()) > 0.49);
}

TEST_CASE("the flat face over a hole is coloured by its middle, which lies farther off than its corners") {
  const Deviation off = deviation_between(without_faces(cube(2), {1}), cube(2));
  const Drawable mapped = make_drawable(cube(2), {}, {}, &off.from_new);
  CHECK(3 * mapped.deviation.size() == mapped.positions.size());
  CHECK(mapped.positions.size() == 3 * (8 + 6));  // two triangles have corners of their own
  CHECK(*std::max_element(mapped.deviation.begin(), mapped.deviation.end()) == Approx(1).margin(0.02));
}
