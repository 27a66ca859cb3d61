// SPDX-License-Identifier: GPL-3.0-or-later
// The stages of the engine and what they stand on, one by one, against the plainest way to do the same.
#include <map>
#include <mutex>
#include <random>
#include <set>

#include "core/boolean/planar.h"
#include "core/boolean/polygons.h"
#include "core/boolean/assemble.h"
#include "core/mesh/edges.h"
#include "core/boolean/contradiction.h"
#include "core/boolean/invalid_triangles.h"
#include "core/mesh/bvh.h"
#include "core/mesh/box_cover.h"
#include "core/mesh/near_marked.h"
#include "core/exact/predicates.h"
#include "core/soundness/check.h"
#include "core/mesh/triangles_cross.h"
#include "tests/support/gathered_parts.h"
#include "tests/support/meshes.h"
#include "tests/support/random_solids.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::boolean;
using namespace anvil::test;

namespace {

Box3 grown(Box3 box, double margin) {
  box.lo.array() -= margin;
  box.hi.array() += margin;
  return box;
}

/// Each below its bound.
Vec3 whole_numbers(std::mt19937& random, const std::array<unsigned, 3>& below) {
  Vec3 p;
  for (Eigen::Index k = 0; k < 3; ++k) p[k] = static_cast<double>(random() % below[static_cast<std::size_t>(k)]);
  return p;
}

/// Small triangles at random places of a cube of side 10, clustered at its corners.
std::pair<std::vector<Vec3>, std::vector<Triangle>> scattered(int count, unsigned seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> any(0, 1);
  std::vector<Vec3> points;
  std::vector<Triangle> triangles;
  for (int t = 0; t < count; ++t) {
    const Vec3 at = 10 * whole_numbers(random, {2, 2, 2}) + 3 * Vec3(any(random), any(random), any(random));
    for (int k = 0; k < 3; ++k) points.push_back(at + 0.3 * Vec3(any(random), any(random), any(random)));
    const auto n = static_cast<Index>(points.size());
    triangles.push_back({n - 3, n - 2, n - 1});
  }
  return {points, triangles};
}

double area(const Vec3& a, const Vec3& b, const Vec3& c) {
  return (b - a).cross(c - a).norm() / 2;
}

}  // namespace

TEST_CASE("the sieve keeps all that comes near another group, and drops most of what does not") {
  for (const double margin : {0.0, 0.05}) {
    const auto [points, triangles] = scattered(1500, 3);
    std::vector<Box3> boxes;
    std::vector<Index> groups;
    std::mt19937 random(5);
    for (const Triangle& t : triangles) {
      boxes.push_back(box_of(points, t));
      const Vec3 at = boxes.back().centre();
      // A group of its own at each corner, one corner mixed, and a few that meet all.
      const auto corner = static_cast<Index>((at.x() > 6) + 2 * (at.y() > 6) + 4 * (at.z() > 6));
      groups.push_back(random() % 200 == 0 ? no_index : corner == 7 ? 8 + random() % 2 : corner);
    }
    const std::vector<char> kept = broad_phase(boxes, groups, margin);
    std::size_t dropped = 0;
    for (std::size_t i = 0; i < boxes.size(); ++i) {
      bool near = groups[i] == no_index;
      for (std::size_t j = 0; j < boxes.size() && !near; ++j)
        near = i != j && (groups[i] != groups[j] || groups[j] == no_index) && overlap(grown(boxes[i], margin), grown(boxes[j], margin));
      if (near) REQUIRE(kept[i] == 1);
      dropped += kept[i] == 0;
    }
    CHECK(dropped > boxes.size() / 2);
  }
}

TEST_CASE("a cover knows every box that overlaps one of its boxes, few or many, and most that do not") {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> any(0, 1);
  const auto point = [&] { return Vec3(any(random), any(random), any(random)); };
  for (const std::size_t count : {1, 8, 9, 400}) {
    CAPTURE(count);
    std::vector<Box3> boxes;
    for (std::size_t k = 0; k < count; ++k) {
      const Vec3 at = 10 * point().cwiseProduct(Vec3(1, 1, 0.05));
      boxes.push_back({at, at + (k % 50 == 0 ? 2 : 0.2) * point()});
    }
    boxes.push_back({});  // an empty one covers nothing
    const BoxCover cover(boxes);
    int apart = 0, dropped = 0;
    for (int k = 0; k < 3000; ++k) {
      const Vec3 at = 12 * point() - Vec3(1, 1, 1);
      const Box3 box{at, at + 0.3 * point()};
      const bool overlaps = std::any_of(boxes.begin(), boxes.end(), [&](const Box3& one) { return overlap(one, box); });
      if (overlaps) REQUIRE(cover.may_overlap(box));
      if (overlaps) continue;
      ++apart;
      dropped += !cover.may_overlap(box);
    }
    CHECK(dropped > 0.8 * apart);
  }
  CHECK(BoxCover({}).empty());
  // What three boxes have in common with each other, and with nothing far away.
  const std::vector<Box3> three{{{0, 0, 0}, {2, 2, 2}}, {{1, 1, 1}, {3, 3, 3}}, {{9, 9, 9}, {10, 10, 10}}};
  const auto common = common_boxes(three, 0.25);
  REQUIRE(common[0].size() == 1);
  CHECK(common[0][0].lo == Vec3(0.75, 0.75, 0.75));
  CHECK(common[0][0].hi == Vec3(2.25, 2.25, 2.25));
  CHECK(common[1].size() == 1);
  CHECK(common[2].empty());
}

TEST_CASE("of pairs with a far larger triangle only those are left out that its plane tells apart") {
  Mesh slab = stock("box", {100, 100, 0.2});
  place(slab, Affine(Eigen::AngleAxisd(0.7, Vec3(1, 2, 0.5).normalized())));
  for (const double margin : {0.0, 0.5}) {
    GatheredParts given({stock("sphere", {20, 48, 32}), slab});
    const Soup& soup = given.soup;
    const auto pairs = find_pairs(soup, {margin, nullptr}, {});
    std::size_t left_out = 0;
    for (Index s = 0; s < soup.parts[0].end; ++s)
      for (Index t = soup.parts[1].first; t < soup.parts[1].end; ++t) {
        if (!overlap(grown(box_of(soup.points, soup.triangles[s]), margin), grown(box_of(soup.points, soup.triangles[t]), margin))) continue;
        if (std::binary_search(pairs.begin(), pairs.end(), TrianglePair{s, t})) continue;
        ++left_out;
        const auto& [a, b, c] = soup.triangles[t];
        const Vec3 normal = (soup.points[b] - soup.points[a]).cross(soup.points[c] - soup.points[a]).normalized();
        std::array<double, 3> heights{};
        for (std::size_t k = 0; k < 3; ++k) heights[k] = normal.dot(soup.points[soup.triangles[s][k]] - soup.points[a]);
        const auto [low, high] = std::minmax_element(heights.begin(), heights.end());
        REQUIRE((*low > 2 * margin || *high < -2 * margin));
      }
    CHECK(left_out > pairs.size());
  }
}

TEST_CASE("the hierarchy tells every pair of overlapping boxes once, but for pairs of one group") {
  for (const int count : {1, 3, 4, 5, 63, 700}) {
    const auto [points, triangles] = scattered(count, 17);
    std::vector<Index> groups;
    for (int t = 0; t < count; ++t) groups.push_back(t % 3 == 2 ? no_index : static_cast<Index>(t % 3));
    for (const bool grouped : {false, true}) {
      CAPTURE(count, grouped);
      std::multiset<std::pair<Index, Index>> told;
      std::mutex mutex;
      const Bvh tree(points, triangles, 0, grouped ? std::span<const Index>(groups) : std::span<const Index>());
      tree.for_each_pair(
          [&](Index i, Index j) {
            const std::lock_guard lock(mutex);
            told.insert(std::minmax(i, j));
          },
          {});
      for (auto it = told.begin(); it != told.end(); ++it) REQUIRE(told.count(*it) == 1);
      for (Index i = 0; i < triangles.size(); ++i)
        for (Index j = i + 1; j < triangles.size(); ++j) {
          const bool one_group = grouped && groups[i] == groups[j] && groups[i] != no_index;
          if (one_group) REQUIRE(told.count({i, j}) == 0);
          if (!one_group && overlap(box_of(points, triangles[i]), box_of(points, triangles[j]))) REQUIRE(told.count({i, j}) == 1);
        }
    }
  }
}

TEST_CASE("mates are the two triangles of an edge that run it in opposite ways, and none where there are more or fewer") {
  std::mt19937 random(23);
  for (int round = 0; round < 40; ++round) {
    // Few points, so that many edges have one, three or more triangles, some the same way round.
    std::vector<Triangle> triangles;
    std::vector<Index> part;
    while (triangles.size() < 30) {
      const Triangle t{static_cast<Index>(random() % 9), static_cast<Index>(random() % 9), static_cast<Index>(random() % 9)};
      if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) continue;
      triangles.push_back(t);
      part.push_back(static_cast<Index>(random() % 3));
    }
    const std::vector<Index> opposite = find_opposites(triangles, part, 9);
    for (Index c = 0; c < opposite.size(); ++c) {
      auto from = [&](Index corner) { return triangles[corner / 3][corner % 3]; };
      auto to = [&](Index corner) { return triangles[corner / 3][(corner % 3 + 1) % 3]; };
      std::vector<Index> others;
      for (Index d = 0; d < opposite.size(); ++d)
        if (d != c && part[d / 3] == part[c / 3] && std::minmax({from(c), to(c)}) == std::minmax({from(d), to(d)})) others.push_back(d);
      const bool paired = others.size() == 1 && from(others[0]) == to(c);
      REQUIRE(opposite[c] == (paired ? others[0] : no_index));
    }
  }
}

TEST_CASE("points are special where a part is open, has more than two faces at an edge or more than one fan") {
  auto specials = [](const std::vector<Triangle>& triangles, std::size_t points) {
    std::vector<char> maybe_non_manifold(points, 0);
    mark_maybe_non_manifold(triangles, find_opposites(triangles, {}, points), maybe_non_manifold);
    std::set<Index> marked;
    for (Index v = 0; v < points; ++v)
      if (maybe_non_manifold[v]) marked.insert(v);
    return marked;
  };
  auto tetrahedron = [](Index a, Index b, Index c, Index d) {
    return std::vector<Triangle>{{a, c, b}, {a, b, d}, {b, c, d}, {c, a, d}};
  };
  auto with = [](std::vector<Triangle> one, const std::vector<Triangle>& other) {
    one.insert(one.end(), other.begin(), other.end());
    return one;
  };
  CHECK(specials(tetrahedron(0, 1, 2, 3), 4).empty());
  std::vector<Triangle> open = tetrahedron(0, 1, 2, 3);
  open.pop_back();
  CHECK(specials(open, 4) == std::set<Index>{0, 2, 3});
  CHECK(specials(with(tetrahedron(0, 1, 2, 3), tetrahedron(0, 4, 5, 6)), 7) == std::set<Index>{0});
  CHECK(specials(with(tetrahedron(0, 1, 2, 3), tetrahedron(0, 1, 4, 5)), 6) == std::set<Index>{0, 1});
  CHECK(specials(with(tetrahedron(0, 1, 2, 3), tetrahedron(4, 5, 6, 7)), 8).empty());
}

TEST_CASE("pairs are all triangles of different parts whose boxes meet, sorted; vertices at one place become one") {
  for (unsigned seed = 1; seed <= 25; ++seed) {
    CAPTURE(seed);
    const auto [a, b] = random_pair(seed);
    GatheredParts given({a, b});
    Soup& soup = given.soup;
    const auto pairs = find_pairs(soup, {}, {});
    CHECK(std::is_sorted(pairs.begin(), pairs.end()));
    CHECK(std::adjacent_find(pairs.begin(), pairs.end()) == pairs.end());
    for (Index s = 0; s < soup.triangles.size(); ++s)
      for (Index t = s + 1; t < soup.triangles.size(); ++t)
        if (soup.may_meet(s, t) && overlap(box_of(soup.points, soup.triangles[s]), box_of(soup.points, soup.triangles[t])))
          REQUIRE(std::binary_search(pairs.begin(), pairs.end(), TrianglePair{s, t}));
    if (pairs.size() > 1) CHECK_THROWS_AS(find_pairs(soup, {0, nullptr, pairs.size() - 1}, {}), Contradiction);
    CHECK(find_pairs(soup, {0, nullptr, pairs.size()}, {}).size() == pairs.size());
    weld_parts(soup, pairs);
    for (const TrianglePair& pair : pairs)
      for (Index v : soup.triangles[pair.s])
        for (Index w : soup.triangles[pair.t])
          if (soup.part[pair.s] != soup.part[pair.t] && soup.points[v] == soup.points[w]) REQUIRE(v == w);
  }
}

TEST_CASE("an arrangement covers each of its facets once, facing as it does, and no vertex lies within an edge") {
  for (unsigned seed = 1; seed <= 40; ++seed) {
    CAPTURE(seed);
    const auto [a, b] = random_pair(seed);
    GatheredParts given({a, b});
    Soup& soup = given.soup;
    Cuts cuts;
    const Arrangement arrangement = given.arranged(cuts);
    std::vector<double> covered(soup.triangles.size(), 0);
    auto at = [&](Index v) { return arrangement.points.approximate(v); };
    for (std::size_t f = 0; f < arrangement.faces.size(); ++f) {
      const auto& [i, j, k] = arrangement.faces[f];
      REQUIRE((i != j && j != k && k != i));
      for (const auto& source : arrangement.sources_of(f)) {
        REQUIRE(arrangement.touched[source.triangle]);
        covered[source.triangle] += area(at(i), at(j), at(k));
        const Triangle& whole = soup.triangles[source.triangle];
        const Projection plane = Projection::along((at(whole[1]) - at(whole[0])).cross(at(whole[2]) - at(whole[0])));
        const int own = arrangement.points.turn(plane, whole[0], whole[1], whole[2]);
        const int now = arrangement.points.turn(plane, i, j, k);
        REQUIRE(now != 0);
        REQUIRE((now == own) == source.same_way);
      }
    }
    std::vector<double> of_facet(soup.triangles.size(), 0);
    for (Index t = 0; t < soup.triangles.size(); ++t) {
      const auto& [i, j, k] = soup.triangles[t];
      REQUIRE(arrangement.touched[t] == arrangement.touched[soup.facet_of(t)]);
      if (arrangement.touched[t]) of_facet[soup.facet_of(t)] += area(at(i), at(j), at(k));
    }
    for (Index t = 0; t < soup.triangles.size(); ++t) REQUIRE(covered[t] == Approx(of_facet[t]).epsilon(1e-9));
    std::set<std::array<Index, 3>> sets;
    for (Triangle t : arrangement.faces) {
      std::sort(t.begin(), t.end());
      REQUIRE(sets.insert(t).second);  // each set of three vertices once
    }
    // No vertex lies in the inside of an edge of a face that has it not: every face that runs along a cut edge has the
    // same points on it.
    for (const Triangle& t : arrangement.faces)
      for (std::size_t e = 0; e < 3; ++e)
        for (const Triangle& o : arrangement.faces)
          for (Index v : o) {
            const Vec3 p = at(t[e]), q = at(t[(e + 1) % 3]), x = at(v);
            if (v == t[0] || v == t[1] || v == t[2] || p == q) continue;
            const double share = (x - p).dot(q - p) / (q - p).squaredNorm();
            if (share < 1e-6 || share > 1 - 1e-6) continue;
            if ((p + share * (q - p) - x).norm() > 1e-9 * (q - p).norm()) continue;
            bool on_line = true;  // so near that only the exact predicates tell
            for (const Projection plane : {Projection{0, 1}, Projection{1, 2}, Projection{2, 0}})
              on_line = on_line && arrangement.points.turn(plane, t[e], t[(e + 1) % 3], v) == 0;
            REQUIRE_FALSE(on_line);
          }
  }
}

TEST_CASE("a triangle with points and segments in it is cut into pieces that have them all") {
  std::mt19937 random(31);
  for (int round = 0; round < 50; ++round) {
    CAPTURE(round);
    std::vector<Vec3> given{{0, 0, 0}, {12, 0, 0}, {0, 12, 0}};
    std::set<std::pair<int, int>> taken;
    std::vector<Index> edge, inside;
    for (int k = 1; k < 12; k += 3) {
      edge.push_back(static_cast<Index>(given.size()));
      given.emplace_back(k, 0, 0);
    }
    while (inside.size() < 12) {
      const int x = 1 + static_cast<int>(random() % 9), y = 1 + static_cast<int>(random() % 9);
      if (x + y >= 12 || !taken.insert({x, y}).second) continue;
      inside.push_back(static_cast<Index>(given.size()));
      given.emplace_back(x, y, 0);
    }
    const PointSet points(given);
    Planar planar(points, {0, 1, 2}, {0, 1});
    planar.add_on_edge(0, 1, edge);
    for (Index p : inside) planar.add_inside(p);
    planar.flip_to_delaunay();
    // A fan of segments from the first point inside to those it sees past no other point.
    std::vector<std::pair<Index, Index>> segments;
    for (std::size_t k = 1; k < inside.size(); ++k) {
      const Vec3 p = given[inside[0]], q = given[inside[k]];
      const bool clear = std::none_of(inside.begin(), inside.end(), [&](Index r) {
        return r != inside[0] && r != inside[k] && (q - p).cross(given[r] - p).z() == 0 && (q - p).dot(given[r] - p) > 0;
      });
      if (clear) segments.emplace_back(inside[0], inside[k]);
    }
    for (const auto& [from, to] : segments) planar.constrain(from, to);
    const auto pieces = planar.pieces();
    CHECK(pieces.size() == 2 * inside.size() + edge.size() + 1);  // Euler
    double whole = 0;
    std::set<std::pair<Index, Index>> fixed;
    for (const auto& piece : pieces) {
      const auto& [i, j, k] = piece.corners;
      REQUIRE((given[j] - given[i]).cross(given[k] - given[i]).z() > 0);
      whole += area(given[i], given[j], given[k]);
      for (std::size_t e = 0; e < 3; ++e)
        if (piece.fixed[e]) fixed.insert(std::minmax(piece.corners[(e + 1) % 3], piece.corners[(e + 2) % 3]));
    }
    CHECK(whole == 72);
    for (const auto& [from, to] : segments) CHECK(fixed.count(std::minmax(from, to)) == 1);
  }
}

TEST_CASE("triangles of a flat polygon join to one ring, along kept edges to several, and around a hole to simple ones") {
  constexpr Index side = 6;
  std::vector<Vec3> points;
  for (Index y = 0; y <= side; ++y)
    for (Index x = 0; x <= side; ++x) points.emplace_back(x, y, 0);
  auto grid = [&](auto&& has, auto&& keeps) {
    std::vector<Triangle> triangles;
    std::vector<unsigned char> kept;
    for (Index y = 0; y < side; ++y)
      for (Index x = 0; x < side; ++x) {
        if (!has(x, y)) continue;
        const Index a = y * (side + 1) + x, b = a + 1, c = b + side + 1, d = c - 1;
        triangles.push_back({a, b, c});
        triangles.push_back({a, c, d});
        // The edge from b to c is that of the first from corner 1, the edge from d to a that of the second from corner 2.
        kept.push_back(keeps(x + 1) ? 2 : 0);
        kept.push_back(keeps(x) ? 4 : 0);
      }
    const std::vector<Index> origin(triangles.size(), 0);
    return std::pair(triangles, join_triangles(points, triangles, kept, origin));
  };
  auto ring_area = [&](const std::vector<Index>& ring) {
    double twice = 0;
    for (std::size_t k = 0; k < ring.size(); ++k) {
      const Vec3 &p = points[ring[k]], &q = points[ring[(k + 1) % ring.size()]];
      twice += p.x() * q.y() - q.x() * p.y();
    }
    return twice / 2;
  };
  auto all = [](Index, Index) { return true; };
  auto none = [](Index) { return false; };
  const auto [whole, one] = grid(all, none);
  REQUIRE(one.size() == 1);
  CHECK(one[0].ring.size() == 4 * side);
  CHECK(one[0].triangles.size() == whole.size());
  CHECK(ring_area(one[0].ring) == side * side);
  const auto [halved, two] = grid(all, [](Index x) { return x == 2; });
  REQUIRE(two.size() == 2);
  CHECK(std::set{ring_area(two[0].ring), ring_area(two[1].ring)} == std::set{2.0 * side, 4.0 * side});
  const auto [holed, around] = grid([](Index x, Index y) { return x < 2 || x > 3 || y < 2 || y > 3; }, none);
  double total = 0;
  std::size_t used = 0;
  for (const Joined& polygon : around) {
    const std::set<Index> corners(polygon.ring.begin(), polygon.ring.end());
    CHECK(corners.size() == polygon.ring.size());  // simple
    total += ring_area(polygon.ring);
    used += polygon.triangles.size();
  }
  CHECK(around.size() >= 2);
  CHECK(around.size() <= 4);
  CHECK(total == side * side - 4);
  CHECK(used == holed.size());
}

TEST_CASE("two triangles with a corner in common cross exactly when CGAL says so") {
  std::mt19937 random(41);
  std::size_t crossing = 0, compared = 0;
  while (compared < 3000) {
    // A coarse grid: most are coplanar, touch or meet along edges in some way.
    std::vector<Vec3> points;
    for (int k = 0; k < 5; ++k) points.push_back(whole_numbers(random, {4, 4, 3}));
    const Triangle s{0, 1, 2}, t{0, 3, 4};
    if (collinear(points[0], points[1], points[2]) || collinear(points[0], points[3], points[4])) continue;
    bool twice = false;
    for (std::size_t i = 0; i < 5; ++i)
      for (std::size_t j = i + 1; j < 5; ++j) twice = twice || points[i] == points[j];
    if (twice) continue;
    CAPTURE(points[0].transpose(), points[1].transpose(), points[2].transpose(), points[3].transpose(), points[4].transpose());
    const bool own = triangles_cross(points, s, t);
    REQUIRE(own == meet_beyond_corners({points[0], points[1], points[2]}, {points[0], points[3], points[4]}));
    REQUIRE(own == triangles_cross(points, {t[1], t[2], t[0]}, {s[2], s[0], s[1]}));
    crossing += own;
    ++compared;
  }
  CHECK(crossing > 300);
  CHECK(crossing < 2700);
}

TEST_CASE("two triangles cross exactly when CGAL says so, needles and walls seen from above too, in either order") {
  std::mt19937 random(43);
  std::size_t crossing = 0, compared = 0;
  while (compared < 12000) {
    // Coarse positions, most of them turned: what was on one line or in one plane is so but for rounding.
    std::vector<Vec3> points;
    for (int k = 0; k < 6; ++k) points.push_back(whole_numbers(random, {4, 4, 2}));
    std::uniform_real_distribution<double> degrees(0, 360);
    if (const auto how = random() % 3; how > 0) {
      const Affine turn = Placement{Vec3::Zero(), {how == 1 ? 0 : degrees(random), 0, degrees(random)}, Vec3::Ones()}.matrix();
      for (Vec3& p : points) p = turn * p;
    }
    // And half of the time one of them is square to an axis, with some corners of the other in its plane.
    if (random() % 2 == 0) {
      const auto axis = static_cast<Eigen::Index>(random() % 3);
      for (std::size_t k = 0; k < 6; ++k)
        if (k < 3 || random() % 2 == 0) points[k][axis] = points[0][axis];
    }
    const auto shared = static_cast<Index>(random() % 3);
    const Triangle s{0, 1, 2}, t{shared > 0 ? 0u : 3u, shared > 1 ? 1u : 4u, 5};
    bool usable = !collinear(points[s[0]], points[s[1]], points[s[2]]) && !collinear(points[t[0]], points[t[1]], points[t[2]]);
    for (std::size_t i = 0; i < 6; ++i)
      for (std::size_t j = i + 1; j < 6; ++j) usable = usable && points[i] != points[j];
    if (!usable) continue;
    CAPTURE(shared, points[0].transpose(), points[1].transpose(), points[2].transpose(), points[3].transpose(), points[4].transpose(),
            points[5].transpose());
    const bool own = triangles_cross(points, s, t);
    REQUIRE(own == meet_beyond_corners({points[s[0]], points[s[1]], points[s[2]]}, {points[t[0]], points[t[1]], points[t[2]]}));
    REQUIRE(own == triangles_cross(points, {t[1], t[2], t[0]}, {s[2], s[0], s[1]}));
    crossing += own;
    ++compared;
  }
  CHECK(crossing > 1200);
  CHECK(crossing < 10800);
}

TEST_CASE("trouble is what crosses, lies twice on the same corners or has no area, within a piece or across") {
  const std::vector<Vec3> points{{0, 0, 0}, {2, 0, 0}, {0, 2, 0}, {0.5, 0.5, -1}, {0.5, 0.5, 1}, {1, 0.5, 1}, {9, 9, 9}, {10, 9, 9}, {11, 9, 9}};
  const std::vector<Triangle> triangles{{0, 1, 2}, {3, 5, 4}, {6, 7, 8}, {1, 2, 0}};
  auto invalid = [&](const std::vector<Index>& piece, const std::vector<char>& suspect, Across across) {
    std::vector<char> found = find_invalid_triangles(points, triangles, piece, suspect, across, {});
    found.resize(triangles.size(), 0);
    return found;
  };
  const std::vector<char> all(4, 1);
  CHECK(invalid({0, 0, 0, 0}, all, Across::no) == std::vector<char>{1, 1, 1, 1});
  CHECK(invalid({0, 1, 0, 2}, all, Across::no) == std::vector<char>{0, 0, 1, 0});
  CHECK(invalid({0, 1, 0, 2}, all, Across::yes) == std::vector<char>{1, 1, 1, 1});
  CHECK(invalid({0, 0, 0, 0}, {0, 1, 0, 0}, Across::no) == std::vector<char>{1, 1, 0, 1});
  CHECK(invalid({0, 0, 0, 0}, {0, 0, 0, 0}, Across::no) == std::vector<char>{0, 0, 0, 0});
  CHECK(with_neighbours(points, triangles, {0, 1, 0, 0}, {}) == std::vector<char>{1, 1, 0, 1});
}

TEST_CASE("what has been looked at is not looked at again, unless something has moved; what is new is, with all others") {
  Rounded rounded;
  rounded.points = {{0, 0, 0}, {2, 0, 0}, {0, 2, 0}, {0.5, 0.5, -1}, {0.5, 0.5, 1}, {1, 0.5, 1}, {9, 9, 9}, {9, 8, 9}, {8, 9, 9}};
  rounded.triangles = {{0, 1, 2}, {3, 5, 4}, {6, 7, 8}};
  rounded.provenance.resize(3);
  rounded.moved.assign(9, 1);
  rounded.inexact.assign(9, 0);
  rounded.maybe_non_manifold.assign(9, 0);
  const auto found = [&](std::vector<char> looked_at) {
    for (std::size_t i = 0; i < 3; ++i) rounded.provenance[i].looked_at = looked_at[i] != 0;
    return find_invalid_after_rounding(rounded, {});
  };
  CHECK(found({0, 0, 0}) == std::vector<char>{1, 1, 0});
  CHECK(found({1, 0, 1}) == std::vector<char>{1, 1, 0});
  CHECK(found({0, 1, 1}) == std::vector<char>{1, 1, 0});
  CHECK(found({1, 1, 0}).empty());
  rounded.inexact[4] = 1;
  CHECK(found({1, 1, 1}) == std::vector<char>{1, 1, 0});
  // Merging changes a triangle.
  rounded.inexact[4] = 0;
  rounded.points[5] = rounded.points[1];
  for (FaceProvenance& t : rounded.provenance) t.looked_at = true;
  merge_equal(rounded);
  CHECK_FALSE(rounded.provenance[1].looked_at);
  CHECK(rounded.provenance[0].looked_at);
}

TEST_CASE("where crossings are asked of some faces only, those with any other are found") {
  Mesh two = stock("box", {10, 10, 10});
  for (const Vec3& by : {Vec3(5, 3, 2), Vec3(50, 3, 2)}) {
    Mesh other = stock("box", {10, 10, 10});
    place(other, Affine(Eigen::Translation3d(by)));
    append(two, other);
  }
  const auto sound = [&](Index first, Index end) {
    std::vector<char> faces(two.face_count(), 0);
    std::fill(faces.begin() + first, faces.begin() + end, 1);
    return is_sound(two, {}, 1, {}, faces);
  };
  CHECK_FALSE(is_sound(two, {}, 1));
  CHECK_FALSE(sound(0, 6));
  CHECK_FALSE(sound(6, 12));
  CHECK(sound(12, 18));
  // All else is asked of all faces.
  two.corners[two.face_offsets[1] - 1] = two.corners[two.face_offsets[1] - 2];
  CHECK_FALSE(sound(12, 18));
}

TEST_CASE("points that fall together become one, and triangles that collapse by that go") {
  Rounded rounded;
  rounded.points = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {1, 0, 0}, {1, 1, 0}};
  rounded.triangles = {{0, 1, 2}, {1, 3, 2}, {2, 3, 4}};
  rounded.provenance.resize(3);
  for (Index i = 0; i < 3; ++i) rounded.provenance[i].origin = i;
  rounded.moved.assign(5, 1);
  rounded.inexact.assign(5, 1);
  rounded.maybe_non_manifold.assign(5, 0);
  merge_equal(rounded);
  REQUIRE(rounded.triangles.size() == 2);
  CHECK(rounded.triangles[0] == Triangle{0, 1, 2});
  CHECK(rounded.triangles[1] == Triangle{2, 1, 4});
  CHECK(rounded.provenance[1].origin == 2);
  CHECK(rounded.maybe_non_manifold[1] == 1);
}
