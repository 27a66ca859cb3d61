// SPDX-License-Identifier: GPL-3.0-or-later
// What is on disk and was not asked to be changed stays: inputs, what links lead to, permissions, and what killed programs leave goes.
#include <sys/stat.h>
#include <unistd.h>

#include <csignal>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/io/mesh_file.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/cli/program.h"

using namespace anvil;
using namespace anvil::test;
using nlohmann::json;
namespace fs = std::filesystem;

namespace {

/// A folder with two parts and a job.
class Desk {
 public:
  Desk() {
    REQUIRE(write_mesh(cube(2), folder / "a.stl"));
    REQUIRE(write_mesh(placed(cube(2), {1, 0.5, 0.25}), folder / "b.ply"));
    Job job;
    Part part;
    part.name = "Cube";
    part.source = Primitive::of("box", {2, 2, 2});
    REQUIRE(save_job(edit::add_part(job, part), folder / "j.anvil"));
  }
  std::string contents(const std::string& name) const { return read_text(folder / name); }
  TemporaryFolder folder;
};

}  // namespace

TEST_CASE("a report never takes the place of what is read or written, by whatever name or link") {
  const Desk desk;
  const TemporaryFolder& folder = desk.folder;
  fs::create_symlink("a.stl", folder / "link.json");
  fs::create_hard_link(folder / "b.ply", folder / "hard.json");
  fs::create_symlink(".", folder / "here");
  const std::string a = desk.contents("a.stl"), b = desk.contents("b.ply"), j = desk.contents("j.anvil");
  for (const char* arguments : {"check j.anvil --json j.anvil", "check a.stl --json ./a.stl", "check b.ply a.stl --json link.json",
                                "check b.ply --json hard.json", "check a.stl --json here/a.stl", "combine --op union a.stl b.ply -o out.ply --json b.ply",
                                "combine --op union a.stl b.ply -o out.ply --json here/out.ply", "combine --op union a.stl b.ply -o out.ply --json out.ply.fresh",
                                "combine --op split a.stl b.ply -o 'p{}.ply' --json p2.ply",
                                "apply smooth a.stl -o out.ply --json a.stl", "mend a.stl -o out.ply --json a.stl", "mend a.stl --plan --json a.stl",
                                "run j.anvil -o out.ply --json j.anvil", "make box -o out.ply --json out.ply"}) {
    INFO(arguments);
    const Run run = cli(folder, arguments);
    CHECK(run.code == 2);
    is_one_line(run.err);
    CHECK(desk.contents("a.stl") == a);
    CHECK(desk.contents("b.ply") == b);
    CHECK(desk.contents("j.anvil") == j);
    CHECK_FALSE(fs::exists(folder / "out.ply"));
    CHECK_FALSE(fs::exists(folder / "p1.ply"));
  }
}

TEST_CASE("a result never takes the place of what it is made from") {
  const Desk desk;
  const TemporaryFolder& folder = desk.folder;
  REQUIRE(write_mesh(cube(3), folder / "p1.ply"));
  fs::create_symlink("a.stl", folder / "link.stl");
  const std::string a = desk.contents("a.stl"), p = desk.contents("p1.ply"), j = desk.contents("j.anvil");
  for (const char* arguments : {"combine --op union a.stl b.ply -o a.stl", "combine --op union a.stl b.ply -o link.stl", "convert a.stl ./a.stl",
                                "apply smooth link.stl -o a.stl", "mend a.stl -o a.stl", "combine --op split p1.ply b.ply -o 'p{}.ply'", "convert j.anvil j.anvil"}) {
    INFO(arguments);
    const Run run = cli(folder, arguments);
    CHECK(run.code == 2);
    is_one_line(run.err);
    CHECK(desk.contents("a.stl") == a);
    CHECK(desk.contents("p1.ply") == p);
    CHECK(desk.contents("j.anvil") == j);
  }
}

TEST_CASE("one file that cannot be read leaves the others their entries in the report") {
  const Desk desk;
  write_text(desk.folder / "bad.stl", "solid nothing at all");
  const Run run = cli(desk.folder, "check a.stl bad.stl none.ply b.ply --json report.json");
  CHECK(run.code == 2);
  CHECK(std::count(run.err.begin(), run.err.end(), '\n') == 2);
  const json report = json::parse(std::ifstream(desk.folder / "report.json"));
  REQUIRE(report.size() == 4);
  CHECK(report[0]["sound"] == true);
  CHECK(report[1]["file"] == "bad.stl");
  CHECK(report[1].contains("error"));
  CHECK_FALSE(report[1].contains("sound"));
  CHECK(report[2].contains("error"));
  CHECK(report[3]["sound"] == true);
}

TEST_CASE("convert judges what it has written, names pieces as the others do, and so does make") {
  const Desk desk;
  REQUIRE(write_mesh(without_faces(cube(2), {0}), desk.folder / "open.obj"));
  CHECK(cli(desk.folder, "convert open.obj open.ply").code == 1);
  CHECK(cli(desk.folder, "convert open.obj open.anvil").code == 1);
  CHECK(cli(desk.folder, "convert a.stl good.ply").code == 0);
  CHECK(cli(desk.folder, "convert a.stl good.anvil").code == 0);
  CHECK(cli(desk.folder, "convert a.stl 'c{}.ply'").code == 0);
  CHECK(fs::exists(desk.folder / "c1.ply"));
  const Run made = cli(desk.folder, "make box -o 'm{}.ply' --json -");
  CHECK(made.code == 0);
  CHECK(fs::exists(desk.folder / "m1.ply"));
  CHECK(json::parse(made.out)["result"].is_array());
  CHECK(json::parse(cli(desk.folder, "combine --op inlay a.stl b.ply -o 'i{}.ply' --json -").out)["result"].is_array());
}

TEST_CASE("a contact tolerance that is no length is refused in words") {
  const Desk desk;
  for (const char* contact : {"nan", "-1", "inf", "1e400", "wide"}) {
    const Run run = cli(desk.folder, std::string("combine --op union a.stl b.ply -o out.ply --contact ") + contact);
    INFO(contact << ": " << run.err);
    CHECK(run.code == 2);
    is_one_line(run.err);
    CHECK(run.err.find("--contact") != std::string::npos);
    CHECK_FALSE(fs::exists(desk.folder / "out.ply"));
  }
  CHECK(cli(desk.folder, "combine --op union a.stl b.ply -o out.ply --contact 0").code == 0);
}

TEST_CASE("writing over a link writes what it leads to, and permissions stay") {
  const Desk desk;
  const TemporaryFolder& folder = desk.folder;
  fs::create_directory(folder / "far");
  REQUIRE(write_mesh(cube(1), folder / "far/real.ply"));
  fs::create_symlink("far/real.ply", folder / "one.ply");
  fs::create_symlink("one.ply", folder / "two.ply");
  fs::create_symlink("far/new.ply", folder / "dangling.ply");
  ::chmod((folder / "far/real.ply").c_str(), 0640);
  REQUIRE(cli(folder, "make box --set x=7 -o two.ply").code == 0);
  CHECK(fs::is_symlink(folder / "two.ply"));
  CHECK(fs::is_symlink(folder / "one.ply"));
  CHECK(bounds(read_mesh(folder / "far/real.ply")->mesh).size().x() == 7);
  CHECK((fs::status(folder / "far/real.ply").permissions() & fs::perms::mask) == fs::perms(0640));
  REQUIRE(cli(folder, "make box -o dangling.ply").code == 0);
  CHECK(fs::exists(folder / "far/new.ply"));
  // A name as long as a name can be.
  const std::string name = std::string(251, 'n') + ".ply";
  CHECK(cli(folder, "make box -o " + name).code == 0);
  CHECK(fs::exists(folder / name));
  const std::string job = std::string(249, 'j') + ".anvil";
  CHECK(cli(folder, "convert a.stl " + job).code == 0);
  REQUIRE(save_job(*load_job(folder / job), folder / job, Backup::keep));
  CHECK(fs::exists(backup_of(folder / job)));
}

TEST_CASE("a stopped program leaves nothing, and what a killed one left goes when the next file is written there") {
  const Desk desk;
  const TemporaryFolder& folder = desk.folder;
  REQUIRE(write_mesh(stock("icosphere", {40, 6}), folder / "ball.ply"));
  const std::size_t before = folder.file_count();
  for (const int signal : {SIGTERM, SIGINT, SIGKILL})
    for (const int milliseconds : {20, 60, 120, 200, 300}) {
      const pid_t child = start_cli(folder, "convert ball.ply ball.stl");
      std::this_thread::sleep_for(std::chrono::milliseconds(milliseconds));
      ::kill(child, signal);
      int status = 0;
      ::waitpid(child, &status, 0);
      fs::remove(folder / "ball.stl");
      if (signal != SIGKILL) CHECK(folder.file_count() == before);
    }
  REQUIRE(cli(folder, "make box -o last.ply").code == 0);
  CHECK(folder.file_count() == before + 1);
}

TEST_CASE("combine hands its fresh edges on, so that a chamfer of fresh edges works on the file, whatever its format") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(stock("box", {20, 20, 10}), folder / "a.ply"));
  REQUIRE(write_mesh(placed(stock("box", {6, 6, 30}), {0, 0, 0}), folder / "b.ply"));
  for (const char* name : {"cut.ply", "cut.obj", "cut.off", "cut.stl", "cut.3mf"}) {
    INFO(name);
    REQUIRE(cli(folder, std::string("combine --op difference a.ply b.ply -o ") + name).code == 0);
    const Run run = cli(folder, std::string("apply chamfer ") + name + " -o out.ply --set edges=fresh --set width=1 --json -");
    INFO(run.err);
    REQUIRE(run.code == 0);
    // The two rims of a square hole of side 6: a frustum from 6 to 8 on each side, less the hole (elementary: h/3 (A + B + sqrt(AB))).
    const double gone = 2 * ((36 + 64 + 48) / 3.0 - 36);
    CHECK(json::parse(run.out)["result"]["volume"].get<double>() == Approx(20 * 20 * 10 - 360 - gone).epsilon(1e-6));
  }
  // What somebody else keeps by the name of the file of fresh edges stays.
  write_text(folder / "mine.ply.fresh", "precious");
  for (const char* arguments : {"combine --op difference a.ply b.ply -o mine.ply", "make box -o mine.ply"}) {
    INFO(arguments);
    CHECK(cli(folder, arguments).code == 0);
    CHECK(read_text(folder / "mine.ply.fresh") == "precious");
  }
  // Of another file by that name they are not.
  REQUIRE(write_mesh(stock("box", {20, 20, 11}), folder / "cut.ply"));
  CHECK(cli(folder, "apply chamfer cut.ply -o out.ply --set edges=fresh --set width=1").code == 2);
}
