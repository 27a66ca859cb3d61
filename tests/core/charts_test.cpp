// SPDX-License-Identifier: GPL-3.0-or-later
// Charts: what they leave out of a search for crossings must be no crossing. Judged by trying all pairs.
#include <catch2/catch.hpp>
#include <tbb/parallel_for.h>

#include <atomic>
#include <map>
#include <mutex>
#include <numbers>
#include <random>
#include <set>

#include "core/exact/predicates.h"
#include "core/mesh/bvh.h"
#include "core/mesh/charts.h"
#include "core/mesh/edges.h"
#include "core/mesh/triangles_cross.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

using Pairs = std::set<std::pair<Index, Index>>;

struct Sheet {
  std::vector<Vec3> points;
  std::vector<Triangle> triangles;

  std::vector<Index> opposite() const { return find_opposites(triangles, {}, points.size()); }
  bool degenerate(Index t) const {
    const Triangle& v = triangles[t];
    return collinear(points[v[0]], points[v[1]], points[v[2]]);
  }
  /// Of all pairs.
  Pairs crossings() const {
    Pairs pairs;
    for (Index i = 0; i < triangles.size(); ++i)
      for (Index j = i + 1; j < triangles.size(); ++j)
        if (!degenerate(i) && !degenerate(j) && triangles_cross(points, triangles[i], triangles[j])) pairs.emplace(i, j);
    return pairs;
  }
  /// Of those that are not ruled out.
  Pairs crossings_found() const {
    Pairs pairs;
    std::mutex mutex;
    for_each_possible_crossing(
        points, triangles, opposite(),
        [&](Index i, Index j) {
          if (degenerate(i) || degenerate(j) || !triangles_cross(points, triangles[i], triangles[j])) return;
          const std::lock_guard lock(mutex);
          pairs.insert(std::minmax(i, j));
        },
        {});
    return pairs;
  }
  std::vector<Index> charts() const { return find_charts(points, triangles, opposite(), morton_order(points, triangles), {}).chart; }
};

Sheet sheet_of(const Mesh& mesh) { return {mesh.positions, triangulate(mesh).triangles}; }

/// A grid of (across + 1) x (along + 1) points, cut into triangles.
template <class At>
Sheet grid(Index across, Index along, At&& at) {
  Sheet sheet;
  for (Index i = 0; i <= across; ++i)
    for (Index j = 0; j <= along; ++j) sheet.points.push_back(at(i, j));
  for (Index i = 0; i < across; ++i)
    for (Index j = 0; j < along; ++j) {
      const Index a = i * (along + 1) + j, b = a + along + 1;
      sheet.triangles.push_back({a, b, b + 1});
      sheet.triangles.push_back({a, b + 1, a + 1});
    }
  return sheet;
}

/// A fan of triangles around a point that turns by so many degrees; its rim rises from `low` to `high`.
Sheet fan(double degrees, int triangles, bool closed, double radius_from, double radius_to, double high) {
  Sheet sheet;
  sheet.points.push_back({0, 0, 0});
  const int points = closed ? triangles : triangles + 1;
  for (int k = 0; k < points; ++k) {
    const double share = static_cast<double>(k) / triangles, angle = share * degrees * std::numbers::pi / 180;
    const double radius = radius_from + share * (radius_to - radius_from);
    sheet.points.push_back({radius * std::cos(angle), radius * std::sin(angle), share * high});
  }
  for (int k = 0; k < triangles; ++k)
    sheet.triangles.push_back({0, static_cast<Index>(1 + k), static_cast<Index>(1 + (k + 1) % points)});
  return sheet;
}

void check_nothing_is_lost(const Sheet& sheet) { CHECK(sheet.crossings_found() == sheet.crossings()); }

/// Another random sheet for each seed: bumpy grids that fold over, spirals, noisy solids, soups, and some of them at once.
Sheet random_sheet(unsigned seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> unit(0, 1);
  auto between = [&](double a, double b) { return a + (b - a) * unit(random); };
  Sheet sheet;
  auto add = [&](Sheet more) {
    const auto first = static_cast<Index>(sheet.points.size());
    sheet.points.insert(sheet.points.end(), more.points.begin(), more.points.end());
    for (Triangle t : more.triangles) sheet.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
  };
  for (int parts = seed % 3 == 0 ? 3 : 1; parts > 0; --parts) switch (random() % 6) {
      case 0: {  // a bumpy sheet, moved sideways so that it folds
        const double bump = between(0, 2), fold = between(0, 1.5);
        add(grid(18, 18, [&](Index i, Index j) {
          return Vec3(i + fold * between(-1, 1), j + fold * between(-1, 1), bump * between(-1, 1));
        }));
        break;
      }
      case 1: {  // a ramp that winds around more than once
        const double turns = between(0.5, 3), rise = between(0, 0.5) * static_cast<double>(random() % 2), widens = between(-0.2, 1.5);
        add(grid(60, 3, [&](Index i, Index j) {
          const double angle = 2 * std::numbers::pi * turns * i / 60, radius = 2 + widens * angle / 6 + 0.3 * j;
          return Vec3(radius * std::cos(angle), radius * std::sin(angle), rise * angle);
        }));
        break;
      }
      case 2: {  // a solid with noise
        Mesh mesh = random() % 2 ? stock("icosphere", {2, 3}) : stock("torus", {4, 1.5, 24, 12});
        const double noise = between(0, 0.3), flat = between(0, 1);
        for (Vec3& p : mesh.positions) {
          p += noise * Vec3(between(-1, 1), between(-1, 1), between(-1, 1));
          p.z() *= flat;
        }
        add(sheet_of(mesh));
        break;
      }
      case 3: {  // a soup on few positions, doubled and degenerate triangles among it
        Sheet soup;
        for (int x = 0; x < 4; ++x)
          for (int y = 0; y < 4; ++y)
            for (int z = 0; z < 2; ++z) soup.points.push_back(Vec3(x, y, z));
        for (int k = 0; k < 60; ++k) {
          Triangle t{};
          for (Index& v : t) v = static_cast<Index>(random() % soup.points.size());
          if (t[0] != t[1] && t[1] != t[2] && t[2] != t[0]) soup.triangles.push_back(t);
        }
        add(soup);
        break;
      }
      case 4:  // a fan that turns more than once around, about its middle
        add(fan(between(200, 900), 24, random() % 2 == 0, between(1, 3), between(1, 3), between(0, 1) * static_cast<double>(random() % 2)));
        break;
      default: {  // a flat sheet with holes, some of them torn so that pieces touch at a vertex
        Sheet flat = grid(16, 16, [&](Index i, Index j) { return Vec3(i, j, 0); });
        std::erase_if(flat.triangles, [&](const Triangle&) { return unit(random) < 0.3; });
        for (Vec3& p : flat.points)
          if (unit(random) < 0.02) p += Vec3(between(-2, 2), between(-2, 2), 0);
        add(flat);
      }
    }
  // Seen from another side, and with exact coordinates some of the time.
  if (random() % 2) {
    const Affine turn = Placement{Vec3::Zero(), {between(0, 360), between(0, 360), between(0, 360)}, Vec3::Ones()}.matrix();
    for (Vec3& p : sheet.points) p = turn * p;
  } else if (random() % 2) {
    for (Vec3& p : sheet.points)
      for (double& x : p) x = std::round(4 * x) / 4;
  }
  return sheet;
}

/// Boxes of unit squares on a lattice and triangles between its points, all on common vertices: flat charts that others
/// touch in corners and edges, stand on, lie in and go through.
Sheet random_blocks(unsigned seed) {
  std::mt19937 random(seed);
  auto below = [&](unsigned n) { return static_cast<int>(random() % n); };
  Sheet sheet;
  std::map<std::array<int, 3>, Index> known;
  auto vertex = [&](const std::array<int, 3>& at) {
    const auto [it, is_new] = known.try_emplace(at, static_cast<Index>(sheet.points.size()));
    if (is_new) sheet.points.push_back({at[0] / 1.0, at[1] / 1.0, at[2] / 1.0});
    return it->second;
  };
  for (int boxes = 1 + below(3); boxes > 0; --boxes) {
    std::array<int, 3> low{below(3), below(3), below(3)}, size{1 + below(3), 1 + below(3), 1 + below(3)};
    for (std::size_t axis = 0; axis < 3; ++axis)
      for (const int side : {0, 1}) {
        const std::size_t u = (axis + 1) % 3, v = (axis + 2) % 3;
        for (int a = 0; a < size[u]; ++a)
          for (int b = 0; b < size[v]; ++b) {
            auto at = [&](int da, int db) {
              std::array<int, 3> p = low;
              p[axis] += side * size[axis];
              p[u] += a + da;
              p[v] += b + db;
              return vertex(p);
            };
            const Index p = at(0, 0), q = at(1, 0), r = at(1, 1), t = at(0, 1);
            sheet.triangles.push_back(side == 1 ? Triangle{p, q, r} : Triangle{p, r, q});
            sheet.triangles.push_back(side == 1 ? Triangle{p, r, t} : Triangle{p, t, r});
          }
      }
  }
  for (int fins = below(6); fins > 0; --fins) {
    std::array<Index, 3> t{};
    for (Index& v : t) v = vertex({below(6), below(6), below(6)});
    if (t[0] != t[1] && t[1] != t[2] && t[2] != t[0]) sheet.triangles.push_back(t);
  }
  return sheet;
}

}  // namespace

TEST_CASE("what touches a flat chart in corners and edges is told from what crosses it") {
  std::size_t crossing = 0;
  std::atomic<std::size_t> asked = 0, pairs = 0;
  for (unsigned seed = 1; seed <= 400; ++seed) {
    CAPTURE(seed);
    const Sheet blocks = random_blocks(seed);
    check_nothing_is_lost(blocks);
    crossing += !blocks.crossings().empty();
  }
  CHECK(crossing > 100);
  CHECK(crossing < 390);
  // Walls of many facets between two caps: no pair of them need be looked at.
  const Sheet tube = sheet_of(stock("cylinder", {20, 30, 64}));
  for_each_possible_crossing(tube.points, tube.triangles, tube.opposite(), [&](Index, Index) { ++asked; }, {});
  Bvh(tube.points, tube.triangles).for_each_pair([&](Index, Index) { ++pairs; }, {});
  CHECK(pairs > 1000);
  CHECK(asked < 200);
}

TEST_CASE("charts lose no crossing of random sheets, spirals, fans, noisy solids and soups") {
  std::atomic<std::size_t> with_crossings = 0, with_charts = 0;
  std::vector<char> same(400);
  tbb::parallel_for(std::size_t{0}, same.size(), [&](std::size_t seed) {
    const Sheet sheet = random_sheet(static_cast<unsigned>(seed));
    const Pairs all = sheet.crossings();
    same[seed] = sheet.crossings_found() == all;
    const auto charts = sheet.charts();
    with_crossings += !all.empty();
    with_charts += std::any_of(charts.begin(), charts.end(), [](Index c) { return c != no_index; });
  });
  for (std::size_t seed = 0; seed < same.size(); ++seed) {
    INFO("seed " << seed);
    REQUIRE(same[seed]);
  }
  CHECK(with_crossings > 200);
  CHECK(with_charts > 300);
}

TEST_CASE("a sheet that cannot cross itself is one chart, whatever its holes") {
  Sheet sheet = grid(40, 40, [](Index i, Index j) { return Vec3(i, j, std::sin(0.3 * i) * std::cos(0.2 * j)); });
  for (const Index gone : {1500, 1200, 900, 640, 300}) sheet.triangles.erase(sheet.triangles.begin() + gone, sheet.triangles.begin() + gone + 8);
  const auto charts = sheet.charts();
  CHECK(std::count(charts.begin(), charts.end(), charts[0]) == static_cast<std::ptrdiff_t>(charts.size()));
  CHECK(charts[0] != no_index);
  std::size_t asked = 0;
  for_each_possible_crossing(sheet.points, sheet.triangles, sheet.opposite(), [&](Index, Index) { ++asked; }, {});
  CHECK(asked == 0);
}

TEST_CASE("a sphere of 20 000 triangles leaves few pairs to look at, and no crossing") {
  const Sheet sphere = sheet_of(stock("sphere", {10, 200, 50}));
  std::atomic<std::size_t> asked = 0, plain = 0;
  for_each_possible_crossing(sphere.points, sphere.triangles, sphere.opposite(), [&](Index i, Index j) {
    ++asked;
    if (triangles_cross(sphere.points, sphere.triangles[i], sphere.triangles[j])) FAIL("a sphere does not cross itself");
  }, {});
  Bvh(sphere.points, sphere.triangles).for_each_pair([&](Index, Index) { ++plain; }, {});
  CHECK(5 * asked < plain);
}

TEST_CASE("what covers a direction twice is no chart, even where its rim does not meet itself") {
  SECTION("a closed fan that goes around twice") {
    // Flat, each of its triangles lies on another; the rim runs twice along one circle, on vertices of its own.
    check_nothing_is_lost(fan(720, 24, true, 1, 1, 0));
    CHECK(fan(720, 24, true, 1, 1, 0).crossings().size() >= 12);
  }
  SECTION("a ramp around a corner by more than a full turn") {
    check_nothing_is_lost(fan(450, 15, false, 1, 3, 0));
    check_nothing_is_lost(fan(450, 15, false, 3, 1, 0));
  }
  SECTION("two discs, one over the other and flat: two pieces, whose rims do not meet") {
    Sheet both = fan(360, 12, true, 3, 3, 0);
    const Sheet small = fan(360, 12, true, 1, 1, 0);
    const auto first = static_cast<Index>(both.points.size());
    for (const Vec3& p : small.points) both.points.push_back(p + Vec3(0.1, 0.2, 0));
    for (const Triangle& t : small.triangles) both.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
    check_nothing_is_lost(both);
    CHECK(both.crossings().size() >= 12);
  }
  SECTION("two sheets that change places along a slit: around its ends it goes twice, and both rims are simple") {
    Sheet sheet;
    std::map<std::array<int, 3>, Index> vertices;
    auto vertex = [&](int i, int j, int copy) {
      const auto [at, is_new] = vertices.try_emplace({i, j, copy}, static_cast<Index>(sheet.points.size()));
      if (is_new) sheet.points.push_back(Vec3(i, j, 0));
      return at->second;
    };
    auto add_cell = [&](int i, int j, int layer) {
      auto corner = [&](int x, int y) {
        if (y == 6 && (x == 5 || x == 7)) return vertex(x, y, 0);           // the ends of the slit are of both
        if (y == 6 && x == 6) return vertex(x, y, j >= 6 ? layer : 1 - layer);  // on it they change places
        return vertex(x, y, layer);
      };
      const std::array<Index, 4> c{corner(i, j), corner(i + 1, j), corner(i + 1, j + 1), corner(i, j + 1)};
      sheet.triangles.push_back({c[0], c[1], c[2]});
      sheet.triangles.push_back({c[0], c[2], c[3]});
    };
    for (int i = 0; i < 12; ++i)
      for (int j = 0; j < 12; ++j) {
        add_cell(i, j, 0);
        if (i >= 3 && i < 9 && j >= 3 && j < 9) add_cell(i, j, 1);
      }
    check_nothing_is_lost(sheet);
    CHECK(sheet.crossings().size() > 72);
  }
}
