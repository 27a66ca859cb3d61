// SPDX-License-Identifier: GPL-3.0-or-later
// Flat polygons, met and cut as wholes: concave ones, ones with holes, flush and crossing, against the same solids in triangles.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <random>

#include "core/boolean/combine.h"
#include "core/boolean/facets.h"
#include "tests/support/meshes.h"
#include "tests/support/random_solids.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::boolean;
using namespace anvil::test;

namespace {

using Outline = std::vector<std::array<int, 2>>;

/// Walls of quads over an outline that runs to the left, and a floor and a roof of one polygon each. A corner may come twice in the
/// outline: so a slit leads to a hole. All coordinates are whole numbers.
/// @param lean  how far the roof is moved along x
Mesh walls(const Outline& outline, int height, int lean) {
  Mesh mesh;
  std::vector<std::array<int, 2>> corners = outline;
  std::sort(corners.begin(), corners.end());
  corners.erase(std::unique(corners.begin(), corners.end()), corners.end());
  const auto count = static_cast<Index>(corners.size());
  for (const int z : {0, height})
    for (const auto& [x, y] : corners) mesh.add_vertex(Vec3(x + (z > 0 ? lean : 0), y, z));
  auto at = [&](std::size_t k) {
    const auto& corner = outline[k % outline.size()];
    return static_cast<Index>(std::lower_bound(corners.begin(), corners.end(), corner) - corners.begin());
  };
  std::vector<Index> floor, roof;
  for (std::size_t k = 0; k < outline.size(); ++k) {
    roof.push_back(at(k) + count);
    floor.push_back(at(outline.size() - 1 - k));
    const Index a = at(k), b = at(k + 1);
    bool is_slit = false;
    for (std::size_t j = 0; j < outline.size(); ++j) is_slit = is_slit || (at(j) == b && at(j + 1) == a);
    if (!is_slit) mesh.add_face({a, b, b + count, a + count});
  }
  mesh.add_face(floor);
  mesh.add_face(roof);
  return mesh;
}

Outline random_outline(std::mt19937& random) {
  auto below = [&](unsigned n) { return static_cast<int>(random() % n); };
  Outline outline;
  switch (random() % 3) {
    case 0: {  // a skyline
      const int n = 3 + below(4);
      outline = {{0, 0}, {2 * n, 0}};
      int last = 0;
      for (int k = n; k-- > 0;) {
        int h = 0;
        do h = 2 + 2 * below(5);
        while (h == last);
        outline.push_back({2 * k + 2, h});
        outline.push_back({2 * k, h});
        last = h;
      }
      break;
    }
    case 1: {  // a star about (6, 6): points in the order of their angles, no two in one direction
      while (outline.size() < 10) {
        const std::array<int, 2> p{below(13), below(13)};
        const bool taken = std::any_of(outline.begin(), outline.end(), [&](const auto& q) {
          return (p[0] - 6) * (q[1] - 6) == (p[1] - 6) * (q[0] - 6) && (p[0] - 6) * (q[0] - 6) + (p[1] - 6) * (q[1] - 6) >= 0;
        });
        if (!taken && !(p[0] == 6 && p[1] == 6)) outline.push_back(p);
      }
      auto angle = [](const auto& p) { return std::atan2(p[1] - 6, p[0] - 6); };
      std::sort(outline.begin(), outline.end(), [&](const auto& p, const auto& q) { return angle(p) < angle(q); });
      for (std::size_t k = 0; k < outline.size(); ++k) {  // the middle has to lie inside
        const auto &p = outline[k], &q = outline[(k + 1) % outline.size()];
        if ((p[0] - 6) * (q[1] - 6) - (p[1] - 6) * (q[0] - 6) <= 0) return random_outline(random);
      }
      break;
    }
    default: {  // a frame, with a slit from its outer to its inner border
      const int a = 2 + below(2), b = 8 + below(3);
      outline = {{0, 0}, {12, 0}, {12, 12}, {0, 12}, {0, 0}, {a, a}, {a, b}, {b, b}, {b, a}, {a, a}};
    }
  }
  return outline;
}

/// A prism over a random outline, on whole numbers, standing along any axis.
Mesh random_prism(std::mt19937& random) {
  Mesh mesh = walls(random_outline(random), 2 + 2 * static_cast<int>(random() % 4), random() % 3 == 0 ? 2 : 0);
  const int turns = static_cast<int>(random() % 3);
  const Vec3 by(static_cast<double>(random() % 9), static_cast<double>(random() % 9), static_cast<double>(random() % 9));
  for (Vec3& p : mesh.positions) {
    for (int k = 0; k < turns; ++k) p = Vec3(p.z(), p.x(), p.y());
    p += by;
  }
  return mesh;
}

}  // namespace

TEST_CASE("flat polygons are one facet each, whatever cuts them into triangles") {
  auto facets_of = [](const Mesh& mesh, bool crosses) {
    Operand operand{shared(mesh), "part", Operation::unite, Affine::Identity(), !crosses, {}};
    const auto part = prepare(operand, false, {});
    REQUIRE(part);
    const Untouched untouched = find_untouched({*part}, 0, true, {});
    const Soup soup = gather(untouched, {0}).soup;
    std::vector<Index> facets;
    for (Index t = 0; t < soup.triangles.size(); ++t) facets.push_back(soup.facet_of(t));
    std::sort(facets.begin(), facets.end());
    facets.erase(std::unique(facets.begin(), facets.end()), facets.end());
    return facets.size();
  };
  CHECK(facets_of(cube(), false) == 6);
  CHECK(facets_of(stock("cylinder", {4, 4, 48}), false) == 50);
  CHECK(facets_of(in_triangles(cube()), false) == 12);
  const Mesh frame = walls({{0, 0}, {12, 0}, {12, 12}, {0, 12}, {0, 0}, {3, 3}, {3, 9}, {9, 9}, {9, 3}, {3, 3}}, 4, 0);
  CHECK(facets_of(frame, false) == 10);
  // Bent: a quad with a corner off by a hair is two triangles. In the planes of its neighbours the corner has only moved.
  Mesh bent = cube();
  bent.positions[0].x() = std::nextafter(bent.positions[0].x(), -10);
  CHECK(facets_of(bent, false) == 7);
  // Two boxes in one part that cross each other.
  Mesh crossing = cube();
  append(crossing, placed(cube(), {0.5, 0.5, 0.5}));
  CHECK(facets_of(crossing, true) == 24);
}

TEST_CASE("a cut through flat polygons has no corners where lines only cut them into triangles") {
  // Through two faces of a box: its 8 corners and 6 on each of them.
  for (const double contact : {-1.0, 0.0}) {
    const auto result = combine({{shared(cube(4)), "box"}, {shared(placed(stock("prism", {2, 6, 6}), {0.1, 0.2, 0})), "tool"}}, {}, {contact});
    REQUIRE(result);
    CHECK(result->mesh.positions.size() == 20);
    CHECK(judge(in_triangles(result->mesh)).sound());
  }
}

TEST_CASE("prisms over concave outlines and frames combine as the same solids in triangles do") {
  for (unsigned seed = 1; seed <= 60; ++seed) {
    CAPTURE(seed);
    std::mt19937 random(seed);
    const Mesh a = random_prism(random), b = random_prism(random), c = random_prism(random);
    CHECK(what_is_wrong(a, b) == "");
    for (const double contact : {-1.0, 0.0})
      for (const Operation operation : {Operation::unite, Operation::difference, Operation::intersection}) {
        CAPTURE(contact, key_of(operation));
        auto together = [&](auto&& form) {
          return combine({{shared(form(a)), "a"}, {shared(form(b)), "b", operation}, {shared(form(c)), "c", operation}}, {}, {contact});
        };
        const auto polygons = together([](const Mesh& mesh) { return mesh; }), triangles = together([](const Mesh& mesh) { return in_triangles(mesh); });
        REQUIRE(polygons);
        REQUIRE(triangles);
        REQUIRE(polygons->mesh.empty() == triangles->mesh.empty());
        if (polygons->mesh.empty()) continue;
        const Judgement one = judge(in_triangles(polygons->mesh)), other = judge(in_triangles(triangles->mesh));
        CHECK(one.sound());
        CHECK(one.volume == Catch::Detail::Approx(other.volume).epsilon(1e-9));
        CHECK(one.shells == other.shells);
        for (const auto& done : polygons->report.done) {
          CHECK(std::string(done.note->key) != "contact_left_out");
          CHECK(std::string(done.note->key) != "put_on_grid");
        }
      }
  }
}
