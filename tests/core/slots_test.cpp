// SPDX-License-Identifier: GPL-3.0-or-later
// Material slots: through files and through every operation.
#include <map>

#include "core/boolean/combine.h"
#include "core/io/formats.h"
#include "core/io/mesh_file.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// A mesh all of whose faces ask for one material.
Mesh made_of(const std::string& material, Mesh mesh) {
  mesh.materials = {{material}, std::vector<Index>(mesh.face_count(), 0)};
  return mesh;
}

Vec3 middle(const Mesh& mesh, std::size_t f) {
  Vec3 sum = Vec3::Zero();
  for (Index v : mesh.face(f)) sum += mesh.positions[v];
  return sum / static_cast<double>(mesh.face(f).size());
}

const std::string& slot(const Mesh& mesh, std::size_t f) {
  return mesh.materials.names.at(mesh.materials.of_face.at(f));
}

/// How many faces ask for each material.
std::map<std::string, std::size_t> uses(const Mesh& mesh) {
  std::map<std::string, std::size_t> count;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) ++count[slot(mesh, f)];
  return count;
}

BooleanResult with_slots(const std::vector<Operand>& operands) {
  auto result = combine(operands);
  REQUIRE(result);
  REQUIRE(!result->mesh.empty());
  return *std::move(result);
}

}  // namespace

TEST_CASE("OBJ: usemtl holds for the faces after it, names keep their blanks, faces before the first are unnamed") {
  // Wavefront OBJ, appendix B1, "usemtl material_name": from memory.
  const Import import = read_obj(
      "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\n"
      "f 1 3 2\nusemtl  sea green \t\r\nf 1 2 4\nf 1 2\nusemtl brass\nf 1 4 3\nusemtl sea green\nf 2 3 4\n");
  REQUIRE(import.mesh.face_count() == 4);
  REQUIRE(import.mesh.materials.of_face.size() == 4);
  CHECK(slot(import.mesh, 0) == unnamed_slot);
  CHECK(slot(import.mesh, 1) == "sea green");
  CHECK(slot(import.mesh, 2) == "brass");
  CHECK(slot(import.mesh, 3) == "sea green");
  CHECK(import.mesh.materials.names.size() == 3);
}

TEST_CASE("OBJ without usemtl has no slots") {
  CHECK(read_obj("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n").mesh.materials == MaterialSlots{});
}

TEST_CASE("OBJ and 3MF give the slots back face by face") {
  const TemporaryFolder folder;
  Mesh mesh = in_triangles(cube());
  mesh.materials = {{"steel", "brass & bronze", "never used", "Messing <hell>"}, {}};
  for (std::size_t f = 0; f < mesh.face_count(); ++f) mesh.materials.of_face.push_back(f % 5 == 0 ? 3 : static_cast<Index>(f % 2));
  for (const char* name : {"part.obj", "part.3mf"}) {
    INFO(name);
    REQUIRE(write_mesh(mesh, folder / name));
    const auto back = read_mesh(folder / name);
    REQUIRE(back);
    REQUIRE(back->mesh.face_count() == mesh.face_count());
    REQUIRE(back->mesh.materials.of_face.size() == mesh.face_count());
    for (std::size_t f = 0; f < mesh.face_count(); ++f) CHECK(slot(back->mesh, f) == slot(mesh, f));
  }
}

TEST_CASE("a slot's name cannot break the lines of an OBJ file") {
  const Mesh back = read_obj(write_obj(made_of("two\nf 1 1 1\rlines", cube()))).mesh;
  CHECK(back.face_count() == 6);
  CHECK(slot(back, 0) == "two f 1 1 1 lines");
}

TEST_CASE("a 3MF file whose coordinates have to be settled keeps the slots") {
  // Two boxes with a gap that 32 bits cannot hold: they come to touch and are settled.
  Mesh mesh = made_of("steel", placed(cube(2), {4000, 0, 0}));
  append(mesh, made_of("brass", placed(cube(2), {4002.00001, 1, 1})));
  const TemporaryFolder folder;
  std::vector<std::string> notes;
  REQUIRE(write_mesh(mesh, folder / "pair.3mf", &notes));
  CHECK_FALSE(notes.empty());
  const auto back = read_mesh(folder / "pair.3mf");
  REQUIRE(back);
  for (std::size_t f = 0; f < back->mesh.face_count(); ++f) {
    const Vec3 p = middle(back->mesh, f);
    if (p.x() < 4000.999 || p.y() < -1e-3) CHECK(slot(back->mesh, f) == "steel");
    if (p.x() > 4001.001 || p.y() > 1.001) CHECK(slot(back->mesh, f) == "brass");
  }
}

TEST_CASE("appended meshes share slots of one name, and faces without one become unnamed") {
  Mesh mesh = made_of("steel", cube());
  append(mesh, made_of("brass", cube()));
  append(mesh, made_of("steel", cube()));
  CHECK(mesh.materials.names == std::vector<std::string>{"steel", "brass"});
  CHECK(uses(mesh) == std::map<std::string, std::size_t>{{"steel", 12}, {"brass", 6}});
  append(mesh, cube());
  CHECK(uses(mesh)[unnamed_slot] == 6);
  Mesh plain = cube();
  append(plain, made_of("steel", cube()));
  CHECK(uses(plain) == std::map<std::string, std::size_t>{{unnamed_slot, 6}, {"steel", 6}});
  Mesh nothing;
  append(nothing, made_of("steel", cube()));
  CHECK(nothing.materials.names == std::vector<std::string>{"steel"});
}

TEST_CASE("the walls that a tool cuts have the tool's material, all else keeps the part's") {
  Mesh part = cube(4);
  part.materials = {{"paint", "primer"}, {0, 1, 0, 1, 0, 1}};
  const Mesh tool = placed(stock("cylinder", {2, 9, 24}), {0.5, 0.25, 0}, {10, 20, 0});
  const BooleanResult result = with_slots({{shared(part), "Part"}, {shared(made_of("bare", tool)), "Tool", Operation::difference}});
  REQUIRE(result.mesh.materials.of_face.size() == result.mesh.face_count());
  std::size_t walls = 0;
  for (std::size_t f = 0; f < result.mesh.face_count(); ++f) {
    const Vec3 p = middle(result.mesh, f);
    const bool outside = p.cwiseAbs().maxCoeff() > 2 - 1e-9;
    walls += outside ? 0 : 1;
    CHECK(slot(result.mesh, f) == (outside ? part.materials.names[part.materials.of_face[result.sources.face[f]]] : "bare"));
  }
  CHECK(walls == 24);
}

TEST_CASE("a part without slots among parts with them is unnamed; without any there are none") {
  const Mesh tool = placed(cube(2), {1, 1, 1});
  const auto mixed = with_slots({{shared(made_of("steel", cube(2))), "Part"}, {shared(tool), "Tool", Operation::unite}});
  const auto count = uses(mixed.mesh);
  CHECK(count.size() == 2);
  CHECK(count.at("steel") == 6);
  CHECK(count.at(unnamed_slot) == 6);
  CHECK(with_slots({{shared(cube(2)), "Part"}, {shared(tool), "Tool", Operation::unite}}).mesh.materials.empty());
}

TEST_CASE("what closes a hole takes the slot that most of its part has") {
  Mesh part = without_faces(cube(4), {2});
  part.materials = {{"rare", "common"}, {1, 0, 1, 1, 1}};
  const auto result = with_slots({{shared(part), "Part"}, {shared(made_of("bare", placed(cube(1), {0, 0, 0}))), "Tool", Operation::difference}});
  std::size_t caps = 0;
  for (std::size_t f = 0; f < result.mesh.face_count(); ++f)
    if (result.sources.face[f] == no_index) {
      ++caps;
      CHECK(slot(result.mesh, f) == "common");
    }
  CHECK(caps > 0);
}

TEST_CASE("trays, gathered parts and pieces keep their slots") {
  Operand tray{nullptr, "Tray", Operation::difference};
  tray.tray = {{shared(made_of("brass", placed(cube(1), {2, 0, 0}))), "One"},
               {shared(made_of("bronze", placed(cube(1), {-2, 0, 0}))), "Two", Operation::unite}};
  const auto result = with_slots({{shared(made_of("steel", cube(4))), "Part"},
                          tray,
                          {shared(made_of("rubber", placed(cube(1), {9, 9, 9}))), "Seal", Operation::gather}});
  // A face with a hole in it is given in several polygons.
  const auto count = uses(result.mesh);
  CHECK(count.size() == 4);
  CHECK(count.at("steel") >= 6);
  CHECK(count.at("brass") == 5);
  CHECK(count.at("bronze") == 5);
  CHECK(count.at("rubber") == 6);

  const auto inlay = with_slots({{shared(made_of("steel", cube(4))), "Part"},
                         {shared(made_of("brass", placed(cube(2), {0, 0, 2}))), "Tool", Operation::inlay}});
  REQUIRE(inlay.pieces == 2);
  CHECK(uses(inlay.piece_mesh(0)).size() == 2);
  CHECK(uses(inlay.piece_mesh(0)).at("brass") == 5);
  CHECK(uses(inlay.piece_mesh(1)) == std::map<std::string, std::size_t>{{"brass", 6}});
}
