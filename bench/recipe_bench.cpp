// SPDX-License-Identifier: GPL-3.0-or-later
// Recipes: what a change costs against carrying all of it out from nothing (100 steps, 20 steps, one tool of 40), what opening
// a large job costs against reading its meshes, and what 200 undo entries of it weigh against the job.
// Taken as known: nothing in the cold runs; in the others what the cold run found out, and in the frames of a drag after the
// first what that one did. Meshes are read from files of their own
// in the format and the order of the job's.
#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cmath>
#include <filesystem>
#include <numbers>
#include <stdexcept>

#include "bench/support/compare.h"
#include "bench/support/jobs.h"
#include "core/io/mesh_file.h"
#include "job/edit.h"
#include "job/history.h"
#include "job/job_file.h"
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

/// Twenty steps on a plate, the last of them a plane cut; the same as hundred_steps() to there.
Job twenty_steps() {
  Job job = hundred_steps();
  while (job.at(1).recipe.size() > 20) job = *edit::remove_step(job, job.at(1).recipe.back().id);
  return job;
}

/// 200 scans of 10 000 triangles, written as a job and as meshes.
struct LargeJob {
  std::filesystem::path folder = std::filesystem::temp_directory_path() / fmt::format("anvil-bench-{}", ::getpid()), job = folder / "large.anvil";
  LargeJob() {
    std::filesystem::create_directories(folder);
    Job large;
    constexpr Index across = 100, along = 50;
    for (int k = 0; k < 200; ++k) {
      Mesh mesh;
      for (Index i = 0; i <= along; ++i)
        for (Index j = 0; j < across; ++j) {
          const double v = 2 * std::numbers::pi * j / across, r = 10 + 0.3 * std::sin(3.0 * i + 0.1 * k);
          mesh.add_vertex({r * std::cos(v), r * std::sin(v), 0.7 * i + 30.0 * k});
        }
      for (Index i = 0; i < along; ++i)
        for (Index j = 0; j < across; ++j) {
          const Index a = i * across + j, b = i * across + (j + 1) % across;
          mesh.add_face({a, b, b + across});
          mesh.add_face({a, b + across, a + across});
        }
      if (!write_mesh(mesh, folder / fmt::format("{}.ply", k))) throw std::runtime_error("cannot write a mesh");
      Part part;
      part.name = fmt::format("Scan {}", k + 1);
      part.source = ImportedSource{std::make_shared<const Mesh>(std::move(mesh)), "scan.ply"};
      large = edit::add_part(large, std::move(part));
    }
    if (!save_job(large, job)) throw std::runtime_error("cannot write the job");
  }
  ~LargeJob() {
    std::error_code ignored;
    std::filesystem::remove_all(folder, ignored);
  }
};

Job open(const std::filesystem::path& path) {
  Result<Job> job = load_job(path);
  if (!job) throw std::runtime_error(job.issue().message());
  return std::move(*job);
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
  const Job twenty = twenty_steps();
  compare(
      "a number in the last of 20 steps",
      [=] {
        auto runner = std::make_shared<RecipeRunner>();
        evaluate(*runner, twenty);
        return [=, by = 0]() mutable { evaluate(*runner, changed(twenty, ++by)); };
      },
      "cold", [=] { return cold(twenty); }, 0.1, 0.05);
  const Job ring = ring_with_forty();
  const auto show = [](RecipeRunner& runner, const Job& version, RecipeRunner::How how) {
    runner.begin(version, how);
    benchmark::DoNotOptimize(runner.evaluate(version, 1, {}, true, how).get());
  };
  const auto dragged = [ring](int by) { return edit::change_part(ring, 9, [&](Part& pin) { pin.placement.position.z() = 0.37 * (1 + by % 20); }); };
  const Work ring_cold = [=] {
    return [=] {
      RecipeRunner runner;
      show(runner, ring, RecipeRunner::How::exact);
    };
  };
  // The first frame of a drag makes what does not move; the others add the tool to that.
  compare(
      "one tool of 40 dragged on 100 000 triangles, a frame",
      [=] {
        auto runner = std::make_shared<RecipeRunner>();
        show(*runner, ring, RecipeRunner::How::exact);
        show(*runner, dragged(0), RecipeRunner::How::live);
        return [=, by = 0]() mutable { show(*runner, dragged(++by), RecipeRunner::How::live); };
      },
      "cold", ring_cold, 0.15, 0.1);
  compare(
      "the first frame of it",
      [=] {
        auto runner = std::make_shared<RecipeRunner>();
        return [=, by = 0]() mutable {
          // Another tool each time, so that each is the first of its drag.
          show(*runner, edit::change_part(ring, static_cast<PartId>(2 + ++by % 40), [](Part& pin) { pin.placement.position.z() = 1; }), RecipeRunner::How::live);
        };
      },
      "cold", ring_cold, 1.2, 1);
  const auto large = std::make_shared<LargeJob>();
  compare(
      "200 parts of 10 000 triangles opened", [=] { return [=] { benchmark::DoNotOptimize(open(large->job).parts.data()); }; }, "meshes",
      [=] {
        return [=] {
          for (int k = 0; k < 200; ++k) {
            const auto mesh = read_mesh(large->folder / fmt::format("{}.ply", k));
            benchmark::DoNotOptimize(mesh->mesh.positions.data());
          }
        };
      },
      2, 1.2);
  compare(
      "200 undo entries of it",
      [=] {
        return [=] {
          auto history = std::make_shared<History>();
          history->reset(open(large->job));
          for (int k = 0; k < 200; ++k) {
            const PartId part = history->current()->parts[static_cast<std::size_t>(k)]->id;
            history->commit("move", edit::change_part(*history->current(), part, [&](Part& p) { p.placement.position.x() = k; }));
          }
          benchmark::DoNotOptimize(history->current().get());
        };
      },
      "the job", [=] { return [=] { benchmark::DoNotOptimize(open(large->job).parts.data()); }; }, 2, 1.2, true);
  require_memory("200 undo entries of it", 1.5, 1.1);
  return run(argc, argv);
}
