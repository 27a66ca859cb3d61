// SPDX-License-Identifier: GPL-3.0-or-later
// The contract of docs/cli.md, through the real program.
#include <sys/wait.h>

#include <nlohmann/json.hpp>

#include "core/io/mesh_file.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;
using nlohmann::json;

namespace {

struct Run {
  int code;
  std::string out, err;
};

Run cli(const TemporaryFolder& folder, const std::string& arguments) {
  const std::string out = (folder / "out.txt").string(), err = (folder / "err.txt").string();
  const std::string base = (folder / "").string();
  const int status =
      std::system(("cd " + base + " && " CLI_PROGRAM " " + arguments + " > " + out + " 2> " + err).c_str());
  auto contents = [](const std::string& path) {
    std::ifstream in(path);
    return std::string(std::istreambuf_iterator<char>(in), {});
  };
  Run run{WEXITSTATUS(status), contents(out), contents(err)};
  std::filesystem::remove(out);
  std::filesystem::remove(err);
  return run;
}

void is_one_line(const std::string& text) {
  INFO(text);
  CHECK(std::count(text.begin(), text.end(), '\n') == 1);
}

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
                                 "doubled_faces", "inner_walls", "unwelded_vertices", "stray_shells"});
  CHECK(
      report ==
      nlohmann::ordered_json::parse(
          R"({"file":"x.stl","vertices":8,"triangles":12,"polygons":12,"shells":1,"sound":true,"volume":8.0,"area":24.0,
          "bounds":[[-1.0,-1.0,-1.0],[1.0,1.0,1.0]],"genus":0,
          "defects":{"open_edges":0,"holes":0,"non_manifold_edges":0,"non_manifold_vertices":0,"flipped_faces":0,
          "crossing_faces":0,"zero_length_edges":0,"zero_area_faces":0,"doubled_faces":0,"inner_walls":0,
          "unwelded_vertices":0,"stray_shells":0},"notes":{"contact_edges":0}})"));
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
  CHECK(cli(folder, "combine --op partition a.off b.off -o part{}.ply").code == 0);
  CHECK(cli(folder, "combine --op inlay a.off b.off -o inlay{}.obj").code == 0);
  CHECK(cli(folder, "combine --op score a.off b.off -o score.off").code == 0);
  // Open on purpose, overlapping, and touching along a face: done, but not sound.
  for (const char* operation : {"trim-inside", "trim-outside", "gather", "partition"})
    CHECK(cli(folder, std::string("combine --op ") + operation + " a.off b.off -o out.off").code == 1);
  // Contact closes a gap of a hair's breadth, and can be turned off.
  REQUIRE(write_mesh(placed(cube(2), {2 + 1e-8, 0, 0}), folder / "near.off"));
  auto shells = [&](const char* contact) {
    return json::parse(cli(folder, std::string("combine --op union a.off near.off -o out.off --json - ") + contact).out)["result"]["shells"];
  };
  CHECK(shells("") == 1);
  CHECK(shells("--contact 0") == 2);
  CHECK(shells("--contact 1e-9") == 2);
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
