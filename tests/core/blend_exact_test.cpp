// SPDX-License-Identifier: GPL-3.0-or-later
// Chamfers and rounds against the same on exact surfaces, which another modeller makes.
#include <catch2/catch.hpp>

#include "core/mesh/edge_rule.h"
#include "core/shape/blend/blend.h"
#include "tests/support/exact_finish.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

using Point2d = std::pair<double, double>;

/// A prism over a polygon, counter-clockwise; slanted by `lean`, and smaller by `share` at its top.
Mesh prism(std::vector<Point2d> outline, double height, const Vec3& lean = Vec3::Zero(), double share = 1) {
  Mesh mesh;
  const auto n = static_cast<Index>(outline.size());
  for (const auto& [x, y] : outline) mesh.add_vertex({x, y, 0});
  for (const auto& [x, y] : outline) mesh.add_vertex(Vec3(share * x, share * y, height) + lean);
  std::vector<Index> low, high;
  for (Index k = 0; k < n; ++k) {
    low.push_back(n - 1 - k), high.push_back(n + k);
    mesh.add_face({k, (k + 1) % n, (k + 1) % n + n, k + n});
  }
  mesh.add_face(low);
  mesh.add_face(high);
  return mesh;
}
std::vector<Point2d> regular(Index sides, double radius) {
  std::vector<Point2d> outline;
  for (Index k = 0; k < sides; ++k) outline.emplace_back(radius * std::cos(2 * M_PI * k / sides), radius * std::sin(2 * M_PI * k / sides));
  return outline;
}
Mesh tetrahedron(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& top) {
  Mesh mesh;
  for (const Vec3& p : {a, b, c, top}) mesh.add_vertex(p);
  for (auto face : {std::array<Index, 3>{2, 1, 0}, {0, 1, 3}, {1, 2, 3}, {2, 0, 3}}) mesh.add_face({face[0], face[1], face[2]});
  return mesh;
}

bool all(const Vec3&, const Vec3&) { return true; }
bool upright_ones(const Vec3& from, const Vec3& to) { return (from - to).head<2>().norm() < 1e-9; }

double ours(const Mesh& mesh, const ExactFinish& finish, Index segments) {
  const EdgeTable edges = build_edges(mesh);
  std::vector<Index> list;
  for (Index e : edges_by_rule(mesh, edges, {EdgeRule::By::all}, {}))
    if (finish.chosen(mesh.positions[edges.vertices[e][0]], mesh.positions[edges.vertices[e][1]])) list.push_back(e);
  EdgeBlendSettings settings{finish.round, finish.width};
  settings.segments = segments;
  const Result<BooleanResult> result = blend_edges({shared(mesh), "part", true}, edges, list, settings);
  REQUIRE(result);
  for (const auto& told : result->report.done) CHECK(told.note == &blend_done);
  CHECK(judge(in_triangles(result->mesh)).sound());
  return signed_volume(result->mesh);
}

struct Body {
  const char* name;
  Mesh mesh;
  double width;
  bool (*chosen)(const Vec3&, const Vec3&);
};
std::vector<Body> bodies_with_flat_faces() {
  const std::vector<Point2d> l{{0, 0}, {30, 0}, {30, 10}, {10, 10}, {10, 30}, {0, 30}}, t{{0, 0}, {8, 0}, {8, 20}, {20, 20}, {20, 28}, {-12, 28}, {-12, 20}, {0, 20}},
      u{{0, 0}, {30, 0}, {30, 24}, {22, 24}, {22, 8}, {8, 8}, {8, 24}, {0, 24}}, star{{10, 0}, {4, 3}, {3, 10}, {-2, 4}, {-9, 5}, {-5, -1}, {-6, -9}, {0, -4}, {6, -8}, {5, -2}};
  return {{"box", prism({{0, 0}, {20, 0}, {20, 14}, {0, 14}}, 10), 2, all},
          {"slab", prism({{0, 0}, {60, 0}, {60, 40}, {0, 40}}, 3), 0.5, all},
          {"triangular prism", prism({{0, 0}, {20, 0}, {6, 15}}, 12), 1, all},
          {"six-sided prism", prism(regular(6, 12), 15), 1.5, all},
          {"nine-sided prism", prism(regular(9, 12), 5), 0.8, all},
          {"slanted prism", prism({{0, 0}, {20, 0}, {20, 14}, {0, 14}}, 16, {5, 3, 0}), 1.2, all},
          {"blunt pyramid", prism({{-10, -10}, {12, -10}, {12, 10}, {-10, 10}}, 12, Vec3::Zero(), 0.5), 1, all},
          {"blunt five-sided pyramid", prism(regular(5, 14), 9, {1, 1, 0}, 0.6), 1, all},
          {"tetrahedron", tetrahedron({0, 0, 0}, {20, 2, 0}, {5, 18, 1}, {8, 6, 15}), 0.7, all},
          {"flat tetrahedron", tetrahedron({0, 0, 0}, {30, 0, 0}, {10, 25, 0}, {13, 8, 9}), 0.5, all},
          {"L, upright edges", prism(l, 12), 2, upright_ones},
          {"T, upright edges", prism(t, 9), 1.5, upright_ones},
          {"U, upright edges", prism(u, 30), 2.5, upright_ones},
          {"star, upright edges", prism(star, 7), 0.3, upright_ones}};
}

}  // namespace

TEST_CASE("rounds of bodies with flat faces come to what exact surfaces enclose, by second order in the segments") {
  for (const Body& body : bodies_with_flat_faces()) {
    INFO(body.name);
    const ExactFinish finish{true, body.width, body.chosen};
    const auto exact = exact_volume(body.mesh, finish);
    REQUIRE(exact);
    const double lost = std::abs(signed_volume(body.mesh) - *exact);
    double before = 0;
    for (Index n : {8u, 16u, 32u}) {
      const double off = std::abs(ours(body.mesh, finish, n) - *exact);
      if (before > 0) CHECK(before / off == Approx(4).epsilon(0.1));
      // Chords of a quarter circle take 1.5 / n² of what it takes more; of flatter arcs, and balls at corners, it is a larger share.
      CHECK(off < 8 * lost / (n * n));
      before = off;
    }
  }
}

TEST_CASE("chamfers of bodies with flat faces take what exact ones take") {
  for (const Body& body : bodies_with_flat_faces()) {
    // Where three chamfers meet, that modeller covers the corner with a face of its own.
    if (body.chosen == all) continue;
    INFO(body.name);
    const ExactFinish finish{false, body.width, body.chosen};
    const auto exact = exact_volume(body.mesh, finish);
    REQUIRE(exact);
    CHECK(ours(body.mesh, finish, 1) == Approx(*exact).epsilon(1e-9));
  }
}

TEST_CASE("rims of round bars come to what exact ones enclose, by second order in sides and segments") {
  struct Bar {
    double lower, upper, height, width;
    bool round;
  };
  for (const Bar& bar : {Bar{10, 10, 20, 2, true}, Bar{10, 10, 6, 1, false}, Bar{12, 7, 15, 1.5, true}, Bar{8, 12, 9, 0.8, true}, Bar{12, 6, 10, 1, false}, Bar{5, 5, 40, 0.4, true}}) {
    INFO(bar.lower << " " << bar.upper << " " << bar.height << " " << bar.width << " " << bar.round);
    ExactFinish finish{bar.round, bar.width, [](const Vec3& from, const Vec3& to) { return std::abs(from.z() - to.z()) < 1e-9; }};
    const auto exact = exact_round_bar_volume(bar.lower, bar.upper, bar.height, finish);
    REQUIRE(exact);
    double before = 0;
    for (Index n : {8u, 16u, 32u}) {
      const double off = std::abs(ours(prism(regular(8 * n, bar.lower), bar.height, Vec3::Zero(), bar.upper / bar.lower), finish, n) - *exact);
      if (before > 0) CHECK(before / off == Approx(4).epsilon(0.15));
      before = off;
    }
  }
}
