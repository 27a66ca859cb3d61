// SPDX-License-Identifier: GPL-3.0-or-later
// Corners where rounds and chamfers meet: volume, tangents, and how many faces they take.
#include <catch2/catch.hpp>

#include "core/mesh/edge_rule.h"
#include "core/shape/blend/biharmonic_disc.h"
#include "core/shape/blend/blend.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

struct FinishedAll {
  BooleanResult result;
  std::size_t edges = 0, new_faces = 0;
  double volume = 0;
};
FinishedAll finish_all(const Mesh& mesh, const EdgeBlendSettings& settings) {
  const EdgeTable edges = build_edges(mesh);
  const auto list = edges_by_rule(mesh, edges, {EdgeRule::By::all}, {});
  Result<BooleanResult> result = blend_edges({shared(mesh), "part", true}, edges, list, settings);
  REQUIRE(result);
  CHECK(judge(in_triangles(result->mesh)).sound());
  const auto made = std::count(result->sources.face.begin(), result->sources.face.end(), no_index);
  const double volume = signed_volume(result->mesh);
  return {std::move(*result), list.size(), static_cast<std::size_t>(made), volume};
}
EdgeBlendSettings with_round(double radius, Index segments) {
  EdgeBlendSettings settings{true, radius};
  settings.segments = segments;
  return settings;
}

/// A pyramid over a polygon.
Mesh slanted_pyramid(std::initializer_list<Vec3> base, const Vec3& apex) {
  Mesh mesh;
  std::vector<Index> floor;
  for (const Vec3& p : base) floor.insert(floor.begin(), mesh.add_vertex(p));
  const Index top = mesh.add_vertex(apex);
  mesh.add_face(floor);
  const auto n = static_cast<Index>(base.size());
  for (Index k = 0; k < n; ++k) mesh.add_face({k, (k + 1) % n, top});
  return mesh;
}
Mesh octahedron(double half) {
  Mesh mesh;
  for (int axis = 0; axis < 3; ++axis)
    for (int sign : {1, -1}) mesh.add_vertex(sign * half * Vec3::Unit(axis));
  for (Index x : {0u, 1u})
    for (Index y : {2u, 3u})
      for (Index z : {4u, 5u}) {
        if ((x + y + z) % 2 == 0) mesh.add_face({x, y, z});
        else mesh.add_face({x, z, y});
      }
  return mesh;
}
/// An L-shaped bar: at each end of its concave edge two convex ones meet it.
Mesh l_bar() {
  Mesh mesh;
  for (double z : {0.0, 10.0})
    for (const auto& [x, y] : {std::pair{0.0, 0.0}, {30.0, 0.0}, {30.0, 10.0}, {10.0, 10.0}, {10.0, 30.0}, {0.0, 30.0}}) mesh.add_vertex({x, y, z});
  mesh.add_face({5, 4, 3, 2, 1, 0});
  mesh.add_face({6, 7, 8, 9, 10, 11});
  for (Index k = 0; k < 6; ++k) mesh.add_face({k, (k + 1) % 6, (k + 1) % 6 + 6, k + 6});
  return mesh;
}

/// The largest angle between a strip, which is long, and a corner face beside it, in degrees; of corners that lie so high.
double worst_tangent(const FinishedAll& finished, double long_edge, double height = -1e9) {
  const Mesh& mesh = finished.result.mesh;
  const EdgeTable edges = build_edges(mesh);
  const auto is_long = [&](Index f) {
    const auto ring = mesh.face(f);
    for (std::size_t k = 0; k < ring.size(); ++k)
      if ((mesh.positions[ring[k]] - mesh.positions[ring[(k + 1) % ring.size()]]).norm() > long_edge) return true;
    return false;
  };
  double worst = 0;
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    const Index f = edges.corner_face[uses[0]], g = edges.corner_face[uses[1]];
    if (finished.result.sources.face[f] != no_index || finished.result.sources.face[g] != no_index || is_long(f) == is_long(g)) continue;
    if (mesh.positions[edges.vertices[e][0]].z() < height) continue;
    const Vec3 n = newell_normal(mesh.positions, mesh.face(f)).normalized(), m = newell_normal(mesh.positions, mesh.face(g)).normalized();
    worst = std::max(worst, std::atan2(n.cross(m).norm(), n.dot(m)) * 180 / M_PI);
  }
  return worst;
}

}  // namespace

TEST_CASE("a rounded octahedron is the octahedron within, and a ball rolled over it") {
  // Steiner: V + S r + r² Σ l θ / 2 + 4/3 π r³ of the octahedron of half-diagonal h − √3 r, with θ the angle between the normals at its edges (Bronshtein, Handbook of Mathematics; from memory).
  const double h = 20, r = 3, k = h - std::sqrt(3) * r, edge = k * std::sqrt(2), theta = std::acos(1.0 / 3);
  const double exact = 4.0 / 3 * k * k * k + 2 * std::sqrt(3) * edge * edge * r + 12 * edge * theta / 2 * r * r + 4.0 / 3 * M_PI * r * r * r;
  double before = 0;
  for (Index n : {8u, 16u, 32u}) {
    const FinishedAll finished = finish_all(octahedron(h), with_round(r, n));
    const double off = exact - finished.volume;
    CHECK(off > 0);
    if (before > 0) CHECK(before / off == Approx(4).epsilon(0.1));
    before = off;
    CHECK(finished.new_faces <= 4 * finished.edges * n);
    CHECK(finished.edges == 12);
  }
  CHECK(worst_tangent(finish_all(octahedron(h), with_round(r, 16)), 5) < 2);
}

TEST_CASE("rounds of five and six unlike edges meet in a patch that is tangent to all of them") {
  const Mesh five = slanted_pyramid({{20, 0, 0}, {5, 18, 0}, {-15, 12, 0}, {-17, -10, 0}, {6, -16, 0}}, {1, 2, 17});
  const Mesh six = slanted_pyramid({{20, 0, 0}, {9, 18, 0}, {-10, 16, 0}, {-20, 1, 0}, {-9, -18, 0}, {12, -15, 0}}, {2, -1, 22});
  for (const Mesh* mesh : {&five, &six}) {
    const FinishedAll fine = finish_all(*mesh, with_round(1, 128));
    double before = 0;
    for (Index n : {8u, 16u, 32u}) {
      const FinishedAll finished = finish_all(*mesh, with_round(1, n));
      CHECK(finished.new_faces <= 4 * finished.edges * n);
      const double off = std::abs(fine.volume - finished.volume);
      if (before > 0) CHECK(before / off == Approx(4).epsilon(0.25));
      before = off;
    }
    CHECK(worst_tangent(finish_all(*mesh, with_round(1, 16)), 5, 10) < 2);
  }
}

TEST_CASE("where a concave round ends between two convex ones, they run on over it, in few faces") {
  const FinishedAll fine = finish_all(l_bar(), with_round(2, 128));
  double before = 0;
  for (Index n : {4u, 8u, 16u, 32u}) {
    const FinishedAll finished = finish_all(l_bar(), with_round(2, n));
    CHECK(finished.edges == 18);
    CHECK(finished.new_faces <= 4 * finished.edges * n);
    const double off = fine.volume - finished.volume;
    if (before > 0) CHECK(before / off == Approx(4).epsilon(0.15));
    before = off;
  }
}

TEST_CASE("a ball with thousands of edges stays light: chamfered below 12 000 triangles, rounded in 4 faces per edge and segment") {
  const Mesh ball = stock("sphere", {30, 48, 24});
  const FinishedAll chamfered = finish_all(ball, {false, 0.1});
  CHECK(chamfered.edges == 2256);
  CHECK(in_triangles(chamfered.result.mesh).face_count() < 12000);
  const FinishedAll rounded = finish_all(ball, with_round(0.1, 4));
  CHECK(rounded.new_faces <= 4 * rounded.edges * 4);
}

TEST_CASE("a biharmonic surface is found again from its border and its slopes there") {
  // x r², r² and x y solve the biharmonic equation, as differentiating shows; in polar coordinates they are r³ cos t, r² and r² sin 2t / 2.
  constexpr std::size_t n = 64;
  std::vector<Vec3> border, slopes;
  for (std::size_t k = 0; k < n; ++k) {
    const double t = 2 * M_PI * static_cast<double>(k) / n;
    border.emplace_back(std::cos(t), 1, std::sin(2 * t) / 2);
    slopes.emplace_back(3 * std::cos(t), 2, std::sin(2 * t));
  }
  BiharmonicDisc disc(border);
  disc.set_slopes(slopes);
  for (double r : {0.0, 0.3, 0.8, 1.0})
    for (double turn : {0.0, 0.13, 0.71}) {
      const double t = 2 * M_PI * turn;
      CHECK((disc.at(r, turn) - Vec3(r * r * r * std::cos(t), r * r, r * r * std::sin(2 * t) / 2)).norm() < 1e-12);
    }
}
