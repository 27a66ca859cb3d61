// SPDX-License-Identifier: GPL-3.0-or-later
// The speed table: our engine from plain arrays against CGAL's corefinement on meshes built ahead.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cmath>
#include <stdexcept>

#include "bench/support/compare.h"
#include "core/boolean/combine.h"
#include "core/mesh/triangulate.h"
#include "core/stock/primitive.h"
#include "tests/support/corefinement.h"

namespace {

using namespace anvil;
using namespace anvil::bench;
using anvil::test::CgalOperation;
using anvil::test::CgalSolid;
using Shared = std::shared_ptr<const Mesh>;

Shared triangles_of(const Mesh& mesh, const Vec3& shift = Vec3::Zero()) {
  Mesh out;
  for (const Vec3& p : mesh.positions) out.add_vertex(p + shift);
  for (const Triangle& t : triangulate(mesh).triangles) out.add_face(t);
  return std::make_shared<const Mesh>(std::move(out));
}

/// A sphere by latitude of about `triangles` triangles.
Shared sphere(double triangles, const Vec3& shift) {
  const double rings = std::round(std::sqrt(triangles) / 2);
  return triangles_of(*make_mesh(Primitive::of("sphere", {100, 2 * rings, rings})), shift);
}

void subtract(const std::vector<Operand>& operands) {
  const auto result = combine(operands);
  if (!result.ok() || result->mesh.empty()) throw std::runtime_error("the difference failed");
  benchmark::DoNotOptimize(result->mesh.corners.data());
}

/// @param known  that they are free of crossings, as a part's cached soundness tells; CGAL presumes it always
void spheres(const std::string& name, double triangles, bool known, double bar, double goal, bool memory) {
  const Vec3 shift(31.7, 12.3, 7.9);
  compare(
      name,
      [=] {
        std::vector<Operand> operands{{sphere(triangles, {0, 0, 0}), "A"}, {sphere(triangles, shift), "B"}};
        for (Operand& o : operands) o.free_of_crossings = known;
        return [operands] { subtract(operands); };
      },
      "cgal",
      [=] {
        auto a = std::make_shared<CgalSolid>(*sphere(triangles, {0, 0, 0})), b = std::make_shared<CgalSolid>(*sphere(triangles, shift));
        return [a, b] {
          // Corefinement changes its input: work on copies, whose making costs a few percent.
          CgalSolid part = *a, tool = *b;
          if (!part.combine(tool, CgalOperation::difference)) throw std::runtime_error("CGAL failed");
        };
      },
      bar, goal, memory);
}

std::vector<Operand> plate_and_cylinders() {
  std::vector<Operand> operands{{triangles_of(*make_mesh(Primitive::of("box", {220, 120, 10}))), "plate"}};
  const Mesh drill = *make_mesh(Primitive::of("cylinder", {6, 30, 48}));
  for (int i = 0; i < 20; ++i)
    for (int j = 0; j < 10; ++j)
      operands.push_back({triangles_of(drill, {-95.0 + 10 * i + 0.1, -45.0 + 10 * j + 0.2, 0}), fmt::format("hole {}", 10 * i + j)});
  for (Operand& o : operands) o.free_of_crossings = true;
  return operands;
}

/// A tool of 1 000 triangles at the next of many places on a part of 100 000, of about the same fineness.
std::vector<Operand> moved_tool(const Shared& part, const Shared& tool, int step) {
  const double angle = 0.05 * step;
  std::vector<Operand> operands{{part, "part"},
                                {tool, "tool", Operation::difference,
                                 Affine(Eigen::Translation3d(50 * std::cos(angle), 50 * std::sin(angle), 7.3))}};
  for (Operand& o : operands) o.free_of_crossings = true;
  return operands;
}

Shared small_sphere() {
  return triangles_of(*make_mesh(Primitive::of("sphere", {10, 32, 16})));  // 992 triangles
}

}  // namespace

int main(int argc, char** argv) {
  spheres("spheres 2x10k", 10'000, true, 0.30, 0.12, false);
  spheres("spheres 2x100k", 100'000, true, 0.25, 0.10, false);
  spheres("spheres 2x1M", 1'000'000, true, 0.25, 0.10, true);
  spheres("first run 2x10k", 10'000, false, 0.40, 0.20, false);
  spheres("first run 2x100k", 100'000, false, 0.25, 0.12, false);
  spheres("first run 2x1M", 1'000'000, false, 0.20, 0.10, false);
  compare(
      "plate - 200 cylinders", [] { return [operands = plate_and_cylinders()] { subtract(operands); }; }, "cgal",
      [] {
        auto solids = std::make_shared<std::vector<CgalSolid>>();
        for (const Operand& o : plate_and_cylinders()) solids->emplace_back(*o.mesh);
        return [solids] {
          CgalSolid plate = (*solids)[0];
          for (std::size_t k = 1; k < solids->size(); ++k) {
            CgalSolid tool = (*solids)[k];
            if (!plate.combine(tool, CgalOperation::difference)) throw std::runtime_error("CGAL failed");
          }
        };
      },
      0.05, 0.02, false, true);
  compare(
      "moved tool, warm",
      [] {
        auto cache = std::make_shared<CombineCache>();
        auto step = std::make_shared<int>(0);
        const Shared part = sphere(100'000, {0, 0, 0}), tool = small_sphere();
        CombineSettings settings;
        settings.cache = cache.get();
        if (!combine(moved_tool(part, tool, 0), {}, settings)) throw std::runtime_error("the difference failed");
        return [=] {
          CombineSettings warm;
          warm.cache = cache.get();
          const auto result = combine(moved_tool(part, tool, ++*step), {}, warm);
          if (!result.ok() || result->mesh.empty()) throw std::runtime_error("the difference failed");
        };
      },
      "cold",
      [] {
        auto step = std::make_shared<int>(0);
        const Shared part = sphere(100'000, {0, 0, 0}), tool = small_sphere();
        return [=] { subtract(moved_tool(part, tool, ++*step)); };
      },
      0.35, 0.15, false);
  require_memory("spheres 2x1M", 1.0, 0.5);
  require_growth("spheres 2x100k", "spheres 2x1M", 12, 10);
  return bench::run(argc, argv);
}
