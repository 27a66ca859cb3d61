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
QString told(Driver& d) {
  const auto* text = d.widget<QLabel>(QStringLiteral("issue_text"));
  return text == nullptr ? QString() : text->text();
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
    CHECK(told(second).contains(QStringLiteral("open in another window")));
    CHECK(told(second).contains(QString::number(QCoreApplication::applicationPid())));
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
    CHECK(told(second).contains(QStringLiteral("not saved")));
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

TEST_CASE("a job of a newer version opens read-only and says so") {
  const TemporaryFolder folder;
  nlohmann::json document = job_to_json(job_with("Gauge"), [](const auto&) { return ""; });
  document["version"] = job_format_version + 1;
  REQUIRE(write_package(folder / "newer.anvil", {{"job.json", document.dump()}}));
  Driver d;
  open(d, folder / "newer.anvil");
  REQUIRE(d.job().parts.size() == 1);
  CHECK(state(d) == "read only");
  CHECK(told(d).contains(QStringLiteral("newer version")));
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
  const auto recovery = std::filesystem::path(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation).toStdString()) / "recovery";
  for (const char* ending : {".anvil", ".png"}) std::filesystem::copy_file(recovery / (std::to_string(::getpid()) + ending), recovery / (std::string("999999998") + ending));
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
