// SPDX-License-Identifier: GPL-3.0-or-later
// Heaps of solids taken away group after group: the same solid as at once, and edges of finely faceted bodies, which the engine cannot settle at once.
#include <catch2/catch.hpp>

#include <random>

#include "core/mesh/edge_rule.h"
#include "core/shape/finish.h"
#include "core/shape/heap.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Workpiece as_part(const Mesh& mesh) { return {shared(mesh), "part", true, nullptr}; }

/// Boxes here and there in a cube of 10 about the origin, many of them in each other.
Mesh boxes(std::mt19937& random, std::size_t count) {
  std::uniform_real_distribution<double> place(-6, 6), size(2, 5);
  Mesh heap;
  for (std::size_t k = 0; k < count; ++k) append(heap, placed(stock("box", {size(random), size(random), size(random)}), {place(random), place(random), place(random)}));
  return heap;
}

}  // namespace

TEST_CASE("a heap taken away and added group after group is what it is at once, and its fresh edges lie between the part and what was made") {
  for (unsigned seed : {1u, 2u, 3u, 4u}) {
    std::mt19937 random(seed);
    const std::vector<MadeTool> tools{{boxes(random, 60), Operation::difference, "holes"}, {boxes(random, 50), Operation::unite, "lumps"}};
    const Mesh part = cube(10);
    const auto in_groups = combine_heaps(as_part(part), tools, {}, 1e-6), at_once = combine_with_made(as_part(part), tools, {}, 1e-6);
    REQUIRE(in_groups);
    REQUIRE(at_once);
    CHECK(judge(in_triangles(in_groups->mesh)).sound());
    CHECK(signed_volume(in_groups->mesh) == Approx(signed_volume(at_once->mesh)).epsilon(1e-9));
    // No fresh edge has the part on both sides.
    const EdgeTable edges = build_edges(in_groups->mesh);
    std::size_t at_part = 0;
    for (const auto& fresh : in_groups->fresh_edges) {
      const auto it = std::lower_bound(edges.vertices.begin(), edges.vertices.end(), fresh);
      REQUIRE(it != edges.vertices.end());
      REQUIRE(*it == fresh);
      std::size_t of_part = 0;
      for (Index c : edges.corners_of(static_cast<Index>(it - edges.vertices.begin()))) of_part += in_groups->sources.face[edges.corner_face[c]] != no_index;
      CHECK(of_part < 2);
      at_part += of_part;
    }
    CHECK(at_part > 20);
    for (std::size_t f = 0; f < in_groups->mesh.face_count(); ++f) {
      const Index source = in_groups->sources.face[f];
      if (source == no_index) continue;
      // A face of the part lies in the plane of the one that it came from.
      const Vec3 n = newell_normal(part.positions, part.face(source)).normalized();
      CHECK(newell_normal(in_groups->mesh.positions, in_groups->mesh.face(static_cast<Index>(f))).normalized().dot(n) == Approx(1));
      CHECK(n.dot(in_groups->mesh.positions[in_groups->mesh.face(static_cast<Index>(f))[0]]) == Approx(5));
    }
  }
}

TEST_CASE("a heap beside the part says so once") {
  std::mt19937 random(5);
  const auto result = combine_heaps(as_part(placed(cube(10), {100, 0, 0})), {{boxes(random, 40), Operation::difference, "holes"}}, {}, 1e-6);
  REQUIRE(result);
  CHECK(std::count_if(result->report.done.begin(), result->report.done.end(), [](const auto& done) { return done.note == &cut_misses; }) == 1);
  CHECK(result->fresh_edges.empty());
}

TEST_CASE("all edges of a ball are finished at widths that fit and that do not") {
  // At its poles 24 edges meet.
  const Mesh ball = stock("sphere", {20, 24, 8});
  const EdgeTable edges = build_edges(ball);
  const std::vector<Index> all = edges_by_rule(ball, edges, {EdgeRule::By::all}, {});
  double before = signed_volume(ball);
  for (double width : {0.0005, 0.02, 0.2}) {
    const auto result = finish_edges(as_part(ball), edges, all, {false, width});
    REQUIRE(result);
    CHECK(judge(in_triangles(result->mesh)).sound());
    CHECK_FALSE(told(result->report, "rounding_not_settled"));
    CHECK(signed_volume(result->mesh) < before);
    before = signed_volume(result->mesh);
    // One face is left of each face, and one is made for each edge, beside some small ones at the corners.
    CHECK(result->mesh.face_count() < 12 * edges.size());
  }
}
