// SPDX-License-Identifier: GPL-3.0-or-later
// What happens side by side: results and files that are still under way when the job changes.
#include <sys/resource.h>
#include <unistd.h>

#include <QComboBox>
#include <QStandardPaths>

#include <fstream>

#include "app/autosave.h"
#include "app/job_files.h"
#include "core/io/mesh_file.h"
#include "core/soundness/check.h"
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

namespace {

/// Enough that reading or writing it takes a while.
Part heavy_part() {
  Part part;
  part.name = "Heavy";
  part.source = ImportedSource{shared(*make_mesh(Primitive::of("icosphere", {10, 7}))), ""};
  return part;
}

}  // namespace

TEST_CASE("a job that was still being saved when another one began does not lend it its file") {
  Driver d;
  const TemporaryFolder folder;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), heavy_part()));
  int done = 0;
  d.session().save_job(folder / "job.anvil", [&](bool good) { done += good; });
  d.session().new_job();
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part_of("box", {1, 1, 1})));
  REQUIRE(Driver::until([&] { return done == 1; }));
  CHECK(d.session().path().empty());
  CHECK_FALSE(d.session().history().saved());
  const auto saved = load_job(folder / "job.anvil");
  REQUIRE(saved);
  CHECK(saved->parts.at(0)->name == "Heavy");
}

TEST_CASE("what was being read or broken out for one job never lands in the next one") {
  Driver d;
  const TemporaryFolder folder;
  REQUIRE(write_mesh(*make_mesh(Primitive::of("icosphere", {10, 6})), folder / "late.off"));
  Mesh two = *make_mesh(Primitive::of("icosphere", {10, 6}));
  append(two, placed(two, {50, 0, 0}));
  Part pair;
  pair.source = ImportedSource{shared(std::move(two)), ""};
  PartId id = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), pair, &id));
  d.settle();
  d.session().bring_in({folder / "late.off"}, Unit::millimetre);
  d.session().break_out(id);
  REQUIRE(Driver::until([&] { return d.session().busy_with_files(); }));
  QCoreApplication::processEvents();  // the wait for the part's result is over: it is being taken apart
  d.session().new_job();
  PartId next = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part_of("box", {1, 1, 1}), &next));
  REQUIRE(next == id);
  d.settle();
  QTest::qWait(500);
  REQUIRE(d.job().parts.size() == 1);
  CHECK(d.job().parts[0]->visible);
}

TEST_CASE("two things that wait for results are both done") {
  Driver d;
  PartId box = 0, ball = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part_of("box", {1, 1, 1}), &box));
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part_of("sphere", {10, 32, 16}), &ball));
  std::vector<PartId> done;
  for (PartId id : {ball, box})
    d.session().when_ready({id}, [&](const std::vector<OutgoingPart>& parts) { done.push_back(parts.at(0).id); });
  REQUIRE(Driver::until([&] { return done.size() == 2; }));
}

TEST_CASE("Stop during an export tells whether a file was written") {
  Driver d;
  const TemporaryFolder folder;
  PartId id = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), heavy_part(), &id));
  d.settle();
  for (int wait : {0, 150, 300, 500}) {
    std::filesystem::remove(folder / "out.stl");
    std::string last;
    const auto told = QObject::connect(&d.session(), &Session::said, &d.window, [&](const QString& text) { last = text.toStdString(); });
    d.session().send_out({{id, d.session().result(id), Affine::Identity()}}, folder / "out.stl");
    QTest::qWait(wait);
    d.session().stop_work();
    REQUIRE(Driver::until([&] { return !d.session().busy_with_files(); }));
    QObject::disconnect(told);
    INFO(wait << ": " << last);
    const bool written = last.starts_with("Sent out");
    CHECK((written || last == "Stopped: nothing was written"));
    CHECK(std::filesystem::exists(folder / "out.stl") == written);
    if (written) CHECK(read_mesh(folder / "out.stl")->mesh.face_count() == d.session().result(id).evaluated->mesh->face_count());
  }
}

TEST_CASE("what is changed while the job is saved on leaving is asked about as well") {
  Driver d;
  const TemporaryFolder folder;
  PartId heavy = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), heavy_part(), &heavy));
  d.settle();
  int asked = 0;
  d.answer_file(folder / "job.anvil");
  d.answer_button(QStringLiteral("unsaved"), QStringLiteral("Save"));
  d.window.files().new_job();
  REQUIRE(d.session().busy_with_files());
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part_of("box", {1, 1, 1})));
  QTimer again;
  QObject::connect(&again, &QTimer::timeout, &d.window, [&] {
    auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
    if (box == nullptr || box->objectName() != QStringLiteral("unsaved")) return;
    ++asked;
    box->close();
  });
  again.start(50);
  REQUIRE(Driver::until([&] { return asked == 1; }));
  QTest::qWait(100);
  CHECK(d.job().parts.size() == 2);
}

TEST_CASE("a safety copy that was being written when the work was given up is not left behind") {
  Driver d;
  std::filesystem::path copy;
  {
    Session session;
    Autosave autosave(session, 0);
    copy = autosave.copy();
    session.commit(QStringLiteral("add"), edit::add_part(session.job(), heavy_part()));
    QTest::qWait(30);  // it is being written now
    autosave.discard();
  }
  CHECK_FALSE(std::filesystem::exists(copy));
}

namespace {

/// Exports the chosen part by its key; sets what the dialog offers before the name is typed.
void export_to(Driver& d, const std::filesystem::path& path, const char* faces, const char* touching, const char* width = nullptr) {
  d.answer(QString(), [=](QDialog& dialog) {
    auto choose = [&](const char* name, const char* key) {
      auto* box = dialog.findChild<QComboBox*>(QLatin1String(name));
      REQUIRE(box != nullptr);
      const int wanted = box->findData(QLatin1String(key));
      REQUIRE(wanted >= 0);
      box->setFocus();
      while (box->currentIndex() > wanted) QTest::keyClick(box, Qt::Key_Up);
      while (box->currentIndex() < wanted) QTest::keyClick(box, Qt::Key_Down);
    };
    choose("faces", faces);
    choose("touching", touching);
    if (width != nullptr) {
      auto* field = dialog.findChild<QLineEdit*>(QStringLiteral("opening"));
      REQUIRE(field->isEnabled());
      field->setFocus();
      field->selectAll();
      QTest::keyClicks(field, QLatin1String(width));
      QTest::keyClick(field, Qt::Key_Tab);
    }
    auto* line = dialog.findChild<QLineEdit*>(QStringLiteral("fileNameEdit"));
    line->setFocus();
    line->selectAll();
    QTest::keyClicks(line, QString::fromStdString(path.string()));
    QTest::keyClick(line, Qt::Key_Return);
  });
  d.key(Qt::Key_E, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return std::filesystem::exists(path) && !d.session().busy_with_files(); }));
}

}  // namespace

TEST_CASE("the export dialog offers the faces that are written, and how touching places are opened, and remembers") {
  Driver d;
  const TemporaryFolder folder;
  PartId star = 0, cubes = 0;
  Part first;
  first.name = "Star";
  first.source = Primitive::of("star-prism");
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), first, &star));
  Part pair;
  pair.name = "Pair";
  Mesh mesh = cube();
  append(mesh, placed(cube(), {2, 2, 0}));
  pair.source = ImportedSource{shared(std::move(mesh)), ""};
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), pair, &cubes));
  d.settle();
  d.session().select({star});
  QTest::qWait(50);
  export_to(d, folder / "a.off", "convex", "least");
  export_to(d, folder / "b.off", "triangles", "least");
  export_to(d, folder / "c.off", "polygons", "least");
  const auto a = read_mesh(folder / "a.off"), b = read_mesh(folder / "b.off"), c = read_mesh(folder / "c.off");
  CHECK(c->mesh.corners == make_mesh(Primitive::of("star-prism"))->corners);
  CHECK(b->mesh.triangles_only());
  CHECK(a->mesh.face_count() > c->mesh.face_count());
  CHECK(a->mesh.face_count() < b->mesh.face_count());
  d.session().select({cubes});
  QTest::qWait(50);
  std::vector<std::string> complaints;
  QObject::connect(&d.session(), &Session::complained, &d.window, [&](const Issue& issue) { complaints.push_back(issue.message()); });
  export_to(d, folder / "pair.stl", "convex", "width", "0.2+0.05");
  CHECK(std::any_of(complaints.begin(), complaints.end(), [](const std::string& note) { return note.find("1 place where it touches itself opened by 0.25 mm") != std::string::npos; }));
  complaints.clear();
  const Mesh opened = read_mesh(folder / "pair.stl")->mesh;
  CHECK(check_soundness(opened).sound);
  double least = 10;
  for (std::size_t i = 0; i < opened.positions.size(); ++i)
    for (std::size_t j = 0; j < i; ++j) least = std::min(least, (opened.positions[i] - opened.positions[j]).norm());
  CHECK(least == Approx(0.25).epsilon(1e-5));
  CHECK(QSettings().value(QStringLiteral("export/touching")) == QStringLiteral("width"));
  // By choice they are left; then it is said that the file is not sound.
  export_to(d, folder / "left.stl", "convex", "leave");
  CHECK_FALSE(check_soundness(read_mesh(folder / "left.stl")->mesh).sound);
  REQUIRE(complaints.size() == 1);
  CHECK(complaints[0].find("non-manifold") != std::string::npos);
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
  d.session().send_out({{id, d.session().result(id), Affine::Identity()}}, folder / "heavy.off");
  Driver::until([&] { return complaints.size() == 2; });
  setrlimit(RLIMIT_AS, &unlimited);
  CHECK(finished == std::vector{false});
  REQUIRE(complaints.size() == 2);
  for (const std::string& complaint : complaints) CHECK(complaint.find("memory") != std::string::npos);
  CHECK(std::filesystem::file_size(folder / "job.anvil") == bytes);
  CHECK(folder.file_count() == 2);  // the job and its lock
  CHECK_FALSE(d.session().history().saved());
  // With room again, the next one goes through.
  d.session().save_job(folder / "job.anvil", [&](bool good) { finished.push_back(good); });
  REQUIRE(Driver::until([&] { return finished.size() == 2; }));
  CHECK(finished[1]);
  REQUIRE(load_job(folder / "job.anvil"));
  CHECK(load_job(folder / "job.anvil")->parts.size() == 1);
}
#endif
