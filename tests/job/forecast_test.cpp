// SPDX-License-Identifier: GPL-3.0-or-later
// What a finer skin comes to is told by a coarser one; held against the finer one, once it is made.
#include "job/forecast.h"

#include <catch2/catch.hpp>

#include "core/mesh/cloud.h"
#include "job/edit.h"
#include "job/recipe_runner.h"
#include "tests/support/meshes.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

struct Made {
  std::size_t triangles;
  OperationReport report;
};
Made made_of(const Source& source, const StepKind& kind, double detail, bool with_tool = false) {
  Part part, other;
  part.name = "Part", other.name = "Other";
  part.source = source;
  other.source = Primitive::of("cylinder", {12, 60, 48});
  Step step = new_step(kind);
  set_field(step, "detail", detail);
  Job job = edit::add_part(Job{}, part);
  if (with_tool) {
    job = edit::add_part(job, other);
    step.tools.push_back({.id = 1, .tool = 2});
  }
  RecipeRunner runner;
  const auto result = runner.evaluate(*edit::add_step(job, 1, step), 1, {}, false);
  REQUIRE(result->steps.size() == 1);
  return {result->mesh->face_count(), result->steps[0].report};
}

}  // namespace

TEST_CASE("a skin tells how many triangles one of another detail will have, of parts, blends and points alike") {
  const Source ball = Primitive::of("icosphere", {40, 4});
  Mesh points;
  points.cloud = true;
  for (const Vec3& p : stock("icosphere", {40, 4}).positions) points.add_vertex(Vec3(p));
  const Source cloud = ImportedSource{shared(points), "points.xyz"};
  for (const auto& [source, kind, with_tool] : {std::tuple(&ball, &steps::recast, false), std::tuple(&cloud, &steps::recast, false), std::tuple(&ball, &steps::voxel_combine, true)}) {
    const Made coarse = made_of(*source, *kind, 1.5, with_tool), fine = made_of(*source, *kind, 0.6, with_tool);
    INFO(kind->key << ", " << (source == &cloud) << ": " << coarse.triangles << " and " << fine.triangles << " triangles");
    REQUIRE(told(coarse.report, "recast_finer") != nullptr);
    CHECK(static_cast<double>(count_told(coarse.report, "recast_finer")) == Approx(4.0 * static_cast<double>(coarse.triangles)).epsilon(0.006));
    const auto foretold = forecast(coarse.report, 1.5, 0.6);
    REQUIRE(foretold);
    CHECK(foretold->triangles == Approx(static_cast<double>(fine.triangles)).epsilon(0.15));
    CHECK(foretold->seconds > coarse.report.seconds);
    CHECK(in_words(*foretold).find("triangles, ") != std::string::npos);
    CHECK_FALSE(forecast(coarse.report, 1.5, 0));
  }
  CHECK_FALSE(forecast(OperationReport{}, 1, 0.5));
}
