// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_solids.h"

#include <fmt/format.h>

#include <cmath>
#include <random>

#include "tests/support/dice.h"
#include "tests/support/meshes.h"
#include "tests/support/random_files.h"
#include "tests/support/referee.h"

namespace anvil::test {
namespace {

/// Tetrahedra with corners on a grid of 5³ points; every one closed, so the soup is too.
Mesh tetrahedra(Random& random, int count) {
  Mesh mesh;
  for (int i = 0; i < count; ++i) {
    std::array<Vec3, 4> p;
    do {
      for (Vec3& corner : p) corner = Vec3(below(random, 5), below(random, 5), below(random, 5));
    } while ((p[1] - p[0]).cross(p[2] - p[0]).dot(p[3] - p[0]) == 0);
    if ((p[1] - p[0]).cross(p[2] - p[0]).dot(p[3] - p[0]) > 0) std::swap(p[0], p[1]);
    const Index at = static_cast<Index>(mesh.positions.size());
    for (const Vec3& corner : p) mesh.add_vertex(corner);
    for (const Triangle& t : {Triangle{0, 1, 2}, Triangle{0, 3, 1}, Triangle{0, 2, 3}, Triangle{1, 3, 2}})
      mesh.add_face({at + t[0], at + t[1], at + t[2]});
  }
  return mesh;
}

Mesh boxes(Random& random, int count) {
  Mesh mesh;
  for (int i = 0; i < count; ++i) {
    const Vec3 size(1 + below(random, 3), 1 + below(random, 3), 1 + below(random, 3));
    append(mesh, placed(stock("box", {size.x(), size.y(), size.z()}),
                        Vec3(below(random, 5), below(random, 5), below(random, 5)) / 2));
  }
  return mesh;
}

Mesh primitive(Random& random) {
  switch (below(random, 4)) {
    case 0: return stock("box", {2, 2, 2});
    case 1: return stock("cylinder", {2, 2, 12});
    case 2: return stock("prism", {2, 2, 6});
    default: return stock("sphere", {2, 12, 6});
  }
}

Mesh joined(const Mesh& a, const Mesh& b, Operation operation, bool files, std::string& wrong) {
  try {
    const auto result = combine({{shared(a), "A"}, {shared(b), "B", operation}}, {}, {0});
    if (!result) {
      wrong = fmt::format("{}: {}", key_of(operation), result.issue().message());
      return {};
    }
    for (const auto& done : result->report.done)
      if (done.what() == "rounding_not_settled") wrong = fmt::format("{}: not settled", key_of(operation));
    if (result->mesh.empty()) return {};
    // Judged in the triangles that every reader of ours and every STL gets.
    Mesh triangles;
    triangles.positions = result->mesh.positions;
    for (const Triangle& t : triangulate(result->mesh).triangles) triangles.add_face(t);
    const Judgement j = judge(triangles);
    if (!j.sound())
      wrong = fmt::format("{}: manifold {} closed {} crosses {} bounds {} outward {} degenerate {}", key_of(operation),
                          j.manifold, j.closed, j.self_intersects, j.bounds_volume, j.outward, j.degenerate);
    for (const std::string& here : {files ? what_is_wrong_with_file(result->mesh, ".stl") : "", files ? what_is_wrong_with_polygons(result->mesh) : ""})
      if (!here.empty()) wrong = fmt::format("{}: {}", key_of(operation), here);
    return result->mesh;
  } catch (const std::exception& error) {
    wrong = fmt::format("{}: {}", key_of(operation), error.what());
    return {};
  }
}

}  // namespace

std::pair<Mesh, Mesh> random_pair(unsigned seed) {
  Random random(seed);
  switch (below(random, 4)) {
    case 0: return {tetrahedra(random, 1 + below(random, 6)), tetrahedra(random, 1 + below(random, 6))};
    case 1: return {boxes(random, 1 + below(random, 4)), boxes(random, 1 + below(random, 4))};
    case 2: return {boxes(random, 1 + below(random, 4)), tetrahedra(random, 1 + below(random, 8))};
    default: {
      static constexpr double offsets[] = {0, 1e-15, 1e-12, 1e-9, 1e-7, 1e-5};
      const Vec3 angles = 30.0 * Vec3(below(random, 12), below(random, 12), below(random, 12));
      Vec3 shift = Vec3(below(random, 3) - 1, below(random, 3) - 1, below(random, 3) - 1);
      for (int k = 0; k < 3; ++k) shift[k] += 2 * offsets[below(random, 6)];
      const Mesh part = primitive(random), tool = placed(primitive(random), shift);
      return {placed(part, Vec3::Zero(), angles), placed(tool, Vec3::Zero(), angles)};
    }
  }
}

std::pair<Mesh, Mesh> fine_pair(unsigned seed) {
  Dice dice(seed);
  const auto any = [&](std::uint32_t bodies) -> Mesh {
    switch (dice.upto(bodies)) {
      case 0: return stock("torus", {20, 8, 120, 60});
      case 1: return stock("sphere", {20, 80, 40});
      case 2: return stock("sphere", {6, 40, 20});
      case 3: return stock("cylinder", {9, 20, 48});
      case 4: return stock("box", {12, 9, 11});
      default: return stock("torus", {12, 4, 60, 30});
    }
  };
  const auto somewhere = [&](const Mesh& mesh) {
    return placed(mesh, {dice.between(-9, 9), dice.between(-9, 9), dice.between(-5, 5)}, {dice.between(0, 90), dice.between(0, 90), dice.between(0, 90)});
  };
  Mesh part = any(2);
  for (unsigned more = 1 + dice.upto(4); more > 0; --more) {
    Mesh shell = somewhere(any(6));
    if (dice.upto(6) == 0) reverse_faces(shell);
    append(part, shell);
  }
  if (dice.upto(5) == 0)
    for (const double up : {0.0, 1e-9}) append(part, placed(stock("sphere", {6, 40, 20}), {11, 0, up}));
  if (dice.upto(2) == 0) part = in_triangles(part);
  return {std::move(part), somewhere(any(6))};
}

std::string what_is_wrong(const Mesh& a, const Mesh& b, bool files) {
  std::string wrong;
  auto volume = [&](const Mesh& part, const Mesh& tool, Operation operation) { return signed_volume(joined(part, tool, operation, files, wrong)); };
  // A part united with itself is the part without its inner overlaps.
  const double va = volume(a, a, Operation::unite);
  const double vb = volume(b, b, Operation::unite);
  const double both = volume(a, b, Operation::intersection);
  const double any = volume(a, b, Operation::unite);
  const double a_less_b = volume(a, b, Operation::difference);
  const double b_less_a = volume(b, a, Operation::difference);
  if (!wrong.empty()) return wrong;
  const double tolerance = 1e-9 * (va + vb);
  if (std::abs(any - (va + vb - both)) > tolerance) return fmt::format("union {} is not {} + {} − {}", any, va, vb, both);
  if (std::abs(a_less_b - (va - both)) > tolerance) return fmt::format("A − B {} is not {} − {}", a_less_b, va, both);
  if (std::abs(b_less_a - (vb - both)) > tolerance) return fmt::format("B − A {} is not {} − {}", b_less_a, vb, both);
  if (!joined(a, a, Operation::difference, files, wrong).empty()) return "A − A is not empty";
  return wrong;
}

}  // namespace anvil::test
