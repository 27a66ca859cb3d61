// SPDX-License-Identifier: GPL-3.0-or-later
// Recipes: a job of 100 steps of which the last is changed, and its undo, against carrying all of it out from nothing.
// Taken as known: nothing in the cold run; in the others what the cold run found out.
#include <benchmark/benchmark.h>

#include <stdexcept>

#include "bench/support/compare.h"
#include "job/edit.h"
#include "job/recipe_runner.h"

namespace {

using namespace anvil;
using namespace anvil::bench;

/// A plate of 400 × 400 mm with a hole, a slanted pin or a cut by a plane from each of 100 steps.
Job hundred_steps() {
  Part plate;
  plate.name = "Plate";
  plate.source = Primitive::of("box", {400, 400, 10});
  Job job = edit::add_part(Job{}, plate);
  for (int k = 0; k < 100; ++k) {
    if (k % 10 == 9) {
      Step cut = new_step(steps::plane_cut);
      cut.fields[0] = Vec3(200 - 0.5 * k, 0, 0);
      cut.fields[1] = Vec3(1, 0.001 * k, 0);
      job = *edit::add_step(job, 1, cut);
      continue;
    }
    Part tool;
    tool.name = "Tool";
    tool.source = Primitive::of("cylinder", {12, 40, 48});
    tool.placement.position = {-170.0 + 33 * (k % 10), -170.0 + 34 * (k / 10), 0};
    if (k % 3 == 0) tool.placement.angles = {10.0 + k, 0, 0};
    PartId id = 0;
    job = edit::add_part(job, tool, &id);
    StepId step = 0;
    job = *edit::add_step(job, 1, new_step(steps::combine), &step);
    job = *edit::add_tools(job, step, {id}, k % 7 == 3 ? Operation::unite : Operation::difference);
  }
  return job;
}

/// The last step moved a little, another way each time.
Job changed(const Job& job, int by) {
  return *edit::change_step(job, job.at(1).recipe.back().id, [&](Step& s) { s.fields[0] = Vec3(150 - 0.01 * by, 0, 0); });
}

void evaluate(RecipeRunner& runner, const Job& job) {
  runner.begin(job);
  const EvaluatedPtr result = runner.evaluate(job, 1, {}, false);
  if (result->error) throw std::runtime_error(result->error->message());
  benchmark::DoNotOptimize(result->mesh.get());
}

std::function<void()> cold(const Job& job) {
  return [job] {
    RecipeRunner runner;
    evaluate(runner, job);
  };
}

}  // namespace

int main(int argc, char** argv) {
  const Job job = hundred_steps();
  compare(
      "last of 100 steps changed",
      [=] {
        auto runner = std::make_shared<RecipeRunner>();
        evaluate(*runner, job);
        return [=, by = 0]() mutable { evaluate(*runner, changed(job, ++by)); };
      },
      "cold", [=] { return cold(job); }, 0.05, 0.02);
  compare(
      "undo of it",
      [=] {
        auto runner = std::make_shared<RecipeRunner>();
        evaluate(*runner, job);
        evaluate(*runner, changed(job, 1));
        return [=, by = 0]() mutable { evaluate(*runner, ++by % 2 == 0 ? job : changed(job, 1)); };
      },
      "cold", [=] { return cold(job); }, 0.01, 0.001);
  return run(argc, argv);
}
