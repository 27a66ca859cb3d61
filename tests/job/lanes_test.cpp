// SPDX-License-Identifier: GPL-3.0-or-later
// What goes on at the same time: long work that is still wanted, cheap work beside it, and what is dragged past both.
#include <catch2/catch.hpp>
#include <fmt/format.h>

#include <atomic>
#include <chrono>
#include <map>
#include <mutex>
#include <random>
#include <set>
#include <thread>

#include "job/edit.h"
#include "tests/job/box_part.h"
#include "tests/job/listener.h"
#include "tests/support/meshes.h"
#include "tests/support/shared_parts.h"

using namespace anvil;
using namespace anvil::test;
using namespace std::chrono_literals;

namespace {

/// Steps that last until they are let go by their number; how often each was begun, ended and stopped.
struct Gate {
  std::mutex mutex;
  std::map<int, int> begun, ended, stopped;
  std::set<int> open;
  void reset() {
    const std::lock_guard lock(mutex);
    begun.clear(), ended.clear(), stopped.clear(), open.clear();
  }
  int count(std::map<int, int>& of, int number) {
    const std::lock_guard lock(mutex);
    return of[number];
  }
  void let_go(int number) {
    const std::lock_guard lock(mutex);
    open.insert(number);
  }
} gate;

Result<StepOutput> wait_at_gate(const StepInput& input) {
  const int number = static_cast<int>(input.fields.count("number"));
  const auto note = [&](std::map<int, int>& of) {
    const std::lock_guard lock(gate.mutex);
    ++of[number];
  };
  note(gate.begun);
  for (;;) {
    {
      const std::lock_guard lock(gate.mutex);
      if (gate.open.contains(number)) break;
    }
    if (input.control.stop.stop_requested()) {
      note(gate.stopped);
      throw Stopped{};
    }
    std::this_thread::sleep_for(1ms);
  }
  note(gate.ended);
  StepOutput output;
  output.mesh = *input.mesh;
  output.sources.input.assign(output.mesh.face_count(), 0);
  output.sources.face.resize(output.mesh.face_count());
  for (Index f = 0; f < output.mesh.face_count(); ++f) output.sources.face[f] = f;
  return output;
}
const StepKind waiting = {"waiting", "Waiting", "scale", "shape", "Waits.", ToolRule::none, {count_field("number", "Number", 0, 0, 1000, "Of its gate.")}, wait_at_gate};

Step waiting_at(int number) {
  Step step = new_step(waiting);
  set_field(step, "number", double(number));
  return step;
}

Job with_waiting(Job job, PartId part, int number) { return *edit::add_step(job, part, waiting_at(number)); }

Job boxes(int count) {
  Job job;
  for (int k = 0; k < count; ++k) job = edit::add_part(job, box_part(fmt::format("Box {}", k + 1), {2.0 + k, 2, 2}, {10.0 * k, 0, 0}));
  return job;
}

Job moved(const Job& job, PartId id, double x) {
  return edit::change_part(job, id, [&](Part& part) { part.placement.position.x() = x; });
}

/// Does it come true within half a minute? Far above what it takes, so that a slow machine is not taken for an error.
template <class Condition>
bool soon(Condition condition) {
  for (const auto begin = std::chrono::steady_clock::now(); std::chrono::steady_clock::now() - begin < 30s; std::this_thread::sleep_for(2ms))
    if (condition()) return true;
  return false;
}

}  // namespace

TEST_CASE("a long step that is still wanted goes on, whatever else of the job changes") {
  gate.reset();
  Listener listener;
  const Job job = with_waiting(boxes(3), 1, 7);
  listener.ask(job, 1);
  REQUIRE(soon([] { return gate.count(gate.begun, 7) == 1; }));
  // Another part is reshaped, this one is moved, named and followed by a step, and looked at up to the long one.
  Job changed = edit::change_part(job, 2, [](Part& part) { part.source = Primitive::of("box", {1, 1, 1}); });
  listener.ask(changed, 2);
  changed = edit::change_part(moved(changed, 1, 5), 1, [](Part& part) { part.name = "Other"; });
  listener.ask(changed, 1, true);
  listener.ask(changed, 1);
  const Job longer = *edit::add_step(changed, 1, new_step(steps::plane_cut));
  listener.ask(longer, 1);
  const auto up_to = listener.ask(longer, 1, false, {1, longer.at(1).recipe[0].id});
  REQUIRE(soon([&] { return listener.answer(2, up_to, true).has_value(); }));  // the rest is served meanwhile
  CHECK_FALSE(listener.answer(1, up_to));
  const auto last = listener.ask(longer, 3);
  gate.let_go(7);
  listener.evaluator.wait_idle();
  CHECK(gate.count(gate.begun, 7) == 1);
  CHECK(gate.count(gate.stopped, 7) == 0);
  REQUIRE(listener.answer(1, last, true));
  CHECK(listener.answer(1, last, true)->report->sound);
  CHECK(listener.answer(1, last)->evaluated->steps.size() == 2);
  for (PartId id : {1, 2, 3}) CHECK(listener.answer(id, last, true));
}

TEST_CASE("a long step that is not wanted any more ends, and the part is made as it is now") {
  gate.reset();
  Listener listener;
  const Job job = with_waiting(boxes(2), 1, 7);
  listener.ask(job, 1);
  REQUIRE(soon([] { return gate.count(gate.begun, 7) == 1; }));
  gate.let_go(8);
  const Job other = *edit::change_step(job, job.at(1).recipe[0].id, [](Step& step) { set_field(step, "number", 8.0); });
  const auto last = listener.ask(other, 1);
  listener.evaluator.wait_idle();
  CHECK(gate.count(gate.stopped, 7) == 1);
  CHECK(gate.count(gate.ended, 8) == 1);
  CHECK(listener.answer(1, last, true));
  // Stopped, and asked for again just as it was: it is begun anew.
  listener.ask(job, 1);
  REQUIRE(soon([] { return gate.count(gate.begun, 7) == 2; }));
  listener.evaluator.stop();
  const auto again = listener.ask(job, 1);
  gate.let_go(7);
  listener.evaluator.wait_idle();
  CHECK(gate.count(gate.ended, 7) == 1);
  CHECK(listener.answer(1, again, true));
}

TEST_CASE("a cheap part does not wait behind slow ones, and the chosen one does not even when many are slow") {
  gate.reset();
  Listener listener;
  Job job = boxes(6);
  for (PartId id : {1, 2, 3, 4}) job = with_waiting(job, id, static_cast<int>(id));
  const auto first = listener.ask(job, 1);
  REQUIRE(soon([] { return gate.count(gate.begun, 1) == 1; }));
  // Three lanes are for all parts: two of the slow ones leave room for what is cheap.
  const Job fewer = *edit::remove_step(*edit::remove_step(job, job.at(3).recipe[0].id), job.at(4).recipe[0].id);
  const auto second = listener.ask(fewer, 1);
  REQUIRE(soon([&] { return listener.answer(6, second, true) && listener.answer(3, second, true); }));
  CHECK_FALSE(listener.answer(1, second));
  CHECK(gate.count(gate.begun, 1) == 1);
  // With all of them taken, what is chosen has some of its own.
  const auto third = listener.ask(job, 1);
  REQUIRE(soon([] { return gate.count(gate.begun, 2) == 1 && gate.count(gate.begun, 3) == 1; }));
  const auto fourth = listener.ask(edit::change_part(job, 6, [](Part& part) { part.source = Primitive::of("box", {3, 3, 3}); }), 6);
  REQUIRE(soon([&] { return listener.answer(6, fourth, true).has_value(); }));
  CHECK(listener.answer(6, fourth, true)->report->volume == 27);
  CHECK(third > first);
  for (int number : {1, 2, 3, 4}) gate.let_go(number);
  listener.evaluator.wait_idle();
  for (int number : {1, 2, 3, 4}) CHECK(gate.count(gate.ended, number) == 1);
  for (PartId id = 1; id <= 6; ++id) CHECK(listener.answer(id, fourth, true));
}

TEST_CASE("what is dragged is made beside a long exact pass, and the exact pass of the dragged part itself gives way") {
  gate.reset();
  Listener listener;
  Job job = with_waiting(boxes(4), 1, 7);
  job = *edit::combine(job, 2, {3}, Operation::unite);
  listener.ask(job, 1);
  REQUIRE(soon([] { return gate.count(gate.begun, 7) == 1; }));
  for (int k = 0; k < 20; ++k) {
    const auto frame = listener.ask(moved(job, 3, 2.0 + k), 2, true);
    REQUIRE(soon([&] { return listener.answer(2, frame).has_value(); }));
    CHECK_FALSE(listener.answer(2, frame, true));  // while something is dragged nothing is checked
  }
  CHECK(gate.count(gate.begun, 7) == 1);
  CHECK(gate.count(gate.stopped, 7) == 0);
  // The dragged part's own long pass.
  const Job slow = with_waiting(moved(job, 3, 2), 2, 8);
  listener.ask(slow, 2);
  REQUIRE(soon([] { return gate.count(gate.begun, 8) == 1; }));
  const auto frame = listener.ask(*edit::remove_step(moved(slow, 3, 3), slow.at(2).recipe.back().id), 2, true);
  REQUIRE(soon([&] { return listener.answer(2, frame).has_value(); }));
  CHECK(soon([] { return gate.count(gate.stopped, 8) == 1; }));
  CHECK(gate.count(gate.stopped, 7) == 0);
  gate.let_go(7);
  listener.evaluator.wait_idle();
  CHECK(listener.answer(1, frame, true));
}

TEST_CASE("a part that two slow parts are made of is made once, also while both are made at once") {
  gate.reset();
  Listener listener;
  Job job = with_waiting(boxes(3), 3, 9);
  for (PartId id : {1, 2}) {
    StepId step = 0;
    job = *edit::add_step(job, id, new_step(steps::combine), &step);
    job = *edit::add_tools(job, step, {3}, Operation::unite);
  }
  const auto number = listener.ask(job, 1);
  std::this_thread::sleep_for(700ms);  // the others join
  gate.let_go(9);
  listener.evaluator.wait_idle();
  CHECK(gate.count(gate.begun, 9) == 1);
  for (PartId id : {1, 2, 3}) CHECK(listener.answer(id, number, true));
}

TEST_CASE("out of memory beside others, a part is tried again alone before that is said of it") {
  static std::atomic<int> at_once, most_at_once, tries;
  at_once = most_at_once = tries = 0;
  static constexpr auto hungry_run = [](const StepInput& input) -> Result<StepOutput> {
    ++tries;
    const int now = ++at_once;
    most_at_once = std::max<int>(most_at_once, now);
    for (int k = 0; k < 600 && at_once < 2 && tries < 2; ++k) std::this_thread::sleep_for(1ms);
    const bool is_short = at_once > 1;
    std::this_thread::sleep_for(50ms);
    --at_once;
    if (is_short) throw std::bad_alloc();
    StepOutput output;
    output.mesh = *input.mesh;
    output.sources.input.assign(output.mesh.face_count(), 0);
    output.sources.face.assign(output.mesh.face_count(), no_index);
    return output;
  };
  static const StepKind hungry = {"hungry", "Hungry", "scale", "shape", "Takes all.", ToolRule::none, {}, +hungry_run};
  gate.reset();
  Listener listener;
  Job job = boxes(2);
  for (PartId id : {1, 2}) job = *edit::add_step(job, id, new_step(hungry));
  const auto number = listener.ask(job, 1);
  listener.evaluator.wait_idle();
  CHECK(most_at_once == 2);
  for (PartId id : {1, 2}) {
    const auto answer = listener.answer(id, number, true);
    REQUIRE(answer);
    CHECK_FALSE(answer->issue);
  }
}

TEST_CASE("a request that comes just as a part is answered for the one before is answered too") {
  // Known results are answered at once: only what is handed over takes time here.
  std::mutex mutex;
  std::set<std::pair<std::uint64_t, PartId>> answered;
  std::atomic<std::uint64_t> handing_over = 0;
  Evaluator evaluator([&](const Published& p) {
    if (p.report) {
      const std::lock_guard lock(mutex);
      answered.emplace(p.request, p.part);
    }
    handing_over = p.request;
    std::this_thread::sleep_for(60ms);
  });
  const auto job = std::make_shared<const Job>(boxes(2));
  std::uint64_t last = evaluator.request(job, 1, false);
  evaluator.wait_idle();
  for (int k = 0; k < 6; ++k) {
    const std::uint64_t asked = last;
    last = evaluator.request(job, 1, false);
    REQUIRE(soon([&] { return handing_over > asked; }));
    last = evaluator.request(job, 1, k % 2 == 1);
    evaluator.wait_idle();
    const std::lock_guard lock(mutex);
    for (PartId id : {1, 2}) CHECK(answered.contains({last, id}));
  }
}

TEST_CASE("whatever is asked for in whatever order, the last request is answered as by a runner that is new") {
  for (unsigned seed = 1; seed <= 12; ++seed) {
    CAPTURE(seed);
    std::mt19937 random(seed);
    const auto one_of = [&](std::size_t count) { return static_cast<std::size_t>(random() % count); };
    Job job = boxes(5);
    job = *edit::combine(job, 1, {2}, Operation::difference);
    job = *edit::combine(job, 3, {4}, Operation::unite);
    job = with_level(std::move(job));
    std::vector<Job> versions{job};
    Listener listener;
    std::uint64_t last = 0;
    for (int k = 0; k < 60; ++k) {
      const Job& from = versions[one_of(versions.size())];
      const PartId id = static_cast<PartId>(1 + one_of(5));
      Job next = from;
      switch (one_of(4)) {
        case 0: next = moved(from, id, 0.5 * static_cast<double>(one_of(9))); break;
        case 1: next = edit::change_part(from, id, [&](Part& part) { part.source = Primitive::of("icosphere", {4, double(1 + one_of(4))}); }); break;
        case 2: next = *edit::add_step(from, id, new_step(steps::plane_cut)); break;
        default: break;
      }
      if (next.at(id).recipe.size() < 4) versions.push_back(next);
      job = versions.back();
      const bool is_last = k == 59;
      last = listener.ask(job, id, !is_last && one_of(2) == 0);
      if (one_of(7) == 0) listener.evaluator.stop();
      if (one_of(3) == 0) std::this_thread::sleep_for(std::chrono::milliseconds(one_of(15)));
      if (is_last) last = listener.ask(job, id);
    }
    listener.evaluator.wait_idle();
    RecipeRunner fresh;
    for (const PartPtr& part : job.parts) {
      CAPTURE(part->name);
      const EvaluatedPtr expected = fresh.evaluate(job, part->id, {}, true);
      const auto answer = listener.answer(part->id, last, true);
      REQUIRE(answer);
      REQUIRE(answer->evaluated);
      CHECK(answer->evaluated->mesh->positions == expected->mesh->positions);
      CHECK(answer->evaluated->mesh->corners == expected->mesh->corners);
      CHECK(answer->report->volume == fresh.check(job, part->id, {})->volume);
    }
    std::map<PartId, std::uint64_t> newest;
    for (const Published& p : listener.seen) {
      CHECK(p.request >= newest[p.part]);
      newest[p.part] = p.request;
    }
  }
}
