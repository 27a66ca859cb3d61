// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/finish_rows.h"

#include <fmt/format.h>

#include <stdexcept>

#include "bench/support/bodies.h"
#include "bench/support/compare.h"
#include "bench/support/scans.h"
#include "core/boolean/combine.h"
#include "core/mesh/edge_rule.h"
#include "core/shape/blend/blend.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "job/recipe_runner.h"

namespace anvil::bench {
namespace {

using VertexPairs = std::vector<std::array<Index, 2>>;

/// What a step does: the edges looked up, finished, and the result proven.
void finish(const Shared& mesh, const EdgeRule& rule, const VertexPairs& fresh, const EdgeBlendSettings& settings, std::size_t least_edges) {
  const EdgeTable edges = build_edges(*mesh);
  const std::vector<Index> list = edges_by_rule(*mesh, edges, rule, fresh);
  if (list.size() < least_edges) throw std::runtime_error(fmt::format("only {} edges", list.size()));
  const auto result = blend_edges({mesh, "part", true, nullptr}, edges, list, settings);
  if (!result) throw std::runtime_error(result.issue().message());
  const auto& done = result->report.done;
  if (std::none_of(done.begin(), done.end(), [](const auto& told) { return told.note == &blend_done; })) throw std::runtime_error("nothing was finished");
}

/// The demo's mast clamp before its chamfer, and that chamfer.
struct DemoChamfer {
  EvaluatedPtr before;
  Step step;
};
DemoChamfer demo_chamfer() {
  const auto job = load_job(DEMO_JOB);
  if (!job) throw std::runtime_error(job.issue().message());
  for (const PartPtr& part : job->parts)
    for (std::size_t k = 0; k < part->recipe.size(); ++k) {
      if (part->recipe[k].kind != find_step_kind("chamfer")) continue;
      Job to_there = *job;
      while (to_there.at(part->id).recipe.size() > k) to_there = *edit::remove_step(to_there, to_there.at(part->id).recipe.back().id);
      RecipeRunner runner;
      runner.begin(to_there);
      return {runner.evaluate(to_there, part->id, {}, false), part->recipe[k]};
    }
  throw std::runtime_error("the demo has no chamfer");
}

/// The demo's chamfer, its width changed each time.
std::function<void()> demo_frames() {
  const auto demo = std::make_shared<const DemoChamfer>(demo_chamfer());
  const auto frame = std::make_shared<int>(0);
  return [=] {
    Step step = demo->step;
    set_field(step, "width", step.values().number("width") + 1e-4 * (*frame)++);
    StepInput input{demo->before->mesh, "part", {}, step.values(), [](std::size_t) { return true; }, nullptr, {}, demo->before->piece, demo->before->pieces, demo->before->fresh_edges};
    const Result<StepOutput> output = step.kind->run(input);
    if (!output || output->mesh.face_count() <= demo->before->mesh->face_count()) throw std::runtime_error("nothing was finished");
  };
}

BooleanResult plate_with_holes(double first_at) {
  std::vector<Operand> operands{operand(shared(stock("box", {220, 120, 10})), Operation::unite)};
  const Shared drill = shared(stock("cylinder", {6, 30, 48}));
  for (int i = 0; i < 20; ++i)
    for (int j = 0; j < 10; ++j) operands.push_back(operand(drill, Operation::difference, {-95.0 + 10 * i + (i + j == 0 ? first_at : 0.1), -45.0 + 10 * j + 0.2, 0}));
  return combined(operands);
}

}  // namespace

void add_finish_rows() {
  measure(
      "round all edges of the default ball",
      [] {
        return [ball = shared(stock("sphere", {30, 48, 24}))] {
          EdgeBlendSettings settings;
          settings.round = true, settings.width = 0.1;
          finish(ball, {EdgeRule::By::all}, {}, settings, 2256);
        };
      },
      0.5, 0.1);
  for (const double share : {1e-5, 0.01, 0.2})
    measure(
        fmt::format("chamfer scan - scan, {:g} of the size", share),
        [=] {
          const Shared worn = shared(scan(224));
          const Shared cut = shared(combined({operand(worn, Operation::unite), operand(worn, Operation::difference, {31, 17, 23})}).mesh);
          return [=] {
            EdgeBlendSettings settings;
            settings.width = share * bounds(*cut).diagonal();
            finish(cut, {EdgeRule::By::sharp, 40}, {}, settings, 100);
          };
        },
        3, 1);
  measure(
      "round all edges of a union, 16 segments",
      [] {
        std::vector<Operand> operands;
        for (int k = 0; k < 9; ++k) operands.push_back(operand(shared(k % 2 == 0 ? stock("sphere", {30, 18, 9}) : stock("cylinder", {14.0 + k, 40, 24})), Operation::unite, {11.0 * k, 7.0 * (k % 3), 3.0 * (k % 4)}));
        const Shared body = shared(combined(operands).mesh);
        return [=] {
          EdgeBlendSettings settings;
          settings.round = true, settings.width = 0.5, settings.segments = 16;
          finish(body, {EdgeRule::By::all}, {}, settings, 1000);
        };
      },
      1, 0.2);
  measure("the demo's chamfer", [] { return demo_frames(); }, 0.06, 0.02);
  measure(
      "chamfer 2 x 200 rims",
      [] {
        const auto plate = std::make_shared<const BooleanResult>(plate_with_holes(0.1));
        return [=, mesh = shared(plate->mesh)] {
          EdgeBlendSettings settings;
          settings.width = 0.5;
          finish(mesh, {EdgeRule::By::fresh}, plate->fresh_edges, settings, 400 * 48);
        };
      },
      0.1, 0.04);
}

}  // namespace anvil::bench
