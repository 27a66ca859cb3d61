// SPDX-License-Identifier: GPL-3.0-or-later
// Triangles far from all other parts pass through the engine as whole untouched regions (core/boolean/far.cpp). The
// result must be the very same as when every triangle is looked at one by one.
#include <random>
#include <set>

#include "core/boolean/combine.h"
#include "core/boolean/untouched.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// A face by where it comes from and the places of its corners, from the smallest on.
using FaceKey = std::tuple<Index, Index, Index, std::vector<std::array<double, 3>>>;

std::multiset<FaceKey> faces_of(const BooleanResult& result) {
  std::multiset<FaceKey> faces;
  for (std::size_t f = 0; f < result.mesh.face_count(); ++f) {
    std::vector<std::array<double, 3>> ring;
    for (Index v : result.mesh.face(f)) {
      const Vec3& p = result.mesh.positions[v];
      ring.push_back({p.x(), p.y(), p.z()});
    }
    std::rotate(ring.begin(), std::min_element(ring.begin(), ring.end()), ring.end());
    faces.emplace(result.piece[f], result.sources.input[f], result.sources.face[f], ring);
  }
  return faces;
}

std::set<std::array<std::array<double, 3>, 2>> fresh_of(const BooleanResult& result) {
  std::set<std::array<std::array<double, 3>, 2>> edges;
  for (const auto& edge : result.fresh_edges) {
    std::array<std::array<double, 3>, 2> ends{};
    for (std::size_t k = 0; k < 2; ++k) {
      const Vec3& p = result.mesh.positions[edge[k]];
      ends[k] = {p.x(), p.y(), p.z()};
    }
    if (ends[1] < ends[0]) std::swap(ends[0], ends[1]);
    edges.insert(ends);
  }
  return edges;
}

/// Combines both ways, compares face by face and has CGAL judge every piece.
void compare(const std::vector<Operand>& operands) {
  const auto quick = combine(operands), whole = combine(operands, {}, {.every_triangle = true});
  REQUIRE(quick);
  REQUIRE(whole);
  CHECK(quick->pieces == whole->pieces);
  CHECK(quick->mesh.positions.size() == whole->mesh.positions.size());
  CHECK(faces_of(*quick) == faces_of(*whole));
  CHECK(fresh_of(*quick) == fresh_of(*whole));
  for (Index k = 0; k < quick->pieces && !quick->open_on_purpose; ++k)
    CHECK(judge(quick->piece_mesh(k)).sound());
}

Mesh ring() {
  return stock("torus", {20, 8, 120, 60});
}
Mesh ball(double size) {
  return stock("sphere", {size, 80, 40});
}

/// Several shells in one part: some in the tool's way, some not, one inside another turned inwards.
Mesh crowd() {
  Mesh mesh;
  for (int i = 0; i < 5; ++i) append(mesh, placed(ball(4), {6.0 * i - 12, 0, 0}));
  Mesh hollow = placed(ball(3), {-12, 0, 0});
  reverse_faces(hollow);
  append(mesh, hollow);
  return mesh;
}

}  // namespace

TEST_CASE("most triangles of a large part stay out of a small tool's way") {
  const auto large =
      boolean::prepare({shared(ring()), "A", Operation::unite, Affine::Identity(), true, {}}, false, {});
  const auto small = boolean::prepare(
      {shared(placed(ball(3), {10, 0, 0})), "B", Operation::difference, Affine::Identity(), true, {}}, false,
      {});
  const boolean::Untouched untouched = boolean::find_untouched({*large, *small}, 1e-5, false, {});
  const boolean::Untouched::Part& part = untouched.parts[0];
  REQUIRE_FALSE(part.all_near);
  CHECK(10 * part.near.size() < (*large)->triangles.size());
  for (Index t = 0; t < (*large)->triangles.size(); ++t)
    CHECK((part.region_of[t] == no_index) ==
          std::binary_search(part.near.begin(), part.near.end(), t));
}

TEST_CASE("of a part that crosses itself only what lies about the crossings is looked at, and it comes out the same") {
  for (const bool triangles : {true, false}) {
    Mesh mesh = ring();
    append(mesh, placed(ball(3), {13.5, 1, 1}));
    append(mesh, placed(ball(2), {-13.9, 0.5, 0.3}));  // a crossing at the other end
    append(mesh, placed(ball(2), {0, 40, 0}));     // and one that crosses nothing
    if (triangles) mesh = in_triangles(mesh);
    const auto part = boolean::prepare({shared(mesh), "A"}, false, {});
    REQUIRE(part);
    CHECK((*part)->crosses_itself);
    const boolean::Untouched untouched = boolean::find_untouched({*part}, 1e-5, false, {});
    REQUIRE_FALSE(untouched.parts[0].all_near);
    CHECK(3 * untouched.parts[0].near.size() < (*part)->triangles.size());
    for (Index t : (*part)->crossing) CHECK(std::binary_search(untouched.parts[0].meeting.begin(), untouched.parts[0].meeting.end(), t));
    for (const Mesh& tool : {placed(stock("box", {7, 9, 11}), {9, 0, 0}), placed(stock("box", {4, 80, 10}), {-9, 0, 0}, {0, 0, 7})})
      for (const Operation operation : {Operation::difference, Operation::partition}) compare({{shared(mesh), "A"}, {shared(tool), "B", operation}});
    CombineSettings resolve;
    resolve.resolve = true;
    const auto alone = combine({{shared(mesh), "A"}}, {}, resolve);
    REQUIRE(alone);
    CHECK(judge(alone->mesh).sound());
    const auto balls = [](const Vec3& at, double size) { return Operand{shared(placed(ball(size), at)), "ball", Operation::unite}; };
    const auto united = combine({{shared(ring()), "A"}, balls({13.5, 1, 1}, 3), balls({-13.9, 0.5, 0.3}, 2), balls({0, 40, 0}, 2)});
    REQUIRE(united);
    CHECK(signed_volume(alone->mesh) == Approx(signed_volume(united->mesh)).epsilon(1e-12));
  }
}

TEST_CASE("a cut all the way round parts a surface into stretches, however large either side is") {
  // A slab through a torus across its axis of symmetry cuts it into four untouched regions with the slab taken out.
  const Mesh torus = ring();
  for (const double place : {0.0, 4.0, 8.0, 11.0}) {
    const Mesh slab =
        placed(stock("box", {1.5, 60, 60}), {place + 0.013, 0.01, 0.02}, {3, 2, 1});
    for (const Operation operation :
         {Operation::difference, Operation::intersection, Operation::unite, Operation::partition})
      compare({{shared(torus), "A"}, {shared(slab), "B", operation}});
  }
}

TEST_CASE("vertices that no face of a part uses do not come into the result with its far triangles") {
  // Without one, all points of the part are taken as they are; with one, those in use are looked up.
  const Mesh tool = placed(ball(3), {10, 0, 0});
  Mesh stray = ring();
  stray.add_vertex({10, 10, 10});
  const auto plain = combine({{shared(ring()), "A"}, {shared(tool), "B", Operation::difference}});
  const auto same = combine({{shared(stray), "A"}, {shared(tool), "B", Operation::difference}});
  REQUIRE(plain);
  REQUIRE(same);
  CHECK(same->mesh.positions == plain->mesh.positions);
  CHECK(same->mesh.corners == plain->mesh.corners);
  std::vector<char> used(plain->mesh.positions.size(), 0);
  for (Index v : plain->mesh.corners) used[v] = 1;
  CHECK(std::count(used.begin(), used.end(), 1) == static_cast<std::ptrdiff_t>(used.size()));
}

TEST_CASE("far stretches come out the same as when every triangle is looked at") {
  std::mt19937 random(41);
  auto between = [&](double lo, double hi) {
    return lo + (hi - lo) * static_cast<double>(random() % 100000) / 1e5;
  };
  const std::vector<Mesh> parts{ring(), in_triangles(ring()), ball(20), in_triangles(crowd()), crowd()};
  const std::vector<Mesh> tools{ball(7),
                                in_triangles(ball(9)),
                                stock("cylinder", {6, 30, 48}),
                                crowd(),
                                stock("box", {7, 9, 11}),
                                stock("torus", {12, 4, 80, 40})};
  for (int i = 0; i < 36; ++i) {
    const Mesh& part = parts[random() % parts.size()];
    auto tool = [&] {
      const Mesh& mesh = tools[random() % tools.size()];
      return placed(mesh, {between(-10, 10), between(-10, 10), between(-6, 6)},
                    {between(0, 90), between(0, 90), between(0, 90)});
    };
    const Operation operation = all_operations[random() % 9];
    CAPTURE(i, key_of(operation));
    std::vector<Operand> operands{{shared(part), "A"}, {shared(tool()), "B", operation}};
    // More operations that go with the first: those that make pieces end a list.
    if (i % 3 == 0 && !makes_pieces(operation))
      operands.insert(operands.begin() + 1, {shared(tool()), "C", Operation::difference});
    compare(operands);
  }
}

TEST_CASE("far stretches of mirrored parts and of parts that are inside out face the right way") {
  Mesh inside_out = ring();
  reverse_faces(inside_out);
  Operand mirrored{shared(ring()), "A"};
  mirrored.placement.linear() = Vec3(-1, 1, 1).asDiagonal();
  for (const Operation operation : {Operation::unite, Operation::difference, Operation::intersection}) {
    const Operand tool{shared(placed(ball(6), {9, 3, 1})), "B", operation};
    compare({{shared(inside_out), "A"}, tool});
    compare({mirrored, tool});
    Operand far_tool = mirrored;
    far_tool.operation = operation;
    compare({{shared(placed(ball(12), {-9, 3, 1})), "A"}, far_tool});
  }
}

TEST_CASE("polygons that no cut touched come back as the very same rings, far ones and near ones") {
  const Mesh torus = ring();
  const auto result = combine({{shared(torus), "A"}, {shared(placed(ball(3), {10, 0, 0})), "B"}});
  REQUIRE(result);
  std::size_t same = 0;
  for (std::size_t f = 0; f < result->mesh.face_count(); ++f) {
    if (result->sources.input[f] != 0) continue;
    const auto now = result->mesh.face(f), before = torus.face(result->sources.face[f]);
    same += std::equal(now.begin(), now.end(), before.begin(), before.end(),
                       [&](Index a, Index b) { return result->mesh.positions[a] == torus.positions[b]; });
  }
  CHECK(same > torus.face_count() * 9 / 10);
  for (const auto& d : result->report.done)
    if (d.what() == "polygons_untouched") CHECK(d.count >= same);
}
