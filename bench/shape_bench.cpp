// SPDX-License-Identifier: GPL-3.0-or-later
// What shaping costs: chamfers and rounds (finish_rows), a stencil against the engine's same cut, scatter against CGAL, and one result of each tool while it is dragged.
// Taken as known: that the part crosses itself nowhere and, for the chamfer, which edges are fresh (both come from the step before); for a drag, what the
// engine keeps of the part from the frame before. Nothing of the peer's is known beforehand either.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cmath>
#include <stdexcept>

#include "bench/finish_rows.h"
#include "bench/support/bodies.h"
#include "bench/support/compare.h"
#include "core/mesh/attributes.h"
#include "core/shape/array.h"
#include "core/shape/scatter.h"
#include "core/shape/stencil.h"
#include "core/stock/primitive.h"
#include "job/step.h"
#include "tests/support/corefinement.h"

namespace {

using namespace anvil;
using namespace anvil::bench;
using anvil::test::CgalOperation;
using anvil::test::CgalSolid;

/// A cylinder's wall in a grid, with its caps: about 100 000 triangles.
Mesh column() {
  Mesh mesh;
  constexpr Index around = 250, rows = 200;
  for (Index j = 0; j <= rows; ++j)
    for (Index i = 0; i < around; ++i) mesh.add_vertex({20 * std::cos(2 * M_PI * i / around), 20 * std::sin(2 * M_PI * i / around), 160.0 * j / rows});
  for (Index j = 0; j < rows; ++j)
    for (Index i = 0; i < around; ++i) {
      const Index a = j * around + i, b = j * around + (i + 1) % around;
      mesh.add_face({a, b, b + around});
      mesh.add_face({a, b + around, a + around});
    }
  std::vector<Index> low, high;
  for (Index i = 0; i < around; ++i) low.push_back(around - 1 - i), high.push_back(rows * around + i);
  mesh.add_face(low);
  mesh.add_face(high);
  return mesh;
}

std::vector<Affine> on_column(const Mesh& mesh) {
  ScatterSettings settings;
  settings.count = 2000;
  settings.distance = 1.2;
  settings.turned = true;  // CGAL falls over where a ball lies just so on the grid of the wall
  return scatter_places(mesh, {}, settings);
}

/// Twenty thousand triangles on a foot with flat faces, straight edges and the rim of a hole.
BooleanResult worked_on() {
  return combined({operand(shared(stock("box", {80, 60, 20})), Operation::unite), operand(shared(stock("sphere", {36, 144, 72})), Operation::unite, {0, 0, 14}),
                   operand(shared(stock("cylinder", {9, 60, 48})), Operation::difference, {30, 20, 0})});
}

/// One result of a step after the other, a number changed each time as by a drag.
void live(const char* key, std::vector<std::pair<const char*, FieldValue>> fields, const char* field, auto from, decltype(from) by, bool with_tool = false) {
  measure(
      fmt::format("live {}{}, 20k", key, std::any_of(fields.begin(), fields.end(), [](const auto& f) { return std::string(f.first) == "through" && std::get<bool>(f.second); }) ? " right through" : ""),
      [=] {
        const auto part = std::make_shared<BooleanResult>(worked_on());
        const auto mesh = shared(part->mesh);
        const StepKind* kind = find_step_kind(key);
        const auto step = std::make_shared<Step>(new_step(*kind));
        for (const auto& [name, value] : fields) set_field(*step, name, value);
        const auto cache = std::make_shared<CombineCache>();
        const auto ball = shared(stock("icosphere", {3, 2}));
        const auto frame = std::make_shared<int>(0);
        const auto run = [=] {
          set_field(*step, field, decltype(from)(from + by * (*frame)++));
          StepInput input{mesh, "part", {}, step->values(), [](std::size_t) { return true; }, cache.get(), {}, {}, 1, part->fresh_edges};
          if (with_tool) input.tools.push_back({ball, Affine::Identity(), Operation::difference, "ball"});
          const Result<StepOutput> output = kind->run(input);
          if (!output) throw std::runtime_error(output.issue().message());
          if (output->mesh.empty()) throw std::runtime_error("nothing is left");
        };
        run();
        return run;
      },
      0.05, 0.03);
}

}  // namespace

int main(int argc, char** argv) {
  add_finish_rows();
  const auto stencil = [] {
    StencilSettings settings;
    Loop2 loop;
    for (int k = 0; k < 100; ++k) {
      const double angle = 2 * M_PI * k / 100, r = 20 + 6 * std::sin(7 * angle);
      loop.emplace_back(r * std::cos(angle), r * std::sin(angle));
    }
    settings.loops = {loop};
    settings.frame = frame_seen({0, 50, 0}, {0.1, 0.2, 1}, {1, 0, 0});
    return settings;
  };
  const auto torus = [] { return shared(stock("torus", {100, 40, 1000, 500})); };
  compare(
      "stencil of 100 points on 1M",
      [=] {
        return [part = torus(), settings = stencil()] {
          const auto result = stencil_cut({part, "part", true, nullptr}, settings);
          if (!result || result->mesh.empty()) throw std::runtime_error("the stencil failed");
        };
      },
      "engine",
      [=] {
        const Shared part = torus();
        const Shared tool = shared(*stencil_solid(stencil(), bounds(*part)));
        return [part, tool] { benchmark::DoNotOptimize(combined({operand(part, Operation::unite), operand(tool, Operation::difference)}).mesh.positions.data()); };
      },
      1.5, 1.1);
  // CGAL takes fifty of the two thousand, one by one: what it would take for all is forty times as much, and the bar 0.02 of that.
  compare(
      "scatter 2000 spheres on 100k, against 50",
      [] {
        const auto part = shared(column());
        const auto places = on_column(*part);
        if (places.size() != 2000) throw std::runtime_error("not all places");
        return [part, places, ball = shared(stock("icosphere", {1.4, 2}))] {
          const std::vector<RepeatedTool> tools{{ball, "ball", Affine::Identity(), true}};
          const auto result = combine_at_places({part, "column", true, nullptr}, tools, places, Operation::difference, {});
          if (!result || result->mesh.empty()) throw std::runtime_error("the scatter failed");
        };
      },
      "cgal",
      [] {
        const Mesh mesh = column();
        const auto solid = std::make_shared<CgalSolid>(cut_to_triangles(mesh));
        const auto balls = std::make_shared<std::vector<CgalSolid>>();
        const auto places = on_column(mesh);
        for (std::size_t k = 0; k < 50; ++k) {
          Mesh ball = stock("icosphere", {1.4, 2});
          place(ball, places[40 * k]);
          balls->emplace_back(ball);
        }
        return [solid, balls] {
          CgalSolid part = *solid;
          for (const CgalSolid& ball : *balls) {
            CgalSolid tool = ball;
            if (!part.combine(tool, CgalOperation::difference)) throw std::runtime_error("CGAL failed");
          }
        };
      },
      0.8, 0.4, false, true);
  live("chamfer", {}, "width", 0.5, 0.001);
  live("round", {}, "radius", 0.5, 0.001);
  live("ramp", {{"edge", std::string("edges at 40,0,10")}}, "first", 5.0, 0.001);
  live("push", {{"chosen", std::string("faces at 40,0,0")}}, "depth", 2.0, 0.001);
  live("stencil", {{"point", Vec3(-30, 0, 10)}, {"through", false}, {"outline", std::string("-5,-8 5,-8 8,0 5,8 -5,8")}}, "to", 3.0, 0.001);
  live("lettering", {{"text", std::string("Kestrel")}, {"point", Vec3(0, -30, 0)}, {"normal", Vec3(0, -1, 0)}}, "depth", 0.5, 0.0001);
  live("path-cut", {{"path", std::string("-35,-25,10 -28,-5,10 -33,20,10 -39,0,10 closed")}, {"what", std::string("left")}}, "depth", 3.0, 0.001);
  live("throw-grid", {{"point", Vec3(0, 0, 0)}}, "spacing", 20.0, 0.001);
  live("throw-grid", {{"point", Vec3(0, 0, 0)}, {"through", true}}, "spacing", 20.0, 0.001);
  live("array", {{"count", Vec3(3, 1, 1)}, {"spacing", Vec3(90, 0, 0)}}, "spacing", Vec3(90, 0, 0), Vec3(0.001, 0, 0));
  live("ring", {{"count", 4.0}, {"point", Vec3(-150, 0, 0)}}, "point", Vec3(-150, 0, 0), Vec3(-0.001, 0, 0));
  live("scatter", {{"count", 50.0}, {"distance", 4.0}}, "largest", 1.0, 0.001, true);
  live("along-edges", {{"distance", 4.0}}, "distance", 6.0, 0.001, true);
  return bench::run(argc, argv);
}
