// SPDX-License-Identifier: GPL-3.0-or-later
// Stop, at random moments, of every kind of step on a part of a hundred thousand faces and more: how long it takes to be heard.
#include <catch2/catch.hpp>
#include <fmt/format.h>

#include <atomic>
#include <chrono>
#include <future>
#include <thread>

#include "core/control.h"
#include "job/step.h"
#include "tests/support/dice.h"
#include "tests/support/rough_ball.h"

using namespace anvil;
using namespace anvil::test;

namespace {

using Clock = std::chrono::steady_clock;
double seconds_since(Clock::time_point begin) { return std::chrono::duration<double>(Clock::now() - begin).count(); }

/// The step as it would be added to the part, with all of it chosen.
Step heavy_step(const StepKind& kind, const Mesh& part) {
  Step step = new_step(kind);
  if (kind.suit != nullptr) kind.suit(step, part);
  for (std::size_t k = 0; k < kind.fields.size(); ++k) {
    const Field& field = kind.fields[k];
    if (field.kind == FieldKind::elements && field.min > 0) step.fields[k] = field.choices[0].key + " all";
    if (field.kind == FieldKind::edges) step.fields[k] = std::string("all");
  }
  return step;
}

struct Answer {
  double heard = 0;  ///< seconds from the request until it had ended
  bool was_stopped = false;
};

Answer stop_after(const StepKind& kind, const std::shared_ptr<const Mesh>& part, const std::shared_ptr<const Mesh>& tool, double seconds) {
  const Step step = heavy_step(kind, *part);
  std::stop_source stop;
  StepInput input{part, "part", {}, step.values(), [](std::size_t) { return false; }, nullptr, {}};
  input.control.stop = stop.get_token();
  if (kind.tools != ToolRule::none) input.tools.push_back({tool, Affine(Eigen::Translation3d(9, 3, 2)), Operation::difference, "tool"});
  Answer answer;
  auto work = std::async(std::launch::async, [&] {
    try {
      (void)kind.run(input);
      return false;
    } catch (const Stopped&) {
      return true;
    }
  });
  if (work.wait_for(std::chrono::duration<double>(seconds)) == std::future_status::ready) return answer;
  const auto begin = Clock::now();
  stop.request_stop();
  answer.was_stopped = work.get();
  answer.heard = seconds_since(begin);
  return answer;
}

}  // namespace

TEST_CASE("every kind of step hears Stop within a tenth of a second, whenever it comes") {
  // Not a measurement of speed: what does not ask for it goes on for seconds. One of many may be late on a busy machine.
  constexpr double soon = 0.1, in_any_case = 1;
  const auto part = shared(rough_ball(7, 40, 1)), tool = shared(rough_ball(6, 30, 2));
  Dice dice(2026);
  std::size_t late = 0, stopped = 0;
  std::string told;
  for (const StepKind* kind : step_table())
    for (const double latest : {0.3, 2.0}) {
      const double moment = dice.between(0.01, latest);
      const Answer answer = stop_after(*kind, part, tool, moment);
      stopped += answer.was_stopped;
      if (answer.heard <= soon) continue;
      ++late;
      told += fmt::format("{} at {:.3f} s: {:.3f} s\n", kind->key, moment, answer.heard);
      INFO(kind->key << " was stopped after " << moment << " s");
      CHECK(answer.heard <= in_any_case);
    }
  INFO(told);
  CHECK(stopped > 10);
  CHECK(2 * late <= stopped);  // one or two here; more where other tests run beside
}
