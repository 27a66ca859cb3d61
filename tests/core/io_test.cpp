// SPDX-License-Identifier: GPL-3.0-or-later

#include <clocale>
#include <cstdlib>
#include <cstring>
#include <map>

#include "core/boolean/combine.h"
#include "core/boolean/settle.h"
#include "core/io/formats.h"
#include "core/mesh/union_find.h"
#include "core/soundness/check.h"
#include "tests/support/dice.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Mesh odd_mesh() {
  Mesh mesh = placed(stock("star-prism", {40, 17, 12, 5}), {1.0 / 3, -2e-7, 12345.678901234567},
                     {11, 23, 37});
  return mesh;
}

bool same(const Mesh& a, const Mesh& b) {
  return a.positions == b.positions && a.corners == b.corners && a.face_offsets == b.face_offsets;
}

}  // namespace

TEST_CASE("OBJ, PLY and OFF give back the same doubles and, where that is asked for, the same polygons") {
  const TemporaryFolder folder;
  const Mesh mesh = odd_mesh();
  for (const char* name : {"part.obj", "part.ply", "part.off"}) {
    INFO(name);
    REQUIRE(write_mesh(mesh, folder / name, nullptr, {FacesWritten::polygons}));
    const auto back = read_mesh(folder / name);
    REQUIRE(back);
    CHECK(same(back->mesh, mesh));
  }
  CHECK(folder.file_count() == 3);
}

TEST_CASE("a polygon of more than 255 corners survives PLY") {
  const Mesh mesh = stock("prism", {20, 5, 300});
  CHECK(same(read_ply(write_ply(mesh)).mesh, mesh));
}

TEST_CASE("binary STL follows the layout of the specification") {
  // StereoLithography Interface Specification, 1989: 80-byte header, 32-bit count, 50 bytes a facet,
  // the normal by the right-hand rule.
  const Mesh mesh = cube();
  const std::string bytes = write_stl(mesh);
  REQUIRE(bytes.size() == 80 + 4 + 12 * 50);
  std::uint32_t count;
  std::memcpy(&count, bytes.data() + 80, 4);
  CHECK(count == 12);
  CHECK_FALSE(bytes.starts_with("solid"));
  for (std::size_t f = 0; f < 12; ++f) {
    float v[12];
    std::memcpy(v, bytes.data() + 84 + 50 * f, sizeof v);
    const Eigen::Vector3f n(v[0], v[1], v[2]), a(v[3], v[4], v[5]), b(v[6], v[7], v[8]),
        c(v[9], v[10], v[11]);
    CHECK((b - a).cross(c - a).normalized().dot(n) == Approx(1));
    CHECK(n.dot(a) > 0);  // outwards: the cube surrounds the origin
  }
}

TEST_CASE("an STL read back is welded: vertex-to-vertex, each edge shared by exactly two facets") {
  const Mesh sphere = stock("icosphere", {30, 3});
  const Mesh back = read_stl(write_stl(sphere)).mesh;
  CHECK(back.positions.size() == sphere.positions.size());
  const SoundnessReport report = check_soundness(back);
  CHECK(report.sound);
  CHECK(report.volume == Approx(signed_volume(sphere)).epsilon(1e-6));
}

TEST_CASE("text STL is read, several solids and bad normals included") {
  const auto import = read_stl(
      "solid one two\n facet normal nan nan nan\n  outer loop\n   vertex 0 0 0\n   vertex 1e0 0 0\n   vertex "
      "0 1 0\n"
      "  endloop\n endfacet\nendsolid one\nsolid\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex +2 0 "
      "0\n"
      "vertex 0 2.5E-1 0\nendloop\nendfacet\nendsolid\n");
  CHECK(import.mesh.face_count() == 2);
  CHECK(import.mesh.positions.size() == 5);
  CHECK(import.mesh.positions.back() == Vec3(0, 0.25, 0));
  CHECK(import.notes.empty());
}

TEST_CASE("a binary STL whose header starts with solid is still read as binary") {
  std::string bytes = write_stl(cube());
  std::memcpy(bytes.data(), "solid trap ", 11);
  CHECK(read_stl(bytes).mesh.face_count() == 12);
  CHECK(read_stl(bytes + "tail").notes.size() == 1);
}

TEST_CASE("OBJ understands negative indices, slashes, groups and joined lines") {
  const auto import = read_obj(
      "# cube corner\no first\nv 0 0 0\nv 1 0 0 1.0\nv 0 1 0\ng a b\nf -3 -2 -1\nv 0 0 1\nvt 0 0\nvn 0 0 1\n"
      "f 1/1/1 2//1 \\\n 4/1\nl 1 2\nf 1 2\n");
  CHECK(import.mesh.face_count() == 2);
  CHECK(std::vector<Index>(import.mesh.corners) == std::vector<Index>{0, 1, 2, 0, 1, 3});
  CHECK(import.notes.size() == 2);  // a line and a two-cornered face were left out, and it says so
}

TEST_CASE("PLY is read in text, little-endian and big-endian, with other elements in between") {
  const std::string header =
      "element vertex 3\nproperty uchar red\nproperty float x\nproperty float y\nproperty float z\n"
      "element note 1\nproperty list uchar short words\nelement face 1\nproperty list uchar int "
      "vertex_index\n"
      "property short flag\nend_header\n";
  const auto text = read_ply("ply\nformat ascii 1.0\ncomment hello\n" + header +
                             "9 0 0 0\n9 1 0 0\n9 0 1 0.5\n2 7 8\n3 0 1 2 5\n");
  CHECK(text.mesh.positions[2] == Vec3(0, 1, 0.5));
  std::string big = "ply\nformat binary_big_endian 1.0\n" + header,
              little = "ply\nformat binary_little_endian 1.0\n" + header;
  auto put = [&](auto value) {
    std::string raw(sizeof value, '\0');
    std::memcpy(raw.data(), &value, sizeof value);
    little += raw;
    std::reverse(raw.begin(), raw.end());
    big += raw;
  };
  for (const Vec3& p : {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(0, 1, 0.5)}) {
    put(std::uint8_t{9});
    for (int k = 0; k < 3; ++k) put(static_cast<float>(p[k]));
  }
  put(std::uint8_t{2});
  put(std::int16_t{7});
  put(std::int16_t{8});
  put(std::uint8_t{3});
  for (int k = 0; k < 3; ++k) put(std::int32_t{k});
  put(std::int16_t{5});
  CHECK(same(read_ply(big).mesh, text.mesh));
  CHECK(same(read_ply(little).mesh, text.mesh));
}

TEST_CASE("OFF is read with comments, colours and without its keyword") {
  const char* body = "3 1 0 # counts\n0 0 0\n1 0 0\n\n0 1 0\n3 0 1 2 255 0 0\n";
  CHECK(read_off(std::string("OFF\n# a triangle\n") + body).mesh.face_count() == 1);
  CHECK(read_off(body).mesh.positions.size() == 3);
  CHECK(read_off("COFF\n3 1 0\n0 0 0 1 1 1 1\n1 0 0 1 1 1 1\n0 1 0 1 1 1 1\n3 0 1 2\n").mesh.positions[1] ==
        Vec3(1, 0, 0));
}

TEST_CASE("3MF round-trips in millimetres with triangles counter-clockwise from outside") {
  // 3MF Core Specification: every edge shared by exactly two triangles with opposite direction.
  const TemporaryFolder folder;
  REQUIRE(write_mesh(stock("box", {10, 20, 30}), folder / "box.3mf"));
  const auto back = read_mesh(folder / "box.3mf");
  REQUIRE(back);
  CHECK(back->has_unit);
  const SoundnessReport report = check_soundness(back->mesh);
  CHECK(report.sound);
  CHECK(report.volume == Approx(6000));
}

TEST_CASE("the sample models of a general library are read with the shape they document") {
  const std::filesystem::path models = "/usr/share/assimp/models";  // Debian assimp-testmodels
  REQUIRE(std::filesystem::exists(models));
  CHECK(check_soundness(read_mesh(models / "OFF/Cube.off")->mesh).sound);
  CHECK(check_soundness(read_mesh(models / "PLY/cube.ply")->mesh).sound);
  CHECK(check_soundness(read_mesh(models / "PLY/cube_binary.ply")->mesh).sound);
  CHECK(check_soundness(read_mesh(models / "OBJ/box.obj")->mesh).volume == Approx(1));
  CHECK(read_mesh(models / "3MF/box.3mf")->mesh.face_count() == 12);
  CHECK(read_mesh(models / "STL/triangle_with_two_solids.stl")->mesh.face_count() == 2);
  CHECK(check_soundness(read_mesh(models / "STL/sphereWithHole.stl")->mesh).holes() > 0);
  CHECK(read_mesh(models / "STL/Spider_ascii.stl")->mesh.face_count() ==
        read_mesh(models / "STL/Spider_binary.stl")->mesh.face_count());
}

TEST_CASE("a sound solid of any size is sound in STL and 3MF, and comes back from 3MF as it was written") {
  const TemporaryFolder folder;
  const Mesh ball = stock("sphere", {2, 48, 24}), tool = placed(ball, {0.317, 0.123, 0.079}, {10, 20, 30});
  const auto result = combine({{shared(ball), "Ball"}, {shared(tool), "Tool", Operation::difference}});
  REQUIRE(result);
  for (const double scale : {1e6, 1000.0, 1.0, 0.1, 1e-2, 1e-4, 1e-6}) {
    INFO("scale " << scale);
    Mesh mesh = result->mesh;
    for (Vec3& p : mesh.positions) p *= scale;
    REQUIRE(check_soundness(mesh, {}).sound);
    REQUIRE(write_mesh(mesh, folder / "a.stl"));
    CHECK(check_soundness(read_mesh(folder / "a.stl")->mesh, {}).sound);
    REQUIRE(write_mesh(mesh, folder / "a.3mf"));
    const auto back = read_mesh(folder / "a.3mf");
    REQUIRE(back);
    CHECK(check_soundness(back->mesh, {}).sound);
    CHECK(signed_volume(back->mesh) == Approx(signed_volume(mesh)).epsilon(1e-6));
    REQUIRE(write_mesh(back->mesh, folder / "b.3mf"));
    CHECK(same(read_mesh(folder / "b.3mf")->mesh, back->mesh));
  }
}

TEST_CASE("3MF tells every 32-bit coordinate to the last bit, and the same mesh gives the same bytes") {
  const TemporaryFolder folder;
  Mesh mesh;
  for (int e = -40; e < 29; ++e)  // lib3mf reads up to 1e9
    for (const double x : {1.0, 1.2345678, -1.9999999}) mesh.add_vertex(Vec3(std::ldexp(x, e), 1 - x, x).cast<float>().cast<double>());
  for (Index v = 0; v < mesh.positions.size(); v += 3) mesh.add_face({v, v + 1, v + 2});
  const std::vector<PartInFile> parts{{"part", 0x123456, mesh}};
  const auto first = write_3mf(parts, "title"), second = write_3mf(parts, "title");
  REQUIRE(first);
  REQUIRE(second);
  REQUIRE(write_bytes(folder / "a.3mf", *first));
  CHECK(same(read_mesh(folder / "a.3mf")->mesh, mesh));
  CHECK(*first == *second);
}

TEST_CASE("a locale with decimal commas changes nothing that is read") {
  const TemporaryFolder folder;
  const std::string made = "localedef -i de_DE -f UTF-8 " + (folder / "de_DE.UTF-8").string() + " > /dev/null 2>&1";
  REQUIRE(std::system(made.c_str()) == 0);
  ::setenv("LOCPATH", (folder / "").c_str(), 1);
  REQUIRE(std::setlocale(LC_NUMERIC, "de_DE.UTF-8") != nullptr);
  REQUIRE(std::string(std::localeconv()->decimal_point) == ",");
  write_text(folder / "a.obj", "v 0 0 1.5e-400\nv 1.5 0 0\nv 0 1.5 -2.5E-0500\nv 0 0 1.5\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n");
  write_text(folder / "b.obj", "v 0 0 1.5e400\nv 1.5 0 0\nv 0 1.5 0\nf 1 3 2\n");
  const auto back = read_mesh(folder / "a.obj");
  const auto huge = read_mesh(folder / "b.obj");
  std::setlocale(LC_NUMERIC, "C");
  ::unsetenv("LOCPATH");
  REQUIRE(back);
  CHECK(back->mesh.positions[0] == Vec3(0, 0, 0));
  CHECK(back->mesh.positions[2] == Vec3(0, 1.5, 0));
  REQUIRE_FALSE(huge);
  CHECK(huge.issue().what.find("not a finite number") != std::string::npos);
}

TEST_CASE("a crumb of a few 32-bit steps that touches a body is opened without turning over") {
  // Volumes of shells are computed here, each by its own faces.
  Dice dice(11);
  std::size_t opened = 0;
  for (int k = 0; k < 200; ++k) {
    const double step = std::ldexp(1.0, -20);  // of 32-bit numbers near 10
    const Vec3 tip(10, 10, 10);
    Mesh mesh = placed(stock("box", {4, 4, 4}), {8, 8, 8});
    Mesh crumb;
    crumb.add_vertex(tip);
    for (int v = 0; v < 3; ++v) crumb.add_vertex(tip + step * Vec3(dice.between(0.5, 6), dice.between(0.5, 6), dice.between(0.5, 6)));
    const auto& p = crumb.positions;
    if ((p[1] - p[0]).cross(p[2] - p[0]).dot(p[3] - p[0]) < 0) std::swap(crumb.positions[1], crumb.positions[2]);
    for (const auto& face : {std::array<Index, 3>{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {2, 0, 3}}) crumb.add_face({face[0], face[1], face[2]});
    append(mesh, crumb);
    INFO("crumb " << k);
    REQUIRE(check_soundness(mesh).sound);
    OperationReport report;
    const Mesh settled = settle_to_float(mesh, report, {true, 0});
    const std::vector<Triangle> triangles = triangulate(settled).triangles;
    UnionFind shells(settled.positions.size());
    for (const Triangle& t : triangles) shells.unite(t[0], t[1]), shells.unite(t[1], t[2]);
    std::map<Index, double> volumes;
    for (const Triangle& t : triangles)
      volumes[shells.find(t[0])] += (settled.positions[t[0]] - tip).dot((settled.positions[t[1]] - tip).cross(settled.positions[t[2]] - tip)) / 6;
    for (const auto& [shell, volume] : volumes) CHECK(volume > 0);
    opened += volumes.size() == 2;
    CHECK(check_soundness(settled).count(families::flipped_faces) == 0);
  }
  CHECK(opened > 20);
}

TEST_CASE("settling to 32 bits by itself: floats stay as they are, others round, what meets by it is settled") {
  OperationReport report;
  const Mesh exact = cube(2);
  CHECK(settle_to_float(exact, report).positions == exact.positions);
  CHECK(report.done.empty());
  // Thirds are no floats: every coordinate moves by less than half a step, and the ball stays sound.
  Mesh ball = stock("sphere", {1.0 / 3, 24, 12});
  const Mesh settled = settle_to_float(ball, report);
  CHECK(check_soundness(settled).sound);
  for (const Vec3& p : settled.positions) CHECK(p == p.cast<float>().cast<double>().eval());
  CHECK(signed_volume(settled) == Approx(signed_volume(ball)).epsilon(1e-6));
  // Two boxes a thousandth of a step apart: rounding brings their walls together.
  Mesh close = stock("box", {1, 1, 1});
  append(close, placed(stock("box", {1, 1, 1}), {1 + 1e-11, 0, 0}));
  REQUIRE(check_soundness(close).sound);
  OperationReport told;
  // Bounded by a count of work, which is told; the mesh is rounded only.
  FloatSettings hardly_any;
  hardly_any.most_work = 10;
  OperationReport given_up;
  CHECK(settle_to_float(close, given_up, hardly_any).face_count() == triangulate(close).triangles.size());
  CHECK(std::any_of(given_up.done.begin(), given_up.done.end(), [](const auto& done) { return done.what() == "settling_given_up"; }));
  CHECK(std::any_of(given_up.done.begin(), given_up.done.end(), [](const auto& done) { return done.what() == "rounding_not_settled"; }));
  const Mesh met = settle_to_float(close, told);
  CHECK(check_soundness(met).sound);
  CHECK(signed_volume(met) == Approx(2).epsilon(1e-6));
  // An open mesh is only rounded, and cut into triangles.
  const Mesh open = without_faces(stock("sphere", {1.0 / 3, 24, 12}), {0});
  CHECK(settle_to_float(open, report).face_count() == triangulate(open).triangles.size());
}
