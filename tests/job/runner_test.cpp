// SPDX-License-Identifier: GPL-3.0-or-later
// The cast and its tokens, pieces of results, and what the worker does when a step breaks or is stopped.
#include <thread>

#include "core/soundness/check.h"
#include "job/edit.h"
#include "tests/job/box_part.h"
#include "tests/job/listener.h"
#include "tests/support/casts.h"
#include "tests/support/meshes.h"
#include "tests/support/shared_parts.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// A kind that breaks as only a programming error or a lack of memory would.
Result<StepOutput> break_down(const StepInput&) { throw std::runtime_error("out of paper"); }
const StepKind breaking = {"break", "Break", "scale", "shape", "Breaks.", ToolRule::none, {}, break_down};

/// A kind that goes on until it is stopped.
Result<StepOutput> go_on(const StepInput& input) {
  for (;;) {
    check_stop(input.control);
    std::this_thread::sleep_for(std::chrono::milliseconds(1));
  }
}
const StepKind endless = {"endless", "Endless", "scale", "shape", "Does not end.", ToolRule::none, {}, go_on};

}  // namespace

TEST_CASE("a cast lists parts and steps in the order in which a recipe reaches them, leaving out what is off") {
  Job job;
  for (const char* name : {"A", "B", "C", "D"}) job = edit::add_part(job, box_part(name, {2, 2, 2}));
  job = *edit::combine(job, 2, {3}, Operation::unite);       // B: C
  job = *edit::combine(job, 1, {2}, Operation::difference);  // A: B, then a cut, then D
  job = *edit::add_step(job, 1, new_step(steps::plane_cut));
  StepId last = 0;
  job = *edit::add_step(job, 1, new_step(steps::combine), &last);
  job = *edit::add_tools(job, last, {4}, Operation::unite);
  const auto& recipe = job.at(1).recipe;
  CHECK(parts_of(cast_of(job, 1)) == std::vector<PartId>{1, 2, 3, 4});
  CHECK(steps_of(cast_of(job, 1)) == std::vector<StepId>{job.at(2).recipe[0].id, recipe[0].id, recipe[1].id, recipe[2].id});
  CHECK(parts_of(cast_of(job, 3)) == std::vector<PartId>{3});
  const Job tool_off = *edit::change_use(job, job.use_of(2)->id, [](ToolUse& use) { use.on = false; });
  CHECK(parts_of(cast_of(tool_off, 1)) == std::vector<PartId>{1, 4});
  CHECK(steps_of(cast_of(tool_off, 1)) == std::vector<StepId>{recipe[1].id, recipe[2].id});
  const Job cut_off = *edit::change_step(job, recipe[1].id, [](Step& s) { s.on = false; });
  CHECK(cast_of(cut_off, 1).step_count() == 3);
}

TEST_CASE("parts that share parts are looked at once each, however many places they have, and more places than can be counted are refused") {
  Job job = edit::add_part(Job{}, box_part("Box", {6, 6, 6}));
  for (int k = 0; k < 20; ++k) job = with_level(std::move(job));
  const Cast cast = cast_of(job, 21);
  CHECK(cast.part_count() == (1u << 21) - 1);  // a full binary tree
  CHECK(cast.step_count() == (1u << 20) - 1);
  CHECK(cast.part(0) == 21);
  CHECK(cast.part(1) == 20);
  CHECK(cast.part(20) == 1);  // the source of the source, and so on: then the tool of the last of them
  CHECK(cast.part(21) == 1);
  CHECK(cast.part(22) == 2);
  CHECK(cast.part(cast.part_count() - 1) == 1);
  CHECK(cast.part(cast.part_count()) == 0);
  CHECK(cast.step(cast.step_count() - 1) == job.at(21).recipe[0].id);
  CHECK(cast.step(0) == job.at(2).recipe[0].id);
  RecipeRunner runner;
  const EvaluatedPtr made = runner.evaluate(job, 21, {}, false);
  REQUIRE(!made->error);
  CHECK(made->cast_parts == cast.part_count());
  CHECK(runner.counts().steps == 20);
  for (int k = 0; k < 15; ++k) job = with_level(std::move(job));
  const EvaluatedPtr refused = runner.evaluate(job, 36, {}, false);
  REQUIRE(refused->error);
  CHECK(with_names(job, cast_of(job, 36), *refused->error).message().find("more than 1 000 000 000 times") != std::string::npos);
  CHECK(runner.counts().steps < 40);
}

TEST_CASE("tokens stand for places of the cast, move with it, and become the names of now") {
  Job job = edit::add_part(edit::add_part(Job{}, box_part("Plate", {2, 2, 2})), box_part("Pin", {1, 1, 1}));
  const Cast cast = cast_of(*edit::combine(job, 1, {2}, Operation::difference), 1);
  const std::string text = "holes in " + cast_token(1) + " and " + cast_token(0) + ", 100 %";
  CHECK(with_names(job, cast, text) == "holes in Pin and Plate, 100 %");
  CHECK(with_names(job, cast, "no token") == "no token");
  CHECK(shifted_tokens(cast_token(0) + cast_token(12), 3) == cast_token(3) + cast_token(15));
  CHECK(part_of_token(cast, cast_token(1)) == 2);
  CHECK(part_of_token(cast, "Pin") == 0);
  CHECK(part_of_token(cast, cast_token(7)) == 0);
  job = edit::change_part(job, 2, [](Part& p) { p.name = "Peg"; });
  CHECK(with_names(job, cast, text) == "holes in Peg and Plate, 100 %");
  CHECK(with_names(*edit::remove_parts(job, {2}), cast, cast_token(1)) == "a deleted part");
  // Names may hold what they like.
  job = edit::change_part(job, 1, [](Part& p) { p.name = "{0} %s \x02"; });
  CHECK(with_names(job, cast, cast_token(0)) == "{0} %s \x02");
}

TEST_CASE("pieces of a split are those of the result, and shells where there is one piece") {
  Job job = edit::add_part(edit::add_part(Job{}, box_part("Bar", {30, 4, 4})), box_part("Knife", {2, 10, 10}));
  job = *edit::combine(job, 1, {2}, Operation::split);
  RecipeRunner runner;
  const auto split = runner.evaluate(job, 1, {}, false);
  const std::vector<Mesh> pieces = separate_pieces(*split);
  REQUIRE(pieces.size() == 3);
  double sum = 0;
  for (const Mesh& piece : pieces) {
    CHECK(check_soundness(piece).sound);
    CHECK(piece.origins.empty());
    sum += signed_volume(piece);
  }
  CHECK(sum == Approx(30 * 16));
  job = *edit::change_use(job, job.use_of(2)->id, [](ToolUse& use) { use.operation = Operation::difference; });
  const std::vector<Mesh> shells = separate_pieces(*runner.evaluate(job, 1, {}, false));
  REQUIRE(shells.size() == 2);
  for (const Mesh& shell : shells) CHECK(signed_volume(shell) == Approx(14 * 16));
}

TEST_CASE("a part that breaks on the worker is told by itself, the others are served, and its last result stays") {
  Listener listener;
  Job job = edit::add_part(edit::add_part(Job{}, box_part("First", {2, 2, 2})), box_part("Second", {3, 3, 3}));
  listener.evaluator.request(std::make_shared<const Job>(job), 1, false);
  listener.evaluator.wait_idle();
  const Job broken = *edit::add_step(job, 2, new_step(breaking));
  const auto number = listener.evaluator.request(std::make_shared<const Job>(broken), 1, false);
  listener.evaluator.wait_idle();
  const auto first = listener.of(1), second = listener.of(2);
  CHECK(first.back().request == number);
  CHECK_FALSE(first.back().issue);
  CHECK(first.back().report);
  CHECK(second.back().request == number);
  REQUIRE(second.back().issue);
  CHECK_FALSE(second.back().evaluated);
  CHECK(with_names(broken, cast_of(broken, 2), *second.back().issue).message() == "Second: could not be computed (out of paper); undo the last change");
  // Mended, it is served again.
  listener.evaluator.request(std::make_shared<const Job>(job), 2, false);
  listener.evaluator.wait_idle();
  CHECK_FALSE(listener.of(2).back().issue);
  CHECK(listener.of(2).back().report->sound);
}

TEST_CASE("stop ends what does not end, wakes who waits, and says nothing of parts it did not finish") {
  Listener listener;
  Job job = edit::add_part(edit::add_part(Job{}, box_part("First", {2, 2, 2})), box_part("Second", {3, 3, 3}));
  job = *edit::add_step(job, 1, new_step(endless));
  listener.evaluator.request(std::make_shared<const Job>(job), 1, false);
  while (listener.evaluator.activity().what.empty()) std::this_thread::yield();
  std::thread waiting([&] { listener.evaluator.wait_idle(); });
  listener.evaluator.stop();
  waiting.join();
  CHECK(listener.of(1).empty());
  CHECK(listener.of(2).empty());
  // A newer request ends it as well.
  listener.evaluator.request(std::make_shared<const Job>(job), 1, false);
  const Job without = *edit::remove_step(job, job.at(1).recipe[0].id);
  listener.evaluator.request(std::make_shared<const Job>(without), 1, false);
  listener.evaluator.wait_idle();
  CHECK(listener.of(1).back().report->volume == 8);
  CHECK(listener.evaluator.memory().used > 0);
  CHECK(listener.evaluator.memory().limit > listener.evaluator.memory().used);
}

TEST_CASE("a recipe of several combine steps finds the engine's own cache again") {
  // Three combine steps; a tool of the last is moved back and forth: the parts that stand still are not prepared anew.
  Job job = edit::add_part(Job{}, [] {
    Part ball;
    ball.name = "Ball";
    ball.source = Primitive::of("sphere", {60, 128, 64});
    return ball;
  }());
  for (int k = 0; k < 3; ++k) {
    PartId id = 0;
    job = edit::add_part(job, box_part("Cut", {10, 10, 10}, {25, 12.0 * (k - 1), 0}), &id);
    StepId step = 0;
    job = *edit::add_step(job, 1, new_step(steps::combine), &step);
    job = *edit::add_tools(job, step, {id}, Operation::difference);
  }
  RecipeRunner runner;
  runner.evaluate(job, 1, {}, false);
  auto prepare_seconds = [&](double z) {
    const Job moved = edit::change_part(job, 4, [&](Part& p) { p.placement.position.z() = z; });
    const auto result = runner.evaluate(moved, 1, {}, false);
    REQUIRE(result->steps.size() == 3);
    return result;
  };
  const auto counts = runner.counts();
  const auto once = prepare_seconds(1), twice = prepare_seconds(2);
  CHECK(runner.counts().steps == counts.steps + 2);
  CHECK(check_soundness(*twice->mesh).sound);
  CHECK(once->mesh != twice->mesh);
  CHECK(runner.memory().used > 0);
}
