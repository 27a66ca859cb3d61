// SPDX-License-Identifier: GPL-3.0-or-later
// What happens side by side: results and files that are still under way when the job changes.
#include <sys/resource.h>

#include <fstream>

#include "job/edit.h"
#include "job/job_file.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Part part_of(const char* kind, std::initializer_list<double> numbers) {
  Part part;
  part.name = kind;
  part.source = Primitive::of(kind, numbers);
  return part;
}

}  // namespace

TEST_CASE("what was computed for the last job is never shown as a part of the next one") {
  Driver d;
  PartId box = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part_of("box", {10, 10, 10}), &box));
  // The result waits to be received; before that, another job begins whose part has the same number.
  d.session().wait_idle();
  d.session().new_job();
  Job next = d.job();
  PartId id = 0;
  next = edit::add_part(next, part_of("sphere", {10, 32, 16}), &id);
  REQUIRE(id == box);
  std::vector<std::size_t> faces;
  QObject::connect(&d.session(), &Session::result_changed, &d.window, [&](PartId part) {
    if (const auto result = d.session().result(part); result.evaluated) faces.push_back(result.evaluated->mesh->face_count());
  });
  d.session().commit(QStringLiteral("add"), next);
  d.settle();
  REQUIRE_FALSE(faces.empty());
  CHECK(std::find(faces.begin(), faces.end(), 6) == faces.end());
}

TEST_CASE("of two versions saved one right after the other, the later one stands in the file") {
  Driver d;
  const TemporaryFolder folder;
  // Heavy, so that writing it takes longer than writing what comes after it.
  Part heavy;
  heavy.name = "Heavy";
  heavy.source = ImportedSource{shared(*make_mesh(Primitive::of("icosphere", {10, 7}))), ""};
  PartId id = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), heavy, &id));
  int done = 0;
  d.session().save_job(folder / "job.anvil", [&](bool good) { done += good; });
  d.session().commit(QStringLiteral("delete"), edit::remove_parts(d.job(), {id}));
  d.session().save_job(folder / "job.anvil", [&](bool good) { done += good; });
  REQUIRE(Driver::until([&] { return done == 2; }));
  const auto saved = load_job(folder / "job.anvil");
  REQUIRE(saved);
  CHECK(saved->parts.empty());
  CHECK(d.session().history().saved());
}

TEST_CASE("an export that waits for a part of the last job is not asked about in the next one") {
  Driver d;
  const TemporaryFolder folder;
  PartId box = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part_of("box", {10, 10, 10}), &box));
  bool asked = false;
  d.session().when_ready({box}, [&](const std::vector<OutgoingPart>&) { asked = true; });
  d.session().new_job();
  PartId other = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part_of("box", {10, 10, 10}), &other));
  REQUIRE(other == box);
  d.settle();
  QTest::qWait(50);
  CHECK_FALSE(asked);
}

#ifndef __SANITIZE_ADDRESS__  // whose shadow memory alone is larger than any limit
TEST_CASE("a job that memory does not suffice to save is told, and the one on disk stays as it was") {
  Driver d;
  const TemporaryFolder folder;
  bool first = false;
  d.session().save_job(folder / "job.anvil", [&](bool good) { first = good; });
  REQUIRE(Driver::until([&] { return first; }));
  const auto bytes = std::filesystem::file_size(folder / "job.anvil");
  Part heavy;
  heavy.name = "Heavy";
  // Points that no face uses: more bytes in the file than the 64 MB that an allocator's arena has put by.
  Mesh mesh = *make_mesh(Primitive::of("box", {10, 10, 10}));
  mesh.positions.resize(4'000'000, Vec3(1, 2, 3));
  heavy.source = ImportedSource{shared(std::move(mesh)), ""};
  PartId id = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), heavy, &id));
  d.settle();
  std::vector<std::string> complaints;
  QObject::connect(&d.session(), &Session::complained, &d.window, [&](const Issue& issue) { complaints.push_back(issue.message()); });
  std::vector<bool> finished;
  struct rlimit unlimited {};
  getrlimit(RLIMIT_AS, &unlimited);
  // Room for what the window does, not for another copy of the mesh.
  std::size_t pages = 0;
  std::ifstream("/proc/self/statm") >> pages;
  const struct rlimit small {
    pages * 4096 + (8U << 20), unlimited.rlim_max
  };
  setrlimit(RLIMIT_AS, &small);
  d.session().save_job(folder / "job.anvil", [&](bool good) { finished.push_back(good); });
  Driver::until([&] { return !finished.empty(); });
  setrlimit(RLIMIT_AS, &unlimited);
  CHECK(finished == std::vector{false});
  REQUIRE(complaints.size() == 1);
  CHECK(complaints[0].find("memory") != std::string::npos);
  CHECK(std::filesystem::file_size(folder / "job.anvil") == bytes);
  CHECK(folder.file_count() == 1);
  CHECK_FALSE(d.session().history().saved());
  // With room again, the next one goes through.
  d.session().save_job(folder / "job.anvil", [&](bool good) { finished.push_back(good); });
  REQUIRE(Driver::until([&] { return finished.size() == 2; }));
  CHECK(finished[1]);
  REQUIRE(load_job(folder / "job.anvil"));
  CHECK(load_job(folder / "job.anvil")->parts.size() == 1);
}
#endif
