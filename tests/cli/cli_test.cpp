// SPDX-License-Identifier: GPL-3.0-or-later
// The contract of docs/cli.md, through the real program.
#include <nlohmann/json.hpp>

#include <set>

#include "core/io/mesh_file.h"
#include "core/io/package.h"
#include "core/stock/primitive.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/cli/program.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;
using nlohmann::json;

namespace {

std::vector<std::string> keys(const nlohmann::ordered_json& object) {
  std::vector<std::string> names;
  for (const auto& item : object.items()) names.push_back(item.key());
  return names;
}

}  // namespace

TEST_CASE("check gives the object of the contract, key by key, and exit code 0 for a sound cube") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "x.stl"));
  const Run run = cli(folder, "check x.stl --json -");
  CHECK(run.code == 0);
  CHECK(run.err.empty());
  const auto report = nlohmann::ordered_json::parse(run.out);
  CHECK(keys(report) == std::vector<std::string>{"file", "vertices", "triangles", "polygons", "shells",
                                                 "sound", "volume", "area", "bounds", "genus", "defects",
                                                 "notes"});
  CHECK(keys(report["defects"]) ==
        std::vector<std::string>{"open_edges", "holes", "non_manifold_edges", "non_manifold_vertices",
                                 "flipped_faces", "crossing_faces", "zero_length_edges", "zero_area_faces",
                                 "doubled_faces", "inner_walls", "unwelded_vertices", "stray_shells", "fins", "t_junctions", "loose_vertices"});
  CHECK(
      report ==
      nlohmann::ordered_json::parse(
          R"({"file":"x.stl","vertices":8,"triangles":12,"polygons":12,"shells":1,"sound":true,"volume":8.0,"area":24.0,
          "bounds":[[-1.0,-1.0,-1.0],[1.0,1.0,1.0]],"genus":0,
          "defects":{"open_edges":0,"holes":0,"non_manifold_edges":0,"non_manifold_vertices":0,"flipped_faces":0,
          "crossing_faces":0,"zero_length_edges":0,"zero_area_faces":0,"doubled_faces":0,"inner_walls":0,
          "unwelded_vertices":0,"stray_shells":0,"fins":0,"t_junctions":0,"loose_vertices":0},
          "notes":{"contact_edges":0,"short_edges":0,"needles":0,"caps":0,"non_planar_faces":0,"concave_faces":0,"ngons":0}})"));
}

TEST_CASE("check of several files gives an array and code 1 when one is not sound") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "good.ply"));
  REQUIRE(write_mesh(without_faces(cube(2), {0}), folder / "open.obj"));
  const Run run = cli(folder, "check good.ply open.obj --json report.json");
  CHECK(run.code == 1);
  CHECK(run.out.find("open.obj: Not sound: 1 hole") != std::string::npos);
  const json report = json::parse(std::ifstream(folder / "report.json"));
  REQUIRE(report.size() == 2);
  CHECK(report[0]["sound"] == true);
  CHECK(report[1]["defects"]["holes"] == 1);
  CHECK(report[1]["defects"]["open_edges"] == 4);
}

TEST_CASE("combine carries out all three operations, difference being A minus all the others") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "a.obj"));
  REQUIRE(write_mesh(placed(cube(2), {1, 0.25, 0.125}), folder / "b.ply"));
  REQUIRE(write_mesh(placed(cube(2), {-1, -0.5, 0.25}), folder / "c.off"));
  const double ab = 1 * 1.75 * 1.875, ac = 1 * 1.5 * 1.75;  // b and c do not meet inside a
  auto volume = [&](const std::string& operation, const std::string& files) {
    const Run run = cli(folder, "combine --op " + operation + " " + files + " -o out.ply --json -");
    CHECK(run.code == 0);
    CHECK(run.err.empty());
    const json result = json::parse(run.out);
    CHECK(result["result"]["sound"] == true);
    CHECK(result["report"]["seconds"]["compute"].get<double>() > 0);
    CHECK(result["report"]["stages"].is_object());
    CHECK(result["report"]["done"].is_array());
    CHECK(result["input"].size() == static_cast<std::size_t>(2 + (files.size() > 12)));
    return result["result"]["volume"].get<double>();
  };
  CHECK(volume("difference", "a.obj b.ply c.off") == Approx(8 - ab - ac).epsilon(1e-9));
  CHECK(volume("union", "a.obj b.ply") == Approx(16 - ab).epsilon(1e-9));
  CHECK(volume("intersection", "a.obj b.ply") == Approx(ab).epsilon(1e-9));
}

TEST_CASE("pieces go to a file each where the name says so, and all operations are known") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "a.off"));
  REQUIRE(write_mesh(placed(cube(2), {1, 0.5, 0.25}), folder / "b.off"));
  REQUIRE(write_mesh(placed(stock("sheet", {9, 9, 1, 1}), {0, 0, 0.5}), folder / "sheet.off"));
  const Run split = cli(folder, "combine --op split a.off sheet.off b.off -o piece-{}.stl --json -");
  CHECK(split.code == 0);
  const json report = json::parse(split.out);
  REQUIRE(report["result"].size() == 4);
  double volume = 0;
  for (const json& piece : report["result"]) {
    CHECK(piece["sound"] == true);
    CHECK(std::filesystem::exists(folder / piece["file"].get<std::string>()));
    volume += piece["volume"].get<double>();
  }
  CHECK(volume == Approx(8));
  // The cubes of side 2 share 1 × 1.5 × 1.75; all is judged by the numbers in the report and the files that came.
  const double common = 1 * 1.5 * 1.75;
  auto volumes = [&](const std::string& arguments, int code) {
    const Run run = cli(folder, "combine " + arguments + " --json -");
    CHECK(run.code == code);
    std::vector<double> found;
    const json result = json::parse(run.out)["result"];
    for (const json& one : result.is_array() ? result : json::array({result})) {
      const auto mesh = read_mesh(folder / one["file"].get<std::string>());
      REQUIRE(mesh);
      CHECK(signed_volume(mesh->mesh) == Approx(one["volume"].is_null() ? signed_volume(mesh->mesh) : one["volume"].get<double>()).epsilon(1e-6));
      found.push_back(signed_volume(mesh->mesh));
    }
    return found;
  };
  const auto parted = volumes("--op partition a.off b.off -o part{}.ply", 0);
  REQUIRE(parted.size() == 3);
  CHECK(parted[0] == Approx(8 - common).epsilon(1e-6));
  CHECK(parted[1] == Approx(common).epsilon(1e-6));
  CHECK(parted[2] == Approx(8 - common).epsilon(1e-6));
  const auto inlaid = volumes("--op inlay a.off b.off -o inlay{}.obj", 0);
  REQUIRE(inlaid.size() == 2);
  CHECK(inlaid[0] == Approx(8 - common).epsilon(1e-9));
  CHECK(inlaid[1] == Approx(8).epsilon(1e-9));
  const auto scored = volumes("--op score a.off b.off -o score.off --faces polygons", 0);
  REQUIRE(scored.size() == 1);
  CHECK(scored[0] == Approx(8).epsilon(1e-9));
  const auto scored_mesh = read_mesh(folder / "score.off");
  CHECK(surface_area(scored_mesh->mesh) == Approx(24).epsilon(1e-9));
  CHECK(scored_mesh->mesh.face_count() == 9);  // three of the six faces come in two
  // Open on purpose, overlapping, and touching along a face: done, but not sound.
  const double walls_inside = 1 * 1.5 + 1 * 1.75 + 1.5 * 1.75;  // of either cube within the other
  (void)volumes("--op trim-inside a.off b.off -o out.off", 1);
  CHECK(surface_area(read_mesh(folder / "out.off")->mesh) == Approx(24 - walls_inside).epsilon(1e-9));
  (void)volumes("--op trim-outside a.off b.off -o out.off", 1);
  CHECK(surface_area(read_mesh(folder / "out.off")->mesh) == Approx(walls_inside).epsilon(1e-9));
  CHECK(volumes("--op gather a.off b.off -o out.off", 1) == std::vector<double>{16});
  CHECK(volumes("--op partition a.off b.off -o out.off", 1)[0] == Approx(16 - common).epsilon(1e-9));
  // Contact closes a gap of a hair's breadth, and can be turned off.
  REQUIRE(write_mesh(placed(cube(2), {2 + 1e-8, 0, 0}), folder / "near.off"));
  auto shells = [&](const char* contact) {
    return json::parse(cli(folder, std::string("combine --op union a.off near.off -o out.off --json - ") + contact).out)["result"]["shells"];
  };
  CHECK(shells("") == 1);
  CHECK(shells("--contact 0") == 2);
  CHECK(shells("--contact 1e-9") == 2);
}

TEST_CASE("mend tells its plan without writing, mends all or only what is named, and reports before, after and deviation") {
  const TemporaryFolder folder;
  // A cube without a face, and with a face twice.
  Mesh mesh = without_faces(cube(2), {0});
  std::vector<Index> ring(mesh.face(0).begin(), mesh.face(0).end());  // across from the hole
  mesh.add_face(ring);
  REQUIRE(write_mesh(mesh, folder / "bad.off", nullptr, {FacesWritten::polygons}));
  const Run plan = cli(folder, "mend bad.off --plan --json plan.json");
  CHECK(plan.code == 0);
  CHECK(plan.out.find("1. take out 1 face that lies on another") != std::string::npos);
  CHECK(plan.out.find("2. close 1 hole, boundary 8 mm") != std::string::npos);
  CHECK(plan.out.find("then: Sound") != std::string::npos);
  CHECK(folder.file_count() == 2);
  const json planned = json::parse(std::ifstream(folder / "plan.json"));
  CHECK(planned["plan"].size() == 2);
  CHECK(planned["plan"][1]["mender"] == "holes");

  const Run all = cli(folder, "mend bad.off -o good.off --json -");
  CHECK(all.code == 0);
  const json report = json::parse(all.out);
  CHECK(report["input"] == json::array({"bad.off"}));
  CHECK(report["before"]["defects"]["holes"] == 1);
  CHECK(report["result"]["sound"] == true);
  CHECK(report["result"]["volume"] == 8.0);
  CHECK(report["deviation"]["max"].get<double>() == Approx(1).margin(0.02));  // from the middle of the new face to the nearest edge of the old surface
  CHECK(report["deviation"]["mean"].get<double>() > 0);
  CHECK(report["report"]["done"].size() == 2);
  CHECK(read_mesh(folder / "good.off")->mesh.face_count() == 6);

  const Run some = cli(folder, "mend bad.off -o some.off --only holes --json -");
  CHECK(some.code == 1);
  const json left = json::parse(some.out)["result"]["defects"];
  CHECK(left["holes"] == 0);
  CHECK(left["doubled_faces"] > 0);
  CHECK(cli(folder, "mend bad.off -o kept.off --set longest-hole=7").code == 1);

  // What cannot be done is said in one line, and nothing is written.
  for (const char* wrong : {"mend bad.off", "mend bad.off -o out.xyzzy", "mend bad.off -o out.off --only rust", "mend bad.off -o out.off --set tolerance=-1",
                            "mend missing.off -o out.off", "mend bad.off -o out.off --set solid=maybe"}) {
    INFO(wrong);
    const Run run = cli(folder, wrong);
    CHECK(run.code == 2);
    CHECK(std::count(run.err.begin(), run.err.end(), '\n') == 1);
    CHECK_FALSE(std::filesystem::exists(folder / "out.off"));
  }
}

TEST_CASE("convert keeps polygons and doubles, and reads and writes jobs") {
  const TemporaryFolder folder;
  const Mesh mesh = placed(stock("prism", {3, 2, 7}), {0.1, 0.2, 0.3}, {1, 2, 3});
  REQUIRE(write_mesh(mesh, folder / "a.obj"));
  CHECK(cli(folder, "convert a.obj b.off").code == 0);
  CHECK(cli(folder, "convert b.off c.anvil").code == 0);
  CHECK(cli(folder, "convert c.anvil d.ply").code == 0);
  const auto back = read_mesh(folder / "d.ply");
  REQUIRE(back);
  CHECK(back->mesh.positions == mesh.positions);
  CHECK(back->mesh.corners == mesh.corners);
  CHECK(cli(folder, "convert d.ply e.3mf").code == 0);
  CHECK(cli(folder, "check e.3mf").code == 0);
}

TEST_CASE("run carries out a job's recipes") {
  const TemporaryFolder folder;
  Part plate, drill;
  plate.name = "Plate";
  plate.source = Primitive::of("box", {40, 40, 10});
  drill.name = "Drill";
  drill.source = Primitive::of("box", {10, 10, 30});
  const Job job =
      *edit::combine(edit::add_part(edit::add_part(Job{}, plate), drill), 1, {2}, Operation::difference);
  REQUIRE(save_job(job, folder / "job.anvil"));
  const Run all = cli(folder, "run job.anvil -o out.stl --json -");
  CHECK(all.code == 0);
  CHECK(json::parse(all.out)["result"]["volume"].get<double>() == Approx(15000));
  CHECK(json::parse(cli(folder, "run job.anvil --part Drill -o out.stl --json -").out)["result"]["volume"]
            .get<double>() == Approx(3000));
  CHECK(json::parse(cli(folder, "check job.anvil --json -").out)["genus"] == 1);
  const Run missing = cli(folder, "run job.anvil --part Nobody -o gone.stl");
  CHECK(missing.code == 2);
  CHECK_FALSE(std::filesystem::exists(folder / "gone.stl"));
}

TEST_CASE("bad input and usage: code 2, one line on standard error, no output file") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "a.stl"));
  write_text(folder / "bad.off", "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 9\n");
  write_text(folder / "sheet.off", "OFF\n4 1 0\n0 -5 -5\n0 5 -5\n0 5 5\n0 -5 5\n4 0 1 2 3\n");
  const std::size_t before = folder.file_count();
  for (const char* arguments :
       {"check", "check missing.stl", "check bad.off", "combine --op difference a.stl bad.off -o out.stl",
        "combine --op melt a.stl a.stl -o out.stl", "combine --op union a.stl -o out.stl",
        "combine --op union a.stl a.stl", "combine --op union a.stl sheet.off -o out.stl",
        "combine --op union a.stl a.stl -o out{}.stl", "combine --op split a.stl a.stl -o p{}.stl --contact -1",
        "combine --op union a.stl a.stl -o out.xyz", "convert a.stl out.xyz", "convert a.stl nowhere/out.stl",
        "frobnicate", "", "check a.stl --colour"}) {
    INFO(arguments);
    const Run run = cli(folder, arguments);
    CHECK(run.code == 2);
    is_one_line(run.err);
    CHECK(run.out.empty());
  }
  CHECK(folder.file_count() == before);
  CHECK(cli(folder, "check bad.off").err.find("bad.off: line 6") != std::string::npos);
  CHECK(
      cli(folder, "combine --op union a.stl sheet.off -o out.stl").err.find("sheet.off: it bounds nothing") !=
      std::string::npos);
}

TEST_CASE("an empty result has a code of its own, its reason, and writes nothing") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(1), folder / "small.stl"));
  REQUIRE(write_mesh(cube(3), folder / "large.stl"));
  const Run run = cli(folder, "combine --op difference small.stl large.stl -o out.stl");
  CHECK(run.code == 3);
  CHECK(run.err.find("covers the whole part") != std::string::npos);
  CHECK_FALSE(std::filesystem::exists(folder / "out.stl"));
}

TEST_CASE("version and help are given on standard output with code 0") {
  const TemporaryFolder folder;
  CHECK(cli(folder, "--version").out.starts_with("clean-anvil-cli "));
  CHECK(cli(folder, "--help").code == 0);
  for (const char* subcommand : {"check", "combine", "run", "convert"}) {
    const Run run = cli(folder, std::string(subcommand) + " --help");
    CHECK(run.code == 0);
    CHECK(run.out.find("--help") != std::string::npos);
  }
}

TEST_CASE("combine carries the materials of OBJ files to the result") {
  const TemporaryFolder folder;
  Mesh part = cube(4), tool = placed(cube(2), {2, 0, 0});
  part.materials = {{"hull paint"}, std::vector<Index>(6, 0)};
  tool.materials = {{"bare"}, std::vector<Index>(6, 0)};
  REQUIRE(write_mesh(part, folder / "a.obj"));
  REQUIRE(write_mesh(tool, folder / "b.obj"));
  CHECK(cli(folder, "combine --op difference a.obj b.obj -o c.obj").code == 0);
  const auto back = read_mesh(folder / "c.obj");
  REQUIRE(back);
  CHECK(back->mesh.materials.names == std::vector<std::string>{"hull paint", "bare"});
  CHECK(std::count(back->mesh.materials.of_face.begin(), back->mesh.materials.of_face.end(), 1) == 5);
}

TEST_CASE("steps lists every kind of step and stock with its fields, as text and as JSON") {
  const TemporaryFolder folder;
  const Run all = cli(folder, "steps --json -");
  CHECK(all.code == 0);
  const json list = json::parse(all.out);
  std::set<std::string> listed;
  for (const json& item : list) listed.insert(item["key"]);
  for (const StepKind* kind : step_table()) CHECK(listed.count(kind->key) == 1);
  for (const StockKind& kind : stock_table()) CHECK(listed.count(kind.key) == 1);
  const json cut = json::parse(cli(folder, "steps plane-cut --json -").out);
  CHECK(cut["what"] == "step");
  std::vector<std::string> fields;
  for (const json& field : cut["fields"]) fields.push_back(field["key"]);
  CHECK(fields == std::vector<std::string>{"point", "normal", "keep", "cap"});
  CHECK(cut["fields"][2]["choices"] == json({"above", "below", "both"}));
  CHECK(cut["fields"][0]["what"] == "point");
  CHECK(cut["fields"][0]["initial"] == json({0.0, 0.0, 0.0}));
  const json mirror = json::parse(cli(folder, "steps mirror --json -").out);
  fields.clear();
  for (const json& field : mirror["fields"]) fields.push_back(field["key"]);
  CHECK(fields == std::vector<std::string>{"point", "normal", "how", "weld"});
  CHECK(mirror["fields"][3]["unit"] == "mm");
  CHECK(mirror["fields"][3]["range"] == json({0.0, 1e6}));
  const Run text = cli(folder, "steps torus");
  CHECK(text.out.find("tube") != std::string::npos);
  CHECK(text.out.find("initially 10") != std::string::npos);
  const Run unknown = cli(folder, "steps melt");
  CHECK(unknown.code == 2);
  is_one_line(unknown.err);
}

TEST_CASE("make writes every kind of stock, and refuses values with the range named") {
  const TemporaryFolder folder;
  for (const StockKind& kind : stock_table()) {
    INFO(kind.key);
    const Run run = cli(folder, "make " + kind.key + " -o " + kind.key + ".obj --faces polygons --json -");
    CHECK(run.code == (kind.key == "sheet" ? 1 : 0));
    const Mesh expected = *make_mesh(Primitive::of(kind.key));
    const auto back = read_mesh(folder / (kind.key + ".obj"));
    REQUIRE(back);
    CHECK(back->mesh.positions == expected.positions);
    CHECK(back->mesh.corners == expected.corners);
  }
  const Run sized = cli(folder, "make box -o b.stl --set x=62.5 --set y=10+2 --json -");
  CHECK(json::parse(sized.out)["result"]["volume"] == 62.5 * 12 * 20);
  for (const auto& [arguments, says] : std::vector<std::pair<std::string, std::string>>{
           {"make torus -o t.stl --set tube=50", "below the ring diameter"},
           {"make box -o t.stl --set x=-1", "1000000 mm"},
           {"make box -o t.stl --set w=1", "x, y, z"},
           {"make box -o t.stl --set x", "x=VALUE"},
           {"make blob -o t.stl", "star-prism"}}) {
    const Run run = cli(folder, arguments);
    INFO(run.err);
    CHECK(run.code == 2);
    is_one_line(run.err);
    CHECK(run.err.find(says) != std::string::npos);
    CHECK_FALSE(std::filesystem::exists(folder / "t.stl"));
  }
}

TEST_CASE("apply carries out every kind of step on files") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "a.obj"));
  REQUIRE(write_mesh(placed(cube(2), {1, 0, 0}), folder / "b.obj"));
  auto volume = [&](const std::string& arguments) {
    const Run run = cli(folder, "apply " + arguments + " --json -");
    INFO(run.err);
    REQUIRE(run.code == 0);
    const json object = json::parse(run.out);
    CHECK(object["report"]["seconds"].contains("check"));
    CHECK(object["result"]["sound"] == true);
    return object["result"]["volume"].get<double>();
  };
  CHECK(volume("plane-cut a.obj -o out.obj --set point=0.5,0,0 --set normal=1,0,0 --set keep=above") == Approx(2));
  CHECK(volume("plane-cut a.obj -o out.obj --set normal=0,0,-1") == Approx(4));
  CHECK(volume("mirror a.obj -o out.stl --set point=-0.5,0,0 --set normal=-1,0,0") == Approx(12));
  CHECK(volume("mirror b.obj -o out.3mf --set how=copy") == Approx(16));
  CHECK(volume("combine a.obj b.obj -o out.off") == Approx(4));
  CHECK(volume("combine a.obj b.obj -o out.off --set operation=union --set contact=off") == Approx(12));
  const Run pieces = cli(folder, "apply plane-cut a.obj -o 'piece-{}.stl' --set keep=both --json -");
  CHECK(pieces.code == 0);
  CHECK(json::parse(pieces.out)["result"].size() == 2);
  CHECK(bounds(read_mesh(folder / "piece-1.stl")->mesh).lo.z() == 0);
  CHECK(bounds(read_mesh(folder / "piece-2.stl")->mesh).hi.z() == 0);
  const Run open = cli(folder, "apply plane-cut a.obj -o open.obj --set cap=off --json -");
  CHECK(open.code == 1);
  CHECK(json::parse(open.out)["result"]["defects"]["holes"] == 1);
  const Run nothing = cli(folder, "apply plane-cut a.obj -o nothing.obj --set point=0,0,9 --set keep=above");
  CHECK(nothing.code == 3);
  CHECK(nothing.err.find("below the plane") != std::string::npos);
  CHECK_FALSE(std::filesystem::exists(folder / "nothing.obj"));
  for (const auto& [arguments, says] : std::vector<std::pair<std::string, std::string>>{
           {"melt a.obj -o x.obj", "plane-cut"},
           {"mirror a.obj b.obj -o x.obj", "takes no tools"},
           {"combine a.obj -o x.obj", "needs tools"},
           {"mirror a.obj -o x.obj --set normal=0,0,0", "points nowhere"},
           {"mirror a.obj -o x.obj --set how=thrice", "half or copy"},
           {"fill a.obj -o x.obj", "--set \"chosen=edges at x,y,z"},
           {"push a.obj -o x.obj", "--set \"chosen=faces at x,y,z"},
           {"mirror a.obj -o x.xyz", ".stl"}}) {
    const Run run = cli(folder, "apply " + arguments);
    INFO(run.err);
    CHECK(run.code == 2);
    is_one_line(run.err);
    CHECK(run.err.find(says) != std::string::npos);
  }
}

TEST_CASE("what a step tells stands on standard error, unless a report was asked for") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(without_faces(cube(2), {0}), folder / "open.obj"));
  const Run told = cli(folder, "apply recast open.obj -o out.obj --set detail=0.3");
  CHECK(told.code == 0);
  CHECK(told.err.find("note: out.obj: holes were spanned") != std::string::npos);
  const Run reported = cli(folder, "apply recast open.obj -o out.obj --set detail=0.3 --json -");
  CHECK(reported.err.empty());
  CHECK(reported.out.find("holes_spanned") != std::string::npos);
  // Only what may be trouble is told.
  REQUIRE(write_mesh(cube(2), folder / "a.obj"));
  CHECK(cli(folder, "apply reduce a.obj -o out.obj").err.empty());
}

TEST_CASE("run sets fields of sources and steps, and writes a file per piece") {
  const TemporaryFolder folder;
  Part plate;
  plate.name = "Plate";
  plate.source = Primitive::of("box", {40, 40, 10});
  Job job = edit::add_part(Job{}, plate);
  job = *edit::add_step(job, 1, new_step(steps::plane_cut));
  REQUIRE(save_job(job, folder / "a.anvil"));
  auto volume = [&](const std::string& set) { return json::parse(cli(folder, "run a.anvil -o out.stl --json - " + set).out)["result"]["volume"].get<double>(); };
  CHECK(volume("") == Approx(8000));
  CHECK(volume("--set Plate/source.z=20 --set Plate/plane-cut.point=0,0,5") == Approx(40 * 40 * 15));
  CHECK(volume("--set Plate/1.keep=above --set Plate/1.normal=1,0,0") == Approx(8000));
  const Run pieces = cli(folder, "run a.anvil -o 'p{}.stl' --set Plate/plane-cut.keep=both --json -");
  CHECK(pieces.code == 0);
  CHECK(json::parse(pieces.out)["result"].size() == 2);
  CHECK(std::filesystem::exists(folder / "p2.stl"));
  for (const char* bad : {"Plate.z=1", "Plate/source.w=1", "Plate/melt.x=1", "Lid/source.x=1", "Plate/source.x=0"}) {
    const Run run = cli(folder, std::string("run a.anvil -o no.stl --set ") + bad);
    INFO(run.err);
    CHECK(run.code == 2);
    is_one_line(run.err);
    CHECK_FALSE(std::filesystem::exists(folder / "no.stl"));
  }
}

TEST_CASE("an output that was there stays as it was unless a whole new one takes its place") {
  // Found by trying: 1 micrometre cubes 1 km away fall together in an STL; the old file was gone all the same.
  const TemporaryFolder folder;
  auto tiny = [](double at) { return placed(stock("box", {1e-6, 1e-6, 1e-6}), {1e6 + at, 0, 0}); };
  REQUIRE(write_mesh(tiny(0), folder / "a.obj"));
  REQUIRE(write_mesh(tiny(5e-6), folder / "b.obj"));
  write_text(folder / "out.stl", "precious");
  const Run run = cli(folder, "combine --op union a.obj b.obj -o out.stl");
  INFO(run.err);
  CHECK(run.code == 2);
  is_one_line(run.err);
  std::ifstream in(folder / "out.stl");
  CHECK(std::string(std::istreambuf_iterator<char>(in), {}) == "precious");
  CHECK(folder.file_count() == 3);  // nothing half-written beside them
}

TEST_CASE("a report that cannot be written is told before anything else is done") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(1), folder / "a.stl"));
  for (const char* command : {"check a.stl", "make box -o out.stl", "apply mirror a.stl -o out.stl", "combine --op union a.stl a.stl -o out.stl"}) {
    const Run run = cli(folder, std::string(command) + " --json no/where.json");
    CHECK(run.code == 2);
    is_one_line(run.err);
    CHECK(run.err.find("no/where.json") != std::string::npos);
    CHECK(run.out.empty());
    CHECK_FALSE(std::filesystem::exists(folder / "out.stl"));
  }
}

TEST_CASE("a full disk on standard output is an error") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(1), folder / "a.stl"));
  for (const char* command : {"check a.stl --json -", "check a.stl", "steps"}) {
    const std::string base = (folder / "").string();
    const int status = std::system(("cd " + base + " && " CLI_PROGRAM " " + command + " > /dev/full 2> err.txt").c_str());
    CHECK(WEXITSTATUS(status) == 2);
  }
}

TEST_CASE("names that are not UTF-8 are escaped in the report") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(1), folder / "gr\xF6\xDF" "e \xC3\xA4.stl"));
  const Run run = cli(folder, "check 'gr\xF6\xDF" "e \xC3\xA4.stl' --json -");
  CHECK(run.code == 0);
  CHECK(json::parse(run.out)["file"] == "gr\\xF6\\xDFe \xC3\xA4.stl");
}

TEST_CASE("coordinates work over the whole range that is documented, and are refused beyond it") {
  const TemporaryFolder folder;
  for (const double size : {1e-29, 1e-12, 1e12, 0.9e30}) {
    INFO(size);
    Mesh mesh = cube(2);
    for (Vec3& p : mesh.positions) p *= size;
    Mesh other = mesh;
    for (Vec3& p : other.positions) p.x() *= 0.5;
    REQUIRE(write_mesh(mesh, folder / "a.obj"));
    REQUIRE(write_mesh(other, folder / "b.obj"));
    const Run run = cli(folder, "combine --op intersection a.obj b.obj -o out.obj --json -");
    INFO(run.err);
    CHECK(run.code == 0);
    CHECK(json::parse(run.out)["result"]["sound"] == true);
  }
  for (const auto& [size, says] : std::vector<std::pair<double, std::string>>{{1e160, "1e+30"}, {1e110, "1e+30"}, {1.1e30, "1e+30"}, {1e-120, "1e-30"}, {1e-31, "1e-30"}}) {
    Mesh mesh = cube(2);
    for (Vec3& p : mesh.positions) p *= size;
    REQUIRE(write_mesh(mesh, folder / "bad.obj"));
    for (const char* command : {"check bad.obj", "combine --op union bad.obj bad.obj -o x.obj", "apply mirror bad.obj -o x.obj"}) {
      const Run run = cli(folder, command);
      INFO(run.err);
      CHECK(run.code == 2);
      is_one_line(run.err);
      CHECK(run.err.find("bad.obj") != std::string::npos);
      CHECK(run.err.find(says) != std::string::npos);
    }
  }
}

#ifndef __SANITIZE_ADDRESS__  // whose shadow memory alone is larger than any limit
TEST_CASE("hostile files are refused within a small address space") {
  // Under the limit, honouring any of these counts ends the program by a signal or by its memory message.
  const TemporaryFolder folder;
  std::string stl(84, '\0');
  stl[80] = stl[81] = stl[82] = stl[83] = '\xF0';
  write_text(folder / "huge.stl", stl);
  write_text(folder / "huge.off", "OFF\n99999999999 99999999999 0\n0 0 0\n");
  write_text(folder / "list.off", "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n2000000000 0 1 2\n");
  write_text(folder / "huge.ply", "ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty float x\nproperty float y\nproperty float z\nend_header\nabcd");
  for (const char* file : {"huge.stl", "huge.off", "list.off", "huge.ply"}) {
    const std::string base = (folder / "").string();
    const int status = std::system(("cd " + base + " && ( ulimit -v 400000; " CLI_PROGRAM " check " + file + " 2> err.txt )").c_str());
    INFO(file);
    CHECK(WEXITSTATUS(status) == 2);
    std::ifstream in(folder / "err.txt");
    const std::string error(std::istreambuf_iterator<char>(in), {});
    is_one_line(error);
    CHECK(error.find("not enough memory") == std::string::npos);
    CHECK(error.find(file) != std::string::npos);
  }
}
#endif

TEST_CASE("nested 3MF components ask for no more than a multiple of the file") {
  const TemporaryFolder folder;
  // Ten objects, each made of six of the one before: 6^6 boxes by 1 kB of text.
  std::string model = R"(<?xml version="1.0" encoding="UTF-8"?><model unit="millimeter" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>)"
                      R"(<object id="1" type="model"><mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/><vertex x="0" y="0" z="1"/></vertices>)"
                      R"(<triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="2" v2="0" v3="3"/></triangles></mesh></object>)";
  for (int level = 2; level <= 8; ++level) {
    model += "<object id=\"" + std::to_string(level) + "\" type=\"model\"><components>";
    for (int k = 0; k < 6; ++k) model += "<component objectid=\"" + std::to_string(level - 1) + "\"/>";
    model += "</components></object>";
  }
  model += R"(</resources><build><item objectid="8"/></build></model>)";
  const std::string types = R"(<?xml version="1.0" encoding="UTF-8"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>)";
  const std::string relations = R"(<?xml version="1.0" encoding="UTF-8"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="m" Target="/3D/3dmodel.model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>)";
  REQUIRE(write_package(folder / "nested.3mf", {{"[Content_Types].xml", types}, {"_rels/.rels", relations}, {"3D/3dmodel.model", model}}));
  const Run run = cli(folder, "check nested.3mf");
  INFO(run.err);
  CHECK(run.code == 2);
  is_one_line(run.err);
  CHECK(run.err.find("64 for each byte") != std::string::npos);
}

TEST_CASE("polygons are written so that every reader cuts them into a sound mesh, unless they are asked for as they are") {
  const TemporaryFolder folder;
  // The ends of a star are concave: a fan from an inner corner covers the air between its points.
  REQUIRE(cli(folder, "make star-prism -o as-they-are.off --faces polygons").code == 0);
  CHECK(cli(folder, "check as-they-are.off").code == 0);
  const Run harsh = cli(folder, "check as-they-are.off --any-reader --json -");
  CHECK(harsh.code == 1);
  CHECK(json::parse(harsh.out)["defects"]["crossing_faces"] > 0);
  for (const char* ending : {"obj", "ply", "off"}) {
    const std::string file = std::string("star.") + ending;
    INFO(file);
    REQUIRE(cli(folder, "make star-prism -o " + file).code == 0);
    const Run run = cli(folder, "check " + file + " --any-reader --json -");
    CHECK(run.code == 0);
    // The walls stay whole, the ends are a few pieces each.
    const std::size_t polygons = json::parse(run.out)["polygons"], whole = read_mesh(folder / "as-they-are.off")->mesh.face_count();
    CHECK(polygons > whole);
    CHECK(polygons < whole + 2 * 8);
  }
  for (const std::string& command : {std::string("make star-prism"), std::string("convert as-they-are.off"), std::string("combine --op union as-they-are.off as-they-are.off"),
                                     std::string("apply plane-cut as-they-are.off --set normal=0,0,1 --set point=0,0,1")}) {
    INFO(command);
    const std::string out = command.starts_with("convert") ? " out.off" : " -o out.off";
    REQUIRE(cli(folder, command + out + " --faces triangles").code == 0);
    CHECK(read_mesh(folder / "out.off")->mesh.triangles_only());
    const Run bad = cli(folder, command + out + " --faces quads");
    CHECK(bad.code == 2);
    is_one_line(bad.err);
  }
}

TEST_CASE("an STL of solids that touch along an edge is sound, and the opening is told") {
  const TemporaryFolder folder;
  REQUIRE(cli(folder, "make box -o a.off --set x=2 --set y=2 --set z=2").code == 0);
  Mesh other = read_mesh(folder / "a.off")->mesh;
  for (Vec3& p : other.positions) p += Vec3(2, 2, 0);
  REQUIRE(write_mesh(other, folder / "b.off"));
  const Run run = cli(folder, "combine --op union a.off b.off -o both.stl");
  CHECK(run.code == 0);
  CHECK(run.err.find("1 place where it touches itself opened by 1e-05 mm") != std::string::npos);
  CHECK(cli(folder, "check both.stl").code == 0);
}
