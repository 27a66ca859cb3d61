// SPDX-License-Identifier: GPL-3.0-or-later
// Files as the world writes them: whole ones in every dialect, and what is left of those that were cut short.
#include <bit>
#include <cstring>

#include <catch2/catch.hpp>

#include "core/boolean/combine.h"
#include "core/io/formats.h"
#include "core/io/mesh_file.h"
#include "core/io/package.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

const char* const facets[4] = {"0 0 0  0 1 0  1 0 0", "0 0 0  1 0 0  0 0 1", "1 0 0  0 1 0  0 0 1", "0 1 0  0 0 0  0 0 1"};

Result<Import> read_as(const TemporaryFolder& folder, const std::string& name, std::string_view text, bool points = false) {
  write_text(folder / name, text);
  return read_mesh(folder / name, points);
}

/// A corner of a cube, as an STL with these words around each facet.
std::string stl_text(const char* begin, const char* before, const char* vertex, const char* after, const char* end) {
  std::string text = begin;
  for (const char* facet : facets) {
    text += before;
    std::string_view rest(facet);
    for (int k = 0; k < 3; ++k) {
      const auto next = rest.find("  ");
      text += vertex + std::string(rest.substr(0, next));
      rest.remove_prefix(next == std::string_view::npos ? rest.size() : next + 2);
    }
    text += after;
  }
  return text + end;
}

void append_big(std::string& to, std::uint32_t value) {
  for (int k = 3; k >= 0; --k) to += static_cast<char>(value >> (8 * k) & 0xFF);
}
void append_big(std::string& to, float value) { append_big(to, std::bit_cast<std::uint32_t>(value)); }

bool has_note(const Import& import, const std::string& words) {
  return std::any_of(import.notes.begin(), import.notes.end(), [&](const std::string& note) { return note.find(words) != std::string::npos; });
}

}  // namespace

TEST_CASE("STL text in any case, on any lines, behind comments, with any line ends") {
  const TemporaryFolder folder;
  for (const std::string& text :
       {stl_text("solid a\n", "facet normal 0 0 1\nouter loop\n", "\nvertex ", "\nendloop\nendfacet\n", "endsolid a\n"),
        stl_text("SOLID A\n", "FACET NORMAL NaN NaN NaN\nOUTER LOOP\n", "\nVERTEX ", "\nENDLOOP\nENDFACET\n", "ENDSOLID A\n"),
        stl_text("Solid A\n", "Facet Normal 0 0 1 Outer Loop\n", "\nVertex ", "\nEndLoop EndFacet\n", "EndSolid A\n"),
        stl_text("# made by hand\n; really\nsolid a\n", "facet normal 0 0 1\nouter loop\n", "\nvertex ", "\nendloop\nendfacet\n", "endsolid a\n"),
        stl_text("solid a ", "facet normal 0 0 1 outer loop ", " vertex ", " endloop endfacet ", "endsolid a"),
        stl_text("solid a\r", "facet normal 0 0 1\router loop\r", "\rvertex ", "\rendloop\rendfacet\r", "endsolid a\r"),
        stl_text("solid a\r\n", "facet normal 0 0 1\r\nouter loop\r\n", "\r\nvertex ", "\r\nendloop\r\nendfacet\r\n", "endsolid a\r\n")}) {
    INFO(text.substr(0, 80));
    const auto read = read_as(folder, "a.stl", text);
    REQUIRE(read);
    CHECK(read->mesh.face_count() == 4);
    CHECK(read->mesh.positions.size() == 4);
    CHECK(std::abs(signed_volume(read->mesh)) == Approx(1.0 / 6));
    CHECK(read->notes.empty());
  }
}

TEST_CASE("of a binary STL that was cut short, or never counted, what is whole is read, and what is missing is said") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(stock("icosphere", {10, 2}), folder / "whole.stl"));
  const std::string whole = read_text(folder / "whole.stl");
  REQUIRE(whole.size() == 84 + 50 * 320);
  const auto counted = [&](std::uint32_t count, std::size_t size) {
    std::string bytes = whole.substr(0, size);
    std::memcpy(bytes.data() + 80, &count, 4);
    return read_as(folder, "cut.stl", bytes);
  };
  for (const std::uint32_t count : {0u, 0xFFFFFFFFu}) {
    const auto streamed = counted(count, whole.size());
    REQUIRE(streamed);
    CHECK(streamed->mesh.face_count() == 320);
    CHECK(check_soundness(streamed->mesh).sound);
    CHECK(has_note(*streamed, "does not say how many"));
  }
  const auto cut = counted(320, 84 + 50 * 200 + 17);
  REQUIRE(cut);
  CHECK(cut->mesh.face_count() == 200);
  CHECK(has_note(*cut, "120 are missing"));
  CHECK(has_note(*cut, "not whole"));
  CHECK_FALSE(counted(320, 84 + 20));
  // What is no STL at all is not taken for one.
  std::string junk(100'000, '\0');
  for (std::size_t k = 0; k < junk.size(); ++k) junk[k] = static_cast<char>(k * 2654435761u >> 13);
  CHECK_FALSE(read_as(folder, "junk.stl", junk));
}

TEST_CASE("PLY with values that mean nothing, points that are nowhere, strips, wide integers and faces first") {
  const TemporaryFolder folder;
  const auto odd = read_as(folder, "odd.ply",
                           "ply\nformat ascii 1.0\nelement vertex 5\nproperty float x\nproperty float y\nproperty float z\nproperty float quality\n"
                           "element face 3\nproperty list uint64 int64 vertex_indices\nend_header\n"
                           "0 0 0 nan\n1 0 0 -nan\n1 1 0 inf\n0 1 0 0\nnan 5 5 1\n3 0 1 2\n3 0 2 3\n3 0 1 4\n");
  REQUIRE(odd);
  CHECK(odd->mesh.positions.size() == 4);
  CHECK(odd->mesh.face_count() == 2);
  CHECK(has_note(*odd, "1 points"));
  CHECK(has_note(*odd, "1 faces"));
  const auto strips = read_as(folder, "strips.ply",
                              "ply\nformat ascii 1.0\nelement tristrips 1\nproperty list int int vertex_indices\n"
                              "element vertex 4\nproperty float x\nproperty float y\nproperty float z\nend_header\n"
                              "9 0 1 2 3 -1 3 2 1 0\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n");
  REQUIRE(strips);
  REQUIRE(strips->mesh.face_count() == 4);
  // A strip turns each other triangle over, so that all look the same way.
  CHECK(newell_normal(strips->mesh.positions, strips->mesh.face(0)).z() == 1);
  CHECK(newell_normal(strips->mesh.positions, strips->mesh.face(1)).z() == 1);
  const auto first = read_as(folder, "first.ply",
                             "ply\nformat ascii 1.0\nelement face 1\nproperty list uchar int vertex_indices\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nend_header\n"
                             "3 0 1 2\n0 0 0\n1 0 0\n0 1 0\n");
  REQUIRE(first);
  CHECK(first->mesh.face_count() == 1);
  CHECK_FALSE(read_as(folder, "beyond.ply",
                      "ply\nformat ascii 1.0\nelement face 1\nproperty list uchar int vertex_indices\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nend_header\n"
                      "3 0 1 3\n0 0 0\n1 0 0\n0 1 0\n"));
  const auto cloud = read_as(folder, "cloud.ply", "ply\rformat ascii 1.0\relement vertex 3\rproperty float x\rproperty float y\rproperty float z\rend_header\r0 0 0\rnan nan nan\r1 1 1\r", true);
  REQUIRE(cloud);
  CHECK(cloud->mesh.positions.size() == 2);
}

TEST_CASE("points as the world writes them: counts, headers, commas, semicolons, comments, any line end") {
  const TemporaryFolder folder;
  struct Case {
    const char *name, *text;
    std::size_t points;
  };
  for (const auto& [name, text, points] : {Case{"a.xyz", "0 0 0\r1 2 3\r4 5 6\r", 3}, Case{"a.pts", "3\n0 0 0 -1200 10 20 30\n1 2 3 -1 1 1 1\n4 5 6 0 0 0 0\n", 3},
                                           Case{"a.csv", "x,y,z\n0,0,0\n1,2,3\n4,5,6\n", 3}, Case{"b.csv", "id;X;Y;Z\n7;0,5;0;0\n8;1;2;3,25\n", 2},
                                           Case{"a.txt", "// made by hand\n0, 0, 0 // the first\n1,2,3\n", 2}, Case{"a.asc", "# points\n0\t0\t0\n1\t2\t3\n", 2},
                                           Case{"c.csv", "\"X\",\"Y\",\"Z\",\"Nx\",\"Ny\",\"Nz\"\n0,0,0,0,0,1\n1,2,3,1,0,0\n", 2}, Case{"n.xyz", "0 0 0\nnan 1 2\n1 1 1\n", 2}}) {
    INFO(name);
    const auto read = read_as(folder, name, text, true);
    REQUIRE(read);
    CHECK(read->mesh.positions.size() == points);
  }
  const auto by_name = read_as(folder, "b.csv", "id;X;Y;Z\n7;0,5;0;0\n8;1;2;3,25\n", true);
  CHECK(by_name->mesh.positions[0] == Vec3(0.5, 0, 0));
  CHECK(by_name->mesh.positions[1] == Vec3(1, 2, 3.25));
  CHECK(read_as(folder, "c.csv", "X,Y,Z,Nx,Ny,Nz\n0,0,0,0,0,1\n1,2,3,1,0,0\n", true)->mesh.normals.size() == 2);
  CHECK(has_note(*read_as(folder, "short.pts", "5\n0 0 0\n1 1 1\n", true), "5 points"));
  CHECK_FALSE(read_as(folder, "text.txt", "Dear reader,\nthis is a letter.\n", true));
  CHECK_FALSE(read_as(folder, "broken.xyz", "0 0 0\n1 2\n", true));
}

TEST_CASE("OFF in lower case, wrapped and binary") {
  const TemporaryFolder folder;
  const auto plain = read_as(folder, "p.off", "off 4 4 6\n0 0\n0\n1 0\n0\n0 1\n0\n0 0\n1\n3 0 2\n1\n3 0 1 3\n3 1 2\n3\n3 2 0 3\n");
  REQUIRE(plain);
  CHECK(plain->mesh.face_count() == 4);
  CHECK(signed_volume(plain->mesh) == Approx(1.0 / 6));
  // Several to a line, the number of edges in a line of its own or left out; and colours behind what has a line for itself.
  for (const char* text : {"off\n4 4\n6\n0 0 0 1 0 0\n0 1 0 0 0 1\n3 0 2 1\n3 0 1 3\n3 1 2 3\n3 2 0 3\n",
                           "OFF\n4 4\n0 0 0 1 0 0 0 1 0 0 0 1\n3 0 2 1 3 0 1 3 3 1 2 3 3 2 0 3\n",
                           "OFF\n4 4\n6\n0 0 0 9 9\n1 0 0 9 9\n0 1 0 9 9\n0 0 1 9 9\n3 0 2 1 255 0 0\n3 0 1 3\n3 1 2 3\n3 2 0 3 7\n"}) {
    CAPTURE(text);
    const auto read = read_as(folder, "w.off", text);
    REQUIRE(read);
    CHECK(read->mesh.face_count() == 4);
    CHECK(signed_volume(read->mesh) == Approx(1.0 / 6));
  }
  std::string binary = "COFF BINARY\n";
  for (const std::uint32_t count : {3u, 1u, 3u}) append_big(binary, count);
  for (int v = 0; v < 3; ++v) {
    for (const float x : {static_cast<float>(v == 1), static_cast<float>(v == 2), 0.0f}) append_big(binary, x);
    for (int k = 0; k < 4; ++k) append_big(binary, 1.0f);
  }
  for (const std::uint32_t word : {3u, 0u, 1u, 2u, 3u}) append_big(binary, word);
  for (int k = 0; k < 3; ++k) append_big(binary, 0.5f);
  const auto read = read_as(folder, "b.off", binary);
  REQUIRE(read);
  CHECK(read->mesh.face_count() == 1);
  CHECK(read->mesh.positions[1] == Vec3(1, 0, 0));
  CHECK_FALSE(read_as(folder, "cut.off", binary.substr(0, binary.size() - 6)));
}

TEST_CASE("OBJ tells what it leaves out, and material names keep # and blanks") {
  const TemporaryFolder folder;
  const auto read = read_as(folder, "m.obj",
                            "mtllib a.mtl\nv 0 0 0 1 0 0 # red\nv 1 0 0 0 1 0\nv 0 1 0 0 0 1\nusemtl oak #3 dark\nf 1 2 3\nusemtl #7\nf 3 2 1\n"
                            "cstype bspline\ndeg 3\ncurv 0 1 1 2 3\nsurf 0 1 0 1 1 2 3\nend\n");
  REQUIRE(read);
  REQUIRE(read->mesh.materials.names.size() == 2);
  CHECK(read->mesh.materials.names[0] == "oak #3 dark");
  CHECK(read->mesh.materials.names[1] == "#7");
  CHECK(has_note(*read, "2 free-form"));
  CHECK(has_note(*read, "colours of 3 vertices"));
}

TEST_CASE("3MF: mirrored items look outwards, supports are left out and told, unknown extensions are refused") {
  const TemporaryFolder folder;
  const std::string types =
      R"(<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/><Default Extension="png" ContentType="image/png"/></Types>)";
  // The package is about a picture as well, which stands first.
  const std::string relations =
      R"(<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="p" Target="/picture.png" Type="http://schemas.openxmlformats.org/package/2006/relationships/metadata/thumbnail"/><Relationship Id="m" Target="/3D/3dmodel.model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>)";
  const std::string corner =
      "<mesh><vertices><vertex x=\"0\" y=\"0\" z=\"0\"/><vertex x=\"3\" y=\"0\" z=\"0\"/><vertex x=\"0\" y=\"3\" z=\"0\"/><vertex x=\"0\" y=\"0\" z=\"3\"/></vertices>"
      "<triangles><triangle v1=\"0\" v2=\"2\" v3=\"1\"/><triangle v1=\"0\" v2=\"1\" v3=\"3\"/><triangle v1=\"1\" v2=\"2\" v3=\"3\"/><triangle v1=\"2\" v2=\"0\" v3=\"3\"/></triangles></mesh>";
  const auto model = [&](const std::string& attributes, const std::string& resources, const std::string& build) {
    REQUIRE(write_package(folder / "m.3mf", {{"[Content_Types].xml", types},
                                             {"_rels/.rels", relations},
                                             {"picture.png", "no picture"},
                                             {"3D/3dmodel.model", "<?xml version=\"1.0\" encoding=\"UTF-8\"?><model unit=\"millimeter\" xmlns=\"http://schemas.microsoft.com/3dmanufacturing/core/2015/02\"" + attributes +
                                                                      "><resources>" + resources + "</resources><build>" + build + "</build></model>"}}));
    return read_mesh(folder / "m.3mf");
  };
  const std::string object = "<object id=\"1\" type=\"model\" name=\"corner\">" + corner + "</object>";
  const auto plain = model("", object, "<item objectid=\"1\"/>");
  REQUIRE(plain);
  CHECK(signed_volume(plain->mesh) == Approx(4.5));
  // A negative determinant mirrors (3MF Core Specification; from memory).
  const auto mirrored = model("", object, "<item objectid=\"1\" transform=\"-1 0 0 0 1 0 0 0 1 10 0 0\"/>");
  REQUIRE(mirrored);
  CHECK(signed_volume(mirrored->mesh) == Approx(4.5));
  CHECK(check_soundness(mirrored->mesh).sound);
  const auto component = model("", object + "<object id=\"2\" type=\"model\"><components><component objectid=\"1\" transform=\"1 0 0 0 -1 0 0 0 1 0 0 0\"/></components></object>", "<item objectid=\"2\"/>");
  REQUIRE(component);
  CHECK(signed_volume(component->mesh) == Approx(4.5));
  const auto supported = model("", object + "<object id=\"2\" type=\"support\">" + corner + "</object><object id=\"3\" type=\"model\" name=\"second\">" + corner + "</object>",
                               "<item objectid=\"1\"/><item objectid=\"2\"/><item objectid=\"3\" transform=\"1 0 0 0 1 0 0 0 1 20 0 0\"/>");
  REQUIRE(supported);
  CHECK(supported->mesh.face_count() == 8);
  CHECK(has_note(*supported, "type support"));
  CHECK(has_note(*supported, "corner, second"));
  const auto strange = model(" xmlns:q=\"http://example.com/q\" requiredextensions=\"q\"", object, "<item objectid=\"1\"/>");
  REQUIRE_FALSE(strange);
  CHECK(strange.issue().what.find("\"q\"") != std::string::npos);
  CHECK(model(" xmlns:m=\"http://schemas.microsoft.com/3dmanufacturing/material/2015/02\" requiredextensions=\"m\"", object, "<item objectid=\"1\"/>").ok());
}

TEST_CASE("3MF is written with an object for each part, its name, its colour and a title, and is XML whatever they are called") {
  const TemporaryFolder folder;
  WriteSettings settings;
  settings.title = "A & B <\"job\"> \xE4";
  settings.parts = {{"First <&> \"part\"", 0x123456, cube(2)}, {"bytes \xFF\x01", 0xABCDEF, placed(cube(2), {9, 0, 0})}};
  Mesh both = cube(2);
  append(both, placed(cube(2), {9, 0, 0}));
  REQUIRE(write_mesh(both, folder / "parts.3mf", nullptr, settings));
  const std::string model = Package(folder / "parts.3mf", "a 3MF file").read("3D/3dmodel.model");
  write_text(folder / "model.xml", model);
  // xmllint is the judge of whether it is XML.
  CHECK(std::system(("xmllint --noout " + (folder / "model.xml").string()).c_str()) == 0);
  CHECK(model.find("name=\"First &lt;&amp;&gt; &quot;part&quot;\"") != std::string::npos);
  CHECK(model.find("#123456FF") != std::string::npos);
  CHECK(model.find("#ABCDEFFF") != std::string::npos);
  CHECK(model.find("<metadata name=\"Title\">A &amp; B &lt;&quot;job&quot;&gt; \\xE4</metadata>") != std::string::npos);
  const auto back = read_mesh(folder / "parts.3mf");
  REQUIRE(back);
  CHECK(back->mesh.face_count() == 24);
  CHECK(signed_volume(back->mesh) == Approx(16));
  CHECK(back->mesh.materials.empty());
}

TEST_CASE("what 32 bits cannot hold of a solid is told, with its place and how far it reached") {
  const TemporaryFolder folder;
  // A block with a fin that is thinner than the steps of 32 bits at its place; far from the origin, where these are coarse.
  Mesh block = placed(stock("box", {10, 10, 10}), {100, 0, 0});
  const Mesh fin = placed(stock("box", {1e-6, 4, 40}), {100, 0, 0});
  const auto both = combine({{shared(block), "block"}, {shared(fin), "fin", Operation::unite}}, {}, {0});
  REQUIRE(both);
  REQUIRE(bounds(both->mesh).size().z() == Approx(40));
  std::vector<std::string> notes;
  REQUIRE(write_mesh(both->mesh, folder / "fin.stl", &notes));
  const auto back = read_mesh(folder / "fin.stl");
  REQUIRE(back);
  CHECK(check_soundness(back->mesh).sound);
  if (bounds(back->mesh).size().z() < 39) {
    std::string all;
    for (const std::string& note : notes) all += note + "\n";
    INFO(all);
    CHECK(all.find("left out") != std::string::npos);
    CHECK(all.find("15 mm") != std::string::npos);
  }
}
