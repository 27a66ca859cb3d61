// SPDX-License-Identifier: GPL-3.0-or-later
// What faces carry, sub-meshes and the way back, orientation spread over patches, half-planes sorted about an edge.
#include <random>

#include "core/boolean/radial_sort.h"
#include "core/exact/predicates.h"
#include "core/mesh/attributes.h"
#include "core/mesh/orient.h"
#include "core/mesh/sub_mesh.h"
#include "core/shape/half_space.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Mesh box_with_slots() {
  Mesh box = stock("box", {2, 2, 2});
  box.materials = {{"steel", "brass"}, {0, 0, 1, 1, 1, 0}};
  return box;
}

std::string slot_of(const Mesh& mesh, Index face) { return mesh.materials.names[mesh.materials.of_face[face]]; }

}  // namespace

TEST_CASE("faces keep slot and origin when a mesh is appended, whichever of the two has any") {
  Mesh one = box_with_slots(), plain = stock("box", {1, 1, 1});
  one.origins.assign(6, FaceOrigin{2, 7, 1});
  Mesh both = one;
  append(both, plain);
  REQUIRE(both.materials.of_face.size() == 12);
  CHECK(slot_of(both, 2) == "brass");
  CHECK(slot_of(both, 8) == unnamed_slot);
  REQUIRE(both.origins.size() == 12);
  CHECK(both.origins[3] == FaceOrigin{2, 7, 1});
  CHECK(both.origins[8] == FaceOrigin{0, 2, no_index});  // as itself: face 2 of its own source
  Mesh other = plain;
  append(other, one);
  CHECK(slot_of(other, 0) == unnamed_slot);
  CHECK(slot_of(other, 8) == "brass");
  CHECK(other.origins[0] == FaceOrigin{0, 0, no_index});
  CHECK(other.origins[6] == FaceOrigin{2, 7, 1});
  append(plain, stock("box", {1, 1, 1}));
  CHECK(plain.materials.empty());
  CHECK(plain.origins.empty());
}

TEST_CASE("slots are carried by index: of one name they become one, new faces get the most used of their input") {
  const Mesh a = box_with_slots();
  Mesh b = stock("box", {1, 1, 1});
  b.materials = {{"brass", "glass"}, {0, 1, 1, 1, 1, 1}};
  Mesh made;
  FaceSources sources;
  for (const auto& [input, face] : {std::pair<Index, Index>{0, 1}, {0, 2}, {1, 0}, {1, 3}, {0, no_index}, {1, no_index}}) {
    made.add_face({0, 1, 2});
    sources.add(input, face);
  }
  const std::array<const Mesh*, 2> inputs{&a, &b};
  carry_slots(inputs, sources, made);
  CHECK(slot_of(made, 0) == "steel");
  CHECK(slot_of(made, 1) == "brass");
  CHECK(slot_of(made, 2) == "brass");
  CHECK(made.materials.of_face[1] == made.materials.of_face[2]);
  CHECK(slot_of(made, 3) == "glass");
  CHECK(slot_of(made, 4) == "steel");  // three of six each: the first of the most used
  CHECK(slot_of(made, 5) == "glass");
  Mesh bare;
  bare.add_face({0, 1, 2});
  const Mesh plain = stock("box", {1, 1, 1});
  const std::array<const Mesh*, 1> without{&plain};
  FaceSources one;
  one.add(0, 3);
  carry_slots(without, one, bare);
  CHECK(bare.materials.empty());
}

TEST_CASE("a mesh taken apart knows the way back, face by face and vertex by vertex") {
  std::mt19937 random(5);
  Mesh whole = stock("sphere", {10, 12, 8});
  whole.materials.names = {"a", "b"};
  for (Index f = 0; f < whole.face_count(); ++f) {
    whole.materials.of_face.push_back(f % 2);
    whole.origins.push_back({f % 3, f, f % 5});
  }
  std::vector<Index> group;
  for (std::size_t f = 0; f < whole.face_count(); ++f) group.push_back(random() % 4 == 0 ? no_index : static_cast<Index>(random() % 3));
  const std::vector<SubMesh> parts = take_apart(whole, group, 3);
  REQUIRE(parts.size() == 3);
  std::size_t faces = 0;
  for (Index g = 0; g < 3; ++g) {
    const SubMesh& part = parts[g];
    REQUIRE(part.faces.size() == part.mesh.face_count());
    REQUIRE(part.vertices.size() == part.mesh.positions.size());
    CHECK(std::is_sorted(part.faces.begin(), part.faces.end()));
    for (Index f = 0; f < part.mesh.face_count(); ++f) {
      CHECK(group[part.faces[f]] == g);
      const auto own = part.mesh.face(f), from = whole.face(part.faces[f]);
      REQUIRE(own.size() == from.size());
      for (std::size_t k = 0; k < own.size(); ++k) {
        CHECK(part.vertices[own[k]] == from[k]);
        CHECK(part.mesh.positions[own[k]] == whole.positions[from[k]]);
      }
      CHECK(part.mesh.materials.of_face[f] == whole.materials.of_face[part.faces[f]]);
      CHECK(part.mesh.origins[f] == whole.origins[part.faces[f]]);
    }
    faces += part.mesh.face_count();
  }
  CHECK(faces == static_cast<std::size_t>(std::count_if(group.begin(), group.end(), [](Index g) { return g != no_index; })));
  CHECK(take_apart(whole, std::vector<Index>(whole.face_count(), no_index), 1)[0].mesh.empty());
}

TEST_CASE("placing moves vertices, and turns faces over when it mirrors") {
  Mesh box = stock("box", {2, 3, 4});
  Affine mirrored = Affine::Identity();
  mirrored.linear() = Vec3(-1, 2, 1).asDiagonal();
  mirrored.translation() = Vec3(10, 0, 0);
  place(box, mirrored);
  CHECK(signed_volume(box) == Approx(48));
  CHECK(bounds(box).lo == Vec3(9, -3, -2));
  CHECK(check_soundness(box).sound);
  const Mesh before = box;
  place(box, Affine::Identity());
  CHECK(box.positions == before.positions);
  CHECK(box.corners == before.corners);
}

TEST_CASE("orientation spreads over each patch from its first face") {
  // Three spheres of which one was turned over whole and one in part; the parts that agree are found again.
  Mesh mesh;
  for (int k = 0; k < 3; ++k) append(mesh, placed(stock("sphere", {4, 10, 6}), {10.0 * k, 0, 0}));
  const auto each = static_cast<Index>(mesh.face_count() / 3);
  std::mt19937 random(8);
  std::vector<char> turned(mesh.face_count(), 0);
  for (Index f = 0; f < mesh.face_count(); ++f) {
    turned[f] = f / each == 1 || (f / each == 2 && random() % 3 == 0);
    if (turned[f]) std::reverse(mesh.corners.begin() + mesh.face_offsets[f], mesh.corners.begin() + mesh.face_offsets[f + 1]);
  }
  const PatchOrientation orientation = orient_patches(mesh, build_edges(mesh));
  CHECK(orientation.patches == 3);
  for (Index f = 0; f < mesh.face_count(); ++f) {
    REQUIRE(orientation.patch[f] == f / each);
    REQUIRE((orientation.against_first[f] != 0) == (turned[f] != turned[f / each * each]));
  }
  // Over an edge with three faces it does not spread.
  Mesh fin = stock("box", {2, 2, 2});
  fin.add_face({fin.corners[0], fin.corners[1], fin.add_vertex({5, 5, 5})});
  CHECK(orient_patches(fin, build_edges(fin)).patches == 2);
}

TEST_CASE("half-planes are sorted about their edge by exact signs, from the first one on") {
  // Points around the z axis at known angles, on a grid so that the signs are exact.
  const std::vector<std::pair<int, int>> around = {{1, 0}, {3, 1}, {1, 1}, {0, 2}, {-2, 5}, {-1, 0}, {-3, -1}, {0, -1}, {4, -3}};
  std::mt19937 random(12);
  for (int round = 0; round < 50; ++round) {
    std::vector<std::size_t> order(around.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::shuffle(order.begin(), order.end(), random);
    const std::size_t first = order[0];
    const Vec3 u(0, 0, 0), v(0, 0, 1);
    auto point = [&](std::size_t k) { return Vec3(around[k].first, around[k].second, 0.25 * static_cast<double>(k)); };
    boolean::radial_sort(
        order, [&](std::size_t a, std::size_t b) { return orient3d(u, v, point(a), point(b)); }, [](std::size_t a, std::size_t b) { return a == b; });
    CHECK(order[0] == first);
    for (std::size_t k = 0; k < order.size(); ++k) CHECK(order[k] == (first + k) % around.size());
  }
}

TEST_CASE("a half-space is exact across the axes, and reflecting twice is nothing") {
  const HalfSpace across({0.1, 0.2, 0.3}, {0, -4, 0});
  CHECK(across.normal() == Vec3(0, -1, 0));
  CHECK(across.height({5, 0.2, 7}) == 0);
  CHECK(across.projected({5, 1.7, 7}) == Vec3(5, 0.2, 7));
  CHECK(across.height({5, 1.2, 7}) < 0);
  CHECK(across.u().cross(across.v()) == across.normal());
  // A direction that misses an axis by rounding alone is meant along it.
  CHECK(HalfSpace({0, 0, 0}, {1e-17, 1, -1e-16}).normal() == Vec3(0, 1, 0));
  std::mt19937 random(2);
  std::uniform_real_distribution<double> any(-10, 10);
  for (int k = 0; k < 200; ++k) {
    const HalfSpace plane({any(random), any(random), any(random)}, {any(random), any(random), any(random)});
    CHECK(plane.normal().norm() == Approx(1).epsilon(1e-15));
    CHECK(std::abs(plane.u().dot(plane.normal())) < 1e-15);
    CHECK((plane.u().cross(plane.v()) - plane.normal()).norm() < 1e-14);
    const Vec3 p(any(random), any(random), any(random));
    CHECK((plane.reflected(plane.reflected(p)) - p).norm() < 1e-13);
    CHECK(plane.height(plane.reflected(p)) == Approx(-plane.height(p)).margin(1e-13));
    CHECK(std::abs(plane.height(plane.projected(p))) < 1e-14);
  }
}
