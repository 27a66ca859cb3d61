// SPDX-License-Identifier: GPL-3.0-or-later
// Jobs on disk, in the window: two windows on one, newer and damaged ones, the backup, recent ones, and what a crash leaves.
#include <QLabel>
#include <QMenu>
#include <QStandardPaths>
#include <fstream>
#include <nlohmann/json.hpp>

#include "app/autosave.h"
#include "core/io/package.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "job/job_json.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Job job_with(const std::string& name, bool with_scan = false) {
  Part part;
  part.name = name;
  part.source = Primitive::of("box", {10, 10, 10});
  Job job = edit::add_part(Job{}, part);
  if (!with_scan) return job;
  Part scan;
  scan.name = "Scan";
  scan.source = ImportedSource{std::make_shared<const Mesh>(*make_mesh(Primitive::of("cylinder"))), "scan.off"};
  return edit::add_part(job, scan);
}

void open(Driver& d, const std::filesystem::path& path) {
  d.window.files().open_paths({QString::fromStdString(path.string())});
  d.settle();
}
/// Shows as the user sees it: "saved", "read only", ...
QString state(Driver& d) {
  for (const QLabel* label : d.window.findChildren<QLabel*>(QStringLiteral("faint")))
    if (label->text().startsWith(QStringLiteral("read only")) || label->text() == QStringLiteral("saved") || label->text() == QStringLiteral("not saved")) return label->text();
  return {};
}

}  // namespace

TEST_CASE("a job that another window has is read-only there, and it is said who has it; under another name it is saved") {
  const TemporaryFolder folder;
  REQUIRE(save_job(job_with("Gauge"), folder / "gauge.anvil"));
  Driver first;
  open(first, folder / "gauge.anvil");
  CHECK(state(first) == "saved");
  {
    Driver second;
    open(second, folder / "gauge.anvil");
    REQUIRE(second.job().parts.size() == 1);
    CHECK(state(second) == "read only");
    CHECK(second.told().contains(QStringLiteral("open in another window")));
    CHECK(second.told().contains(QString::number(QCoreApplication::applicationPid())));
    second.session().select({1});
    second.key(Qt::Key_H);
    second.answer_file(folder / "mine.anvil");
    second.key(Qt::Key_S, Qt::ControlModifier);
    REQUIRE(Driver::until([&] { return second.session().history().saved(); }));
    CHECK(state(second) == "saved");
    CHECK(!load_job(folder / "mine.anvil")->parts[0]->visible);
    CHECK(load_job(folder / "gauge.anvil")->parts[0]->visible);
    // Nor is it saved over the other window's.
    bool saved = true;
    second.session().save_job(folder / "gauge.anvil", [&](bool good) { saved = good; });
    CHECK_FALSE(saved);
    CHECK(second.told().contains(QStringLiteral("not saved")));
  }
  // The first one still saves; once it is closed another may.
  first.session().select({1});
  first.key(Qt::Key_H);
  first.key(Qt::Key_S, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return first.session().history().saved(); }));
  CHECK(!load_job(folder / "gauge.anvil")->parts[0]->visible);
  CHECK(load_job(folder / "gauge.backup.anvil")->parts[0]->visible);  // as it was before
  first.session().new_job();
  Driver third;
  open(third, folder / "gauge.anvil");
  CHECK(state(third) == "saved");
}

TEST_CASE("a job opened by a relative name is saved over itself by its whole one") {
  const TemporaryFolder folder;
  REQUIRE(save_job(job_with("Gauge"), folder / "gauge.anvil"));
  Driver d;
  open(d, std::filesystem::relative(folder / "gauge.anvil"));
  CHECK(d.session().path() == folder / "gauge.anvil");
  bool saved = false;
  d.session().save_job(folder / "gauge.anvil", [&](bool good) { saved = good; });
  REQUIRE(Driver::until([&] { return !d.session().busy_with_files(); }));
  CHECK(saved);
}

TEST_CASE("a job of a newer version opens read-only and says so") {
  const TemporaryFolder folder;
  nlohmann::json document = job_to_json(job_with("Gauge"), [](const auto&) { return ""; });
  document["version"] = job_format_version + 1;
  REQUIRE(write_package(folder / "newer.anvil", {{"job.json", document.dump()}}));
  Driver d;
  open(d, folder / "newer.anvil");
  REQUIRE(d.job().parts.size() == 1);
  CHECK(state(d) == "read only");
  CHECK(d.told().contains(QStringLiteral("newer version")));
  CHECK(d.volume(1) == Approx(1000));
}

TEST_CASE("of a damaged job all that is whole opens, what is lost is listed, and the file is left alone") {
  const TemporaryFolder folder;
  REQUIRE(save_job(job_with("Gauge", true), folder / "gauge.anvil"));
  std::string bytes;
  {
    std::ifstream in(folder / "gauge.anvil", std::ios::binary);
    bytes.assign(std::istreambuf_iterator<char>(in), {});
  }
  bytes.resize(bytes.size() * 2 / 3);
  std::ofstream(folder / "gauge.anvil", std::ios::binary) << bytes;
  Driver d;
  QString listed;
  d.answer(QStringLiteral("damage"), [&](QDialog& dialog) {
    listed = static_cast<QMessageBox&>(dialog).text();
    dialog.accept();
  });
  open(d, folder / "gauge.anvil");
  REQUIRE(Driver::until([&] { return !listed.isEmpty(); }));
  CHECK(listed.contains(QStringLiteral("meshes/1.ply")));
  REQUIRE(d.job().parts.size() == 1);
  CHECK(d.job().parts[0]->name == "Gauge");
  CHECK(state(d) == "read only");
  CHECK(std::filesystem::file_size(folder / "gauge.anvil") == bytes.size());
}

TEST_CASE("a job whose folder has vanished is told, stays unsaved, and is saved elsewhere") {
  Driver d;
  {
    const TemporaryFolder folder;
    REQUIRE(save_job(job_with("Gauge"), folder / "gauge.anvil"));
    open(d, folder / "gauge.anvil");
  }
  d.session().select({1});
  d.key(Qt::Key_H);
  d.key(Qt::Key_S, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.told().contains(QStringLiteral("cannot write")); }));
  CHECK_FALSE(d.session().history().saved());
  CHECK(d.job().parts.size() == 1);
  const TemporaryFolder other;
  d.answer_file(other / "gauge.anvil");
  d.key(Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
  REQUIRE(Driver::until([&] { return d.session().history().saved(); }));
  CHECK(load_job(other / "gauge.anvil"));
}

TEST_CASE("jobs opened and saved last stand in the menu and open from there") {
  const TemporaryFolder folder;
  QSettings().remove(QStringLiteral("recent"));
  REQUIRE(save_job(job_with("One"), folder / "one.anvil"));
  REQUIRE(save_job(job_with("Two"), folder / "two.anvil"));
  Driver d;
  open(d, folder / "one.anvil");
  open(d, folder / "two.anvil");
  auto* menu = d.window.findChild<QMenu*>(QStringLiteral("recent_jobs"));
  REQUIRE(menu != nullptr);
  emit menu->aboutToShow();
  REQUIRE(menu->actions().size() == 2);
  CHECK(menu->actions()[0]->text() == "two");
  menu->actions()[1]->trigger();
  d.settle();
  CHECK(d.job().parts.at(0)->name == "One");
  CHECK(JobFiles::recent().at(0).endsWith(QStringLiteral("one.anvil")));
}

TEST_CASE("what a crash left is offered with its picture and its time") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  Autosave autosave(d.session(), 0);
  autosave.set_picture([&] { return d.view().picture(); });
  bool written = false;
  QObject::connect(&autosave, &Autosave::written, [&](bool good) { written = good; });
  d.session().select({1});
  d.key(Qt::Key_H);
  d.key(Qt::Key_H);
  REQUIRE(Driver::until([&] { return written; }));
  // A killed program leaves its copy without a lock; its number may be that of this one.
  for (const char* ending : {".anvil", ".png"})
    std::filesystem::copy_file(std::filesystem::path(autosave.copy()).replace_extension(ending), recovery_folder() / (std::to_string(::getpid()) + ending));
  const auto left = Autosave::leftovers();
  REQUIRE(left.size() == 1);
  CHECK(left[0].picture.width() == 320);
  CHECK(left[0].written.secsTo(QDateTime::currentDateTime()) < 60);
  QPixmap shown;
  QString text;
  d.answer(QStringLiteral("recovery"), [&](QDialog& dialog) {
    shown = static_cast<QMessageBox&>(dialog).iconPixmap();
    text = static_cast<QMessageBox&>(dialog).text();
    for (QPushButton* button : dialog.findChildren<QPushButton*>())
      if (button->text().remove(QLatin1Char('&')) == QStringLiteral("Delete the copy")) QTest::mouseClick(button, Qt::LeftButton);
  });
  d.window.files().offer_recovery();
  CHECK(shown.width() == 320);
  CHECK(text.contains(QLocale().toString(left[0].written, QLocale::LongFormat)));
  CHECK(Autosave::leftovers().empty());
  autosave.discard();
}

namespace {

/// Exports a part by the session, as the dialog does once it has its answer.
void send_out(Driver& d, PartId part, const std::filesystem::path& path) {
  bool ready = false;
  d.session().when_ready({part}, [&](const std::vector<OutgoingPart>& parts) {
    d.session().send_out(parts, path);
    ready = true;
  });
  REQUIRE(Driver::until([&] { return ready && !d.session().busy_with_files(); }));
}

}  // namespace

TEST_CASE("the command line runs a job to the same bytes as the window exports, also with a dimension set") {
  const TemporaryFolder folder;
  const std::filesystem::path demo = DEMO_DATA "/kestrel-point.anvil";
  std::filesystem::copy_file(demo, folder / "gauge.anvil");
  Driver d;
  open(d, folder / "gauge.anvil");
  const auto run = [&](const std::string& arguments) {
    const std::string command = std::string(CLI_PROGRAM) + " run '" + (folder / "gauge.anvil").string() + "' " + arguments + " 2>/dev/null";
    return std::system(command.c_str());
  };
  for (const char* ending : {"ply", "stl", "obj"}) {
    CAPTURE(ending);
    for (const char* name : {"Mast clamp", "Gland plate"}) {
      CAPTURE(name);
      const auto ours = folder / (std::string("window.") + ending), theirs = folder / (std::string("line.") + ending);
      send_out(d, d.named(name), ours);
      REQUIRE(run(std::string("--part '") + name + "' -o '" + theirs.string() + "'") == 0);
      CHECK(read_text(ours) == read_text(theirs));
    }
  }
  const PartId clamp = d.named("Mast clamp");
  d.session().select({clamp});
  QTest::qWait(50);
  d.type(d.widget(QStringLiteral("dimension_%1_x").arg(clamp)), QStringLiteral("150"));
  d.settle();
  send_out(d, clamp, folder / "window.off");
  REQUIRE(run("--part 'Mast clamp' --set 'Mast clamp/source.x=150' -o '" + (folder / "line.off").string() + "'") == 0);
  CHECK(read_text(folder / "window.off") == read_text(folder / "line.off"));
}

TEST_CASE("a job that is opened again is not computed again, until kept results are emptied") {
  const TemporaryFolder folder;
  QSettings().setValue(QStringLiteral("keep_results"), true);
  std::filesystem::copy_file(DEMO_DATA "/kestrel-point.anvil", folder / "gauge.anvil");
  const auto results = std::filesystem::path(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation).toStdString()) / "results";
  const auto kept = [&] {
    std::size_t n = 0;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(results)) n += entry.path().extension() == ".result";
    return n;
  };
  Mesh first;
  {
    Driver d;
    open(d, folder / "gauge.anvil");
    REQUIRE(Driver::until([&] { return kept() > 0; }));
    d.session().wait_idle();
    first = *d.session().result(d.named("Gland plate")).evaluated->mesh;
  }
  {
    Driver d;
    CHECK(d.session().keeps_results());
    open(d, folder / "gauge.anvil");
    CHECK(d.session().result(d.named("Gland plate")).evaluated->mesh->positions == first.positions);
    CHECK(d.session().result(d.named("Gland plate")).report->sound);
    QString said;
    QObject::connect(&d.session(), &Session::said, &d.window, [&](const QString& text) { said = text; });
    d.key(Qt::Key_F10, Qt::ControlModifier);
    CHECK(said.contains(QStringLiteral("deleted")));
    CHECK(kept() == 0);
    d.key(Qt::Key_F9, Qt::ControlModifier);
    CHECK_FALSE(d.session().keeps_results());
  }
  Driver d;
  CHECK_FALSE(d.session().keeps_results());  // remembered
}

TEST_CASE("looking closely that is stopped gives the usual list back") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  d.session().select({1});
  Finding::Wanted wanted = Finding::everything();
  wanted.tolerance = 5;
  d.session().finding().look(wanted);
  REQUIRE(d.session().busy_with_files());
  d.session().stop_work();
  CHECK_FALSE(d.session().finding().narrowed());
  CHECK(d.session().finding().report(1) != nullptr);
}
