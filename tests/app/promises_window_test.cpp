// SPDX-License-Identifier: GPL-3.0-or-later
// Nothing is lost by how things are named, timed or left, and nothing older is shown as what it is now.
#include <QLocale>
#include <QRegularExpression>

#include "core/io/mesh_file.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// Types a name into the file dialog and presses Return; answers what it then asks.
void save_as(Driver& d, Qt::Key key, Qt::KeyboardModifiers modifiers, const std::filesystem::path& path, QMessageBox::StandardButton answer, int& asked) {
  d.answer(QString(), [&d, path, answer, &asked](QDialog& dialog) {
    auto* line = dialog.findChild<QLineEdit*>(QStringLiteral("fileNameEdit"));
    REQUIRE(line != nullptr);
    line->setCompleter(nullptr);
    // The question about replacing comes up within the key's own event.
    auto* timer = new QTimer(&d.window);
    QObject::connect(timer, &QTimer::timeout, &d.window, [&dialog, answer, &asked, timer] {
      auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
      if (box == nullptr) return;
      ++asked;
      timer->stop();
      QTest::mouseClick(box->button(answer), Qt::LeftButton);
      if (answer == QMessageBox::No) QTimer::singleShot(50, &dialog, &QDialog::reject);
    });
    timer->start(30);
    line->selectAll();
    QTest::keyClicks(line, QString::fromStdString(path.string()));
    QTest::keyClick(line, Qt::Key_Return);
    QTest::qWait(300);
    if (QApplication::activeModalWidget() == &dialog) QTest::keyClick(line, Qt::Key_Return);
    timer->stop();
  });
  d.key(key, modifiers);
}

Part slow_part() {
  Part part;
  part.name = "Slow";
  part.source = ImportedSource{shared(*make_mesh(Primitive::of("icosphere", {40, 7}))), "slow.ply"};
  return part;
}

/// It is chosen, and judged.
PartId add_slow_part(Driver& d) {
  PartId id = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), slow_part(), &id));
  d.session().select({id});
  d.settle();
  return id;
}

Job with_recast(const Job& job, PartId id, double detail) {
  Step step = new_step(steps::recast);
  set_field(step, "detail", detail);
  return *edit::add_step(job, id, step);
}

}  // namespace

TEST_CASE("a name without its ending asks before it replaces the file that the whole name is of") {
  Driver d;
  const TemporaryFolder folder;
  d.key(Qt::Key_B);
  d.settle();
  write_text(folder / "clamp.anvil", "precious");
  write_text(folder / "part.stl", "precious too");
  int asked = 0;
  save_as(d, Qt::Key_S, Qt::ControlModifier, folder / "clamp", QMessageBox::No, asked);
  QTest::qWait(200);
  CHECK(asked == 1);
  CHECK(read_text(folder / "clamp.anvil") == "precious");
  save_as(d, Qt::Key_S, Qt::ControlModifier, folder / "clamp", QMessageBox::Yes, asked);
  REQUIRE(Driver::until([&] { return !d.session().busy_with_files() && d.session().history().saved(); }));
  CHECK(asked == 2);
  CHECK(load_job(folder / "clamp.anvil").ok());
  save_as(d, Qt::Key_E, Qt::ControlModifier, folder / "part", QMessageBox::No, asked);
  QTest::qWait(200);
  CHECK(asked == 3);
  CHECK(read_text(folder / "part.stl") == "precious too");
}

TEST_CASE("of several files that cannot be read each is told, and stays told until it is closed") {
  Driver d;
  const TemporaryFolder folder;
  std::vector<std::filesystem::path> files;
  for (const char* name : {"one.off", "two.off", "three.off"}) {
    write_text(folder / name, "OFF\n1 1 0\n0 0 0\n3 0 1 2\n");
    files.push_back(folder / name);
  }
  write_text(folder / "tail.stl", "solid t\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n");
  files.push_back(folder / "tail.stl");
  d.session().bring_in(files, Unit::millimetre);
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 1; }));
  QTest::qWait(50);
  const auto told = [&] {
    QStringList all;
    for (auto* frame : d.window.findChildren<QFrame*>(QRegularExpression(QStringLiteral("^(trouble|notes)$"))))
      if (frame->isVisible() && qobject_cast<QFrame*>(frame->parentWidget()) == nullptr)
        if (auto* label = frame->findChild<QLabel*>()) all << label->text();
    return all.join(QLatin1Char('\n'));
  };
  for (const char* name : {"one.off", "two.off", "three.off", "endsolid"}) {
    INFO(name);
    CHECK(told().contains(QLatin1String(name)));
  }
  // What is complained about later does not put them away.
  d.session().complain({"is something else", "Other", {}, ""});
  d.window.hide_issue();
  CHECK(told().contains(QStringLiteral("one.off")));
  d.click(d.widget<QToolButton>(QStringLiteral("close_all_troubles")));
  QTest::qWait(50);
  CHECK(d.widget<QFrame>(QStringLiteral("trouble_list")) == nullptr);
}

TEST_CASE("what waited for a result and comes in the middle of a drag is done when the drag ends, and stays done") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  const PartId box = d.session().chosen();
  const QPointF body = d.view().pixel_of({15, -15, 20});
  d.press(&d.view(), body);
  d.move(&d.view(), body + QPointF(30, 0));
  bool done = false;
  d.session().when_ready({box}, [&](const std::vector<OutgoingPart>&) {
    done = true;
    d.session().commit(QStringLiteral("rename"), edit::change_part(d.job(), box, [](Part& p) { p.name = "Renamed"; }));
  });
  QTest::qWait(700);
  CHECK_FALSE(done);
  d.move(&d.view(), body + QPointF(60, 0));
  d.release(&d.view(), body + QPointF(60, 0));
  REQUIRE(Driver::until([&] { return done; }));
  QTest::qWait(50);
  CHECK(d.job().at(box).name == "Renamed");
  CHECK(d.job().at(box).placement.position.x() > 1);
}

TEST_CASE("leaving asks while an export waits for its result, and writes it when that is wanted") {
  const TemporaryFolder folder;
  Driver d;
  PartId id = 0;
  d.session().commit(QStringLiteral("add"), with_recast(edit::add_part(d.job(), slow_part(), &id), 1, 0.6));
  d.session().select({id});
  REQUIRE(save_job(d.job(), folder / "job.anvil"));
  d.session().save_job(folder / "job.anvil");
  bool written = false;
  d.session().when_ready({id}, [&](const std::vector<OutgoingPart>& parts) {
    written = true;
    d.session().send_out(parts, folder / "out.ply");
  }, true);
  REQUIRE(d.session().is_export_waiting());
  int asked = 0;
  d.answer(QStringLiteral("export_waits"), [&](QDialog& dialog) {
    ++asked;
    for (QPushButton* button : dialog.findChildren<QPushButton*>())
      if (button->text().remove(QLatin1Char('&')) == QStringLiteral("Wait, then leave")) QTest::mouseClick(button, Qt::LeftButton);
  });
  d.window.close();
  CHECK(asked == 1);
  REQUIRE(Driver::until([&] { return !d.window.isVisible(); }));
  CHECK(written);
  CHECK(std::filesystem::exists(folder / "out.ply"));
}

TEST_CASE("leaving that waited for an export stays where the export failed, was stopped or has something to be told") {
  const TemporaryFolder folder;
  const auto way = GENERATE(as<std::string>(), "fails", "stopped", "told");
  INFO(way);
  Driver d;
  PartId id = 0;
  Part part = slow_part();
  // A sheet that 32 bits do not hold, and what they do hold.
  if (way == "told") part.source = ImportedSource{shared(placed_together({{shared(placed(cube(2), {0, 300, 0})), Affine::Identity()}, {shared(placed(stock("box", {40, 1e-6, 40}), {0, 310, 0})), Affine::Identity()}})), "sheet.ply"};
  d.session().commit(QStringLiteral("add"), way == "told" ? edit::add_part(d.job(), part, &id) : with_recast(edit::add_part(d.job(), part, &id), 1, way == "stopped" ? 0.1 : 0.6));
  d.session().select({id});
  const std::filesystem::path job = folder / "job.anvil";
  bool saved = false;
  d.session().save_job(job, [&](bool good) { saved = good; });
  REQUIRE(Driver::until([&] { return saved; }));
  std::filesystem::create_directory(folder / "out.stl");  // no file can stand there
  d.session().when_ready({id}, [&](const std::vector<OutgoingPart>& parts) { d.session().send_out(parts, folder / (way == "told" ? "fin.stl" : "out.stl")); }, true);
  REQUIRE(d.session().is_export_waiting());
  d.answer_button(QStringLiteral("export_waits"), QStringLiteral("Wait, then leave"));
  d.window.close();
  if (way == "stopped") d.session().stop_work();
  REQUIRE(Driver::until([&] { return !d.session().is_export_waiting(); }));
  QTest::qWait(500);
  CHECK(d.window.isVisible());
}

TEST_CASE("a job and a mesh that are opened together come together") {
  const TemporaryFolder folder;
  Part part;
  part.name = "In the job";
  part.source = Primitive::of("box");
  Job job;
  job.unit = Unit::millimetre;
  REQUIRE(save_job(edit::add_part(job, part), folder / "job.anvil"));
  REQUIRE(write_mesh(cube(2), folder / "mesh.ply"));
  for (int k = 0; k < 5; ++k) {
    Driver d;
    d.window.files().open_paths({QString::fromStdString((folder / "mesh.ply").string()), QString::fromStdString((folder / "job.anvil").string())});
    REQUIRE(Driver::until([&] { return d.job().parts.size() == 2; }));
    CHECK(d.named("In the job") != 0);
    CHECK(d.named("mesh") != 0);
    CHECK(d.session().path().filename() == "job.anvil");
  }
}

TEST_CASE("the question for the unit says what each answer makes of the files, 3MF does not answer it, and it can be changed later") {
  Driver d;
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(0.155), folder / "scan.ply"));
  REQUIRE(write_mesh(cube(3), folder / "known.3mf"));
  d.session().bring_in({folder / "known.3mf"}, [](double) -> std::optional<Unit> { FAIL("3MF says its unit"); return {}; });
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 1; }));
  CHECK_FALSE(d.job().unit);
  QString question;
  d.answer(QStringLiteral("unit"), [&](QDialog& dialog) {
    question = static_cast<QMessageBox&>(dialog).text();
    for (QPushButton* button : dialog.findChildren<QPushButton*>())
      if (button->text().remove(QLatin1Char('&')) == QStringLiteral("Millimetre")) QTest::mouseClick(button, Qt::LeftButton);
  });
  d.answer_file(folder / "scan.ply");
  d.key(Qt::Key_I, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 2; }));
  for (const char* length : {"0.155 mm", "3.94 mm", "155 mm"}) CHECK(question.contains(QLatin1String(length)));
  d.settle();
  const PartId scan = d.named("scan");
  d.session().select({scan});
  d.answer_button(QStringLiteral("unit"), QStringLiteral("Metre"));
  d.key(Qt::Key_F8, Qt::ControlModifier | Qt::ShiftModifier);
  REQUIRE(Driver::until([&] { return d.job().unit == Unit::metre; }));
  d.settle();
  CHECK(d.session().world_bounds(scan).size().x() == Approx(155));
  CHECK(d.session().world_bounds(d.named("known")).size().x() == Approx(3));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.session().world_bounds(scan).size().x() == Approx(0.155));
}

TEST_CASE("the unit is asked for once, though two files are read at one time") {
  Driver d;
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "one.ply"));
  REQUIRE(write_mesh(cube(3), folder / "two.ply"));
  int asked = 0;
  const auto ask = [&](double) -> std::optional<Unit> { return ++asked, Unit::millimetre; };
  d.session().bring_in({folder / "one.ply"}, ask);
  d.session().bring_in({folder / "two.ply"}, ask);
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 2; }));
  CHECK(asked == 1);
}

TEST_CASE("after Stop every panel says that what is shown is older, until it is made again") {
  Driver d;
  const PartId id = add_slow_part(d);
  const auto* verdict = d.widget<QLabel>(QStringLiteral("verdict"));
  REQUIRE(verdict->text() == QStringLiteral("Sound"));
  CHECK(d.session().standing(id) == Standing::current);
  d.session().commit(QStringLiteral("recast"), with_recast(d.job(), id, 0.35));
  REQUIRE(Driver::until([&] { return d.session().standing(id) == Standing::being_made; }));
  REQUIRE(Driver::until([&] { return verdict->text() == QStringLiteral("Being made") || verdict->text() == QStringLiteral("Coarser for now"); }));
  d.session().stop_work();
  REQUIRE(Driver::until([&] { return verdict->text() == QStringLiteral("Stopped"); }));
  CHECK(d.session().standing(id) == Standing::stopped);
  QTest::qWait(400);
  CHECK(verdict->text() == QStringLiteral("Stopped"));
  auto* again = d.widget<QPushButton>(QStringLiteral("make_again"));
  REQUIRE(again != nullptr);
  d.session().commit(QStringLiteral("coarser"), edit::change_part(d.job(), id, [](Part& p) { p.recipe.back().fields[*field_place(steps::recast.fields, "detail")] = 4.0; }));
  d.settle();
  CHECK(verdict->text() == QStringLiteral("Sound"));
  CHECK(d.widget<QPushButton>(QStringLiteral("make_again")) == nullptr);
}

TEST_CASE("a verdict is not shown as the current one for longer than a moment, however soon one change follows another") {
  Driver d;
  const PartId id = add_slow_part(d);
  const auto* verdict = d.widget<QLabel>(QStringLiteral("verdict"));
  // A change that is made at once, and within the same moment one that takes long.
  constexpr int apart = 100;  // milliseconds
  QElapsedTimer clock;
  clock.start();
  d.session().commit(QStringLiteral("rename"), edit::change_part(d.job(), id, [](Part& part) { part.name = "Renamed"; }));
  REQUIRE(Driver::until([&] { return d.session().is_current(id); }));
  QTest::qWait(std::max(0, apart - static_cast<int>(clock.elapsed())));
  Step smooth = new_step(steps::smooth);
  set_field(smooth, "iterations", 1000.0);
  d.session().commit(QStringLiteral("smooth"), *edit::add_step(d.job(), id, smooth));
  QTest::qWait(800);
  REQUIRE_FALSE(d.session().is_current(id));
  CHECK(verdict->text() != QStringLiteral("Sound"));
  d.session().stop_work();
}

TEST_CASE("while a long recast is made, other parts are cut, dragged and judged, and Stop ends it") {
  Driver d;
  box_and_cylinder(d);
  const PartId box = d.job().parts[0]->id, pin = d.job().parts[1]->id;
  Part far = slow_part();
  far.placement.position = {0, 300, 0};
  PartId slow = 0;
  Job job = edit::add_part(d.job(), far, &slow);
  d.session().commit(QStringLiteral("add"), with_recast(job, slow, 0.1));
  REQUIRE(Driver::until([&] { return d.session().standing(slow) == Standing::being_made && d.session().activity().step != 0; }));
  d.session().select({box, pin});
  d.key(Qt::Key_D);
  REQUIRE(Driver::until([&] { return d.session().is_current(box); }));
  CHECK(d.volume(box) == Approx(drilled).epsilon(1e-9));
  CHECK(d.session().standing(slow) == Standing::being_made);
  // The tool is dragged out of the box; the view follows before the hand lets go.
  d.session().select({pin});
  const QPointF on_pin = d.pixel({0, -10, 35});
  d.press(&d.view(), on_pin);
  for (int k = 1; k <= 10; ++k) {
    d.move(&d.view(), on_pin + QPointF(9 * k, 0));
    QTest::qWait(30);
  }
  REQUIRE(Driver::until([&] { return d.volume(box) > drilled + 1; }));
  CHECK(d.job().at(pin).placement.position.norm() > 1);
  d.release(&d.view(), on_pin + QPointF(90, 0));
  REQUIRE(Driver::until([&] { return d.session().is_current(box) && d.session().is_current(pin); }));
  CHECK(d.session().result(box).report->sound);
  CHECK(d.session().standing(slow) == Standing::being_made);
  CHECK(d.session().activity().step != 0);
  d.session().stop_work();
  d.session().wait_idle();
  CHECK(d.session().standing(slow) == Standing::stopped);
}

TEST_CASE("a box around a ball of very many faces chooses those that face the eye") {
  Driver d;
  Part ball;
  ball.name = "Ball";
  ball.source = ImportedSource{shared(*make_mesh(Primitive::of("icosphere", {40, 6}))), "ball.ply"};
  PartId id = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), ball, &id));
  d.session().select({id});
  d.settle();
  d.view().fit_all();
  QTest::qWait(600);
  d.session().chooser().start(ElementKind::faces);
  d.session().chooser().set_way(Chooser::Way::box);
  const QPointF middle = d.pixel({0, 0, 0});
  const double reach = 0.42 * std::min(d.view().width(), d.view().height());
  d.drag(&d.view(), middle - QPointF(reach, reach), middle + QPointF(reach, reach));
  const Mesh& mesh = *d.session().result(id).evaluated->mesh;
  REQUIRE(mesh.face_count() == 81'920);
  CHECK(Driver::until([&] { return !d.session().chooser().chosen().empty(); }));
  const std::vector<Index> chosen = d.session().chooser().chosen().list;
  CHECK(chosen.size() > 15'000);
  CHECK(chosen.size() < 41'000);
  // Of a ball the faces that are seen lie on one side of a plane through it: those of a cap, in one direction.
  Vec3 towards = Vec3::Zero();
  const auto middle_of = [&](Index f) { return Vec3((mesh.positions[mesh.face(f)[0]] + mesh.positions[mesh.face(f)[1]] + mesh.positions[mesh.face(f)[2]]) / 3); };
  for (Index f : chosen) towards += middle_of(f);
  towards.normalize();
  CHECK(std::all_of(chosen.begin(), chosen.end(), [&](Index f) { return middle_of(f).dot(towards) > -0.5; }));
}

TEST_CASE("exporting a tool asks which body is meant, and the dialog names what it writes") {
  Driver d;
  const TemporaryFolder folder;
  box_and_cylinder(d);
  d.session().select({d.named("Box"), d.named("Cylinder")});
  d.key(Qt::Key_D);
  d.settle();
  const auto export_chosen = [&](const std::vector<PartId>& chosen, const QString& answer, const std::filesystem::path& path) {
    d.session().select(chosen);
    if (!answer.isEmpty()) d.answer_button(QStringLiteral("export_what"), answer);
    QString named;
    d.answer_file(path, [&named](QDialog& dialog) { named = dialog.findChild<QLabel*>(QStringLiteral("export_parts"))->text(); });
    d.key(Qt::Key_E, Qt::ControlModifier);
    REQUIRE(Driver::until([&] { return std::filesystem::exists(path) && !d.session().busy_with_files(); }));
    return named;
  };
  const PartId box = d.named("Box"), pin = d.named("Cylinder");
  CHECK(export_chosen({pin}, QStringLiteral("Cylinder alone"), folder / "pin.ply") == QStringLiteral("Cylinder"));
  CHECK(signed_volume(read_mesh(folder / "pin.ply")->mesh) == Approx(pin_area * 40).epsilon(1e-9));
  CHECK(export_chosen({pin}, QStringLiteral("Box, with its tools"), folder / "box.ply") == QStringLiteral("Box"));
  CHECK(signed_volume(read_mesh(folder / "box.ply")->mesh) == Approx(drilled).epsilon(1e-9));
  CHECK(export_chosen({box, pin}, QString(), folder / "both.ply") == QStringLiteral("Box"));
  CHECK(signed_volume(read_mesh(folder / "both.ply")->mesh) == Approx(drilled).epsilon(1e-9));
}
