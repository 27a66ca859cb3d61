// SPDX-License-Identifier: GPL-3.0-or-later
// Everyday parts, small and full of contact: two of the demo job, and 60 parts at once, by the combination alone and by whole
// processes. Taken as known: primitives cross themselves nowhere, as the job knows; in the warm rows what the cache of a recipe
// keeps from the tool's place before.
#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <random>
#include <stdexcept>

#include "bench/support/compare.h"
#include "core/boolean/combine.h"
#include "core/mesh/triangulate.h"
#include "job/job_file.h"
#include "job/recipe_runner.h"
#include "tests/support/corefinement.h"

namespace {

using namespace anvil;
using namespace anvil::bench;
using anvil::test::CgalOperation;
using anvil::test::CgalSolid;

// Times of the engine before (7f3fab2), on the machine where these bars were written; CGAL took 0.096 and 0.29 s there.
constexpr double clamp_before = 0.043, plate_before = 0.049, clamp_cgal = 0.096, plate_cgal = 0.289;
// Of one case of 60 parts: spread out, and crowded.
constexpr double spread_before = 0.165, crowded_before = 11;
// Of the command line, from the job file to the OFF.
constexpr double clamp_process = 0.088, plate_process = 0.093;

const Job& demo() {
  static const Job job = [] {
    auto loaded = load_job(DEMO_JOB);
    if (!loaded) throw std::runtime_error(loaded.issue().message());
    return *loaded;
  }();
  return job;
}

/// The part of that name and the tools of its first step, as the step combines them.
std::vector<Operand> operands_of(const std::string& name) {
  for (const PartPtr& part : demo().parts) {
    if (part->name != name) continue;
    auto shape = [](const Part& p) { return std::make_shared<const Mesh>(*make_mesh(std::get<Primitive>(p.source))); };
    std::vector<Operand> operands{{shape(*part), name, Operation::unite, demo().world_of(part->id), true, {}}};
    const auto add = [&](const ToolUse& use, Operation operation) {
      operands.push_back({shape(demo().at(use.tool)), demo().at(use.tool).name, operation, demo().world_of(use.tool), true, {}});
    };
    for (const ToolUse& use : part->recipe.at(0).tools) {
      if (!use.is_tray()) add(use, use.operation);
      for (const ToolUse& inner : use.inside) add(inner, use.operation);  // united in their tray
    }
    return operands;
  }
  throw std::runtime_error("the demo job has no " + name);
}

void must(const Result<BooleanResult>& result) {
  if (!result || result->mesh.empty()) throw std::runtime_error("the combination failed");
  benchmark::DoNotOptimize(result->mesh.corners.data());
}

/// One tool a hundredth of a millimetre farther each time, the cache kept from the time before.
std::function<void()> moved(const std::string& name) {
  auto cache = std::make_shared<CombineCache>();
  auto operands = std::make_shared<std::vector<Operand>>(operands_of(name));
  return [=] {
    operands->back().placement.pretranslate(Vec3(0.01, 0, 0));
    must(combine(*operands, {}, {{}, cache.get()}));
  };
}

std::function<void()> one_by_one(const std::string& name) {
  auto solids = std::make_shared<std::vector<std::pair<CgalSolid, CgalOperation>>>();
  for (const Operand& o : operands_of(name)) {
    Mesh mesh;
    for (const Vec3& p : o.mesh->positions) mesh.add_vertex(o.placement * p);
    for (const Triangle& t : triangulate(*o.mesh).triangles) mesh.add_face(t);
    solids->emplace_back(CgalSolid(mesh), o.operation == Operation::unite ? CgalOperation::unite : CgalOperation::difference);
  }
  return [solids] {
    CgalSolid part = solids->front().first;
    for (std::size_t k = 1; k < solids->size(); ++k) {
      CgalSolid tool = (*solids)[k].first;
      if (!part.combine(tool, (*solids)[k].second)) throw std::runtime_error("CGAL failed");
    }
  };
}

void rows(const std::string& name, double before, double cgal) {
  compare(name + ", cold", [=] { return [operands = operands_of(name)] { must(combine(operands)); }; }, "cgal",
          [=] { return one_by_one(name); }, 0.25 * before / cgal, 0.1 * before / cgal);
  compare(name + ", one tool moved, warm", [=] { return moved(name); }, "cold",
          [=] { return [operands = operands_of(name)] { must(combine(operands)); }; }, 0.4, 0.1);
  measure(name + ", one tool moved, warm, seconds", [=] { return moved(name); }, 0.025, 0.01);
}

/// 60 boxes and six-sided prisms on a grid, full of flush faces: the first united with 29 and less 30.
/// @param size, step  of the grid: how many places along each axis, and how far apart
std::vector<Operand> sixty(unsigned seed, unsigned size, double step) {
  std::mt19937 random(seed);
  auto below = [&](unsigned n) { return static_cast<double>(random() % n); };
  std::vector<Operand> operands;
  for (int k = 0; k < 60; ++k) {
    const char* kind = random() % 2 == 0 ? "box" : "prism";
    const double a = 2 + below(4), b = 2 + below(4), c = 2 + below(4);
    const Vec3 at(step * below(size), step * below(size), step * below(size));
    operands.push_back({std::make_shared<const Mesh>(*make_mesh(Primitive::of(kind, {a, b, kind[0] == 'b' ? c : 6}))), fmt::format("{}", k),
                        k < 30 ? Operation::unite : Operation::difference, Affine(Eigen::Translation3d(at)), true, {}});
  }
  return operands;
}

Work many(unsigned cases, unsigned size, double step) {
  return [=] {
    std::vector<std::vector<Operand>> all;
    for (unsigned seed = 1; seed <= cases; ++seed) all.push_back(sixty(seed, size, step));
    return [all] {
      for (const auto& operands : all) must(combine(operands));
    };
  };
}

/// Runs the command line on the demo job and waits for its end.
void run_process(const char* part) {
  const auto out = std::filesystem::temp_directory_path() / fmt::format("clean-anvil-bench-{}.off", getpid());
  const pid_t child = fork();
  if (child < 0) throw std::runtime_error("fork failed");
  if (child == 0) {
    if (freopen("/dev/null", "w", stdout) == nullptr) _exit(126);
    execl(CLI_PROGRAM, CLI_PROGRAM, "run", DEMO_JOB, "--part", part, "-o", out.c_str(), static_cast<char*>(nullptr));
    _exit(127);
  }
  int status = 0;
  waitpid(child, &status, 0);
  std::filesystem::remove(out);
  if (status != 0) throw std::runtime_error("the command line ended badly");
}

}  // namespace

int main(int argc, char** argv) {
  rows("Mast clamp", clamp_before, clamp_cgal);
  rows("Gland plate", plate_before, plate_cgal);
  measure("100 x 60 parts, spread out", many(100, 14, 1), 100 * 0.4 * spread_before, 100 * 0.2 * spread_before);
  measure("5 x 60 parts, crowded", many(5, 12, 0.5), 5 * 0.4 * crowded_before, 5 * 0.2 * crowded_before);
  measure("Mast clamp, whole process", [] { return [] { run_process("Mast clamp"); }; }, 0.25 * clamp_process, 0.1 * clamp_process);
  measure("Gland plate, whole process", [] { return [] { run_process("Gland plate"); }; }, 0.25 * plate_process, 0.1 * plate_process);
  return bench::run(argc, argv);
}
