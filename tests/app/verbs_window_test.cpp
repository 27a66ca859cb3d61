// SPDX-License-Identifier: GPL-3.0-or-later
// Verbs that nobody looked at before, and what was found wrong by trying: each by keys and mouse, judged by the job.
#include <QColorDialog>
#include <QComboBox>
#include <QListWidget>
#include <QMenu>
#include <QPointer>
#include <QSplitter>
#include <QStandardPaths>

#include "core/io/mesh_file.h"
#include "core/soundness/check.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

TEST_CASE("every operation of the Combine station gives what its name says") {
  struct Case {
    Qt::Key key;
    Operation operation;
    double volume;
    Index pieces;
  };
  for (const Case& c : {Case{Qt::Key_U, Operation::unite, box_volume + pin_area * 20, 1}, Case{Qt::Key_D, Operation::difference, drilled, 1},
                        Case{Qt::Key_I, Operation::intersection, pin_area * 20, 1}}) {
    Driver d;
    box_and_cylinder(d);
    d.key(c.key);
    d.settle();
    CHECK(d.volume(d.named("Box")) == Approx(c.volume));
  }
  for (const Case& c : {Case{Qt::Key_D, Operation::split, box_volume, 2}, Case{Qt::Key_I, Operation::partition, box_volume + pin_area * 20, 4},
                        Case{Qt::Key_U, Operation::inlay, drilled + pin_area * 40, 2}, Case{Qt::Key_S, Operation::score, box_volume, 1},
                        Case{Qt::Key_Q, Operation::trim_inside, 0, 1}, Case{Qt::Key_W, Operation::trim_outside, 0, 1},
                        Case{Qt::Key_G, Operation::gather, box_volume + pin_area * 40, 1}}) {
    CAPTURE(key_of(c.operation));
    Driver d;
    box_and_cylinder(d);
    d.key(c.key, Qt::ShiftModifier);
    d.settle();
    const PartId box = d.named("Box"), pin = d.named("Cylinder");
    REQUIRE(d.job().use_of(pin));
    CHECK(d.job().use_of(pin)->operation == c.operation);
    const Evaluated& made = *d.session().result(box).evaluated;
    const SoundnessReport& report = *d.session().result(box).report;
    if (c.operation == Operation::trim_inside) {
      // The two discs are gone from top and bottom: two holes, the area of the box less them.
      CHECK(made.open_on_purpose);
      CHECK(report.holes() == 2);
      CHECK(report.area == Approx(2 * 1600 + 4 * 800 - 2 * pin_area));
    } else if (c.operation == Operation::trim_outside) {
      CHECK(made.open_on_purpose);
      CHECK(report.area == Approx(2 * pin_area));
    } else if (c.operation == Operation::score) {
      CHECK(d.volume(box) == Approx(c.volume));
      CHECK(made.fresh_edges.size() == 2 * 64);
      CHECK(report.sound);
    } else if (c.operation == Operation::gather) {
      CHECK(d.volume(box) == Approx(c.volume));
      CHECK(report.count(families::crossing_faces) > 0);  // as they are: they cross
    } else {
      CHECK(d.volume(box) == Approx(c.volume));
      CHECK(report.sound);
      CHECK(made.pieces == (c.operation == Operation::partition ? 3 : c.pieces));
    }
  }
}

TEST_CASE("break out makes each piece of a split a part where it stands, and hides the whole") {
  Driver d;
  box_and_cylinder(d);
  d.open_card(QStringLiteral("Place"));
  d.key(Qt::Key_D, Qt::ShiftModifier);
  d.settle();
  const PartId box = d.named("Box");
  d.session().select({box});
  d.key(Qt::Key_B, Qt::ShiftModifier);
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 4; }));
  d.settle();
  CHECK_FALSE(d.job().at(box).visible);
  double sum = 0;
  for (const char* name : {"Box piece", "Box piece 2"}) {
    const PartId piece = d.named(name);
    CHECK(d.session().result(piece).report->sound);
    CHECK(d.session().world_bounds(piece).lo.z() == Approx(0).margin(1e-12));
    sum += d.volume(piece);
  }
  CHECK(sum == Approx(box_volume));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.job().parts.size() == 2);
  CHECK(d.job().at(box).visible);
  // In one piece there is nothing to break.
  d.session().select({d.named("Cylinder")});
  d.key(Qt::Key_Q);
  d.settle();
  d.session().select({box});
  d.key(Qt::Key_B, Qt::ShiftModifier);
  REQUIRE(Driver::until([&] { return !d.told().isEmpty(); }));
  CHECK(d.told().contains(QStringLiteral("all in one piece")));
}

TEST_CASE("tools are switched by their key, ride along or stay, and change places by dragging their rows") {
  Driver d;
  box_and_cylinder(d);
  d.key(Qt::Key_D);
  d.settle();
  const PartId box = d.named("Box"), pin = d.named("Cylinder");
  d.key(Qt::Key_0);
  d.settle();
  CHECK_FALSE(d.job().use_of(pin)->on);
  CHECK(d.volume(box) == Approx(box_volume));
  d.key(Qt::Key_0);
  d.settle();
  CHECK(d.volume(box) == Approx(drilled));
  d.click(d.widget(QStringLiteral("ride_along")));
  CHECK_FALSE(d.job().at(pin).rides_on);
  const Affine before = d.job().world_of(pin);
  d.session().select({box});
  d.open_card(QStringLiteral("Place"));
  d.type(d.widget(QStringLiteral("position_%1_0").arg(box)), QStringLiteral("5"));
  d.settle();
  CHECK(d.job().world_of(pin).matrix() == before.matrix());
  CHECK(d.volume(box) == Approx(drilled));
  d.session().select({pin});
  QTest::qWait(30);
  d.click(d.widget(QStringLiteral("ride_along")));
  CHECK(d.job().at(pin).rides_on == box);
  CHECK((d.job().world_of(pin).matrix() - before.matrix()).norm() < 1e-12);
  // A second tool, united: difference first and union then is another solid than the other way round.
  d.session().select({});
  d.key(Qt::Key_S);
  d.settle();
  const PartId ball = d.named("Sphere");
  d.session().select({box, ball});
  d.key(Qt::Key_U);
  d.settle();
  const double first = d.volume(box);
  auto row = [&](PartId tool) { return d.widget<QFrame>(QStringLiteral("tool_%1").arg(tool)); };
  d.session().select({box});
  QTest::qWait(30);
  REQUIRE(row(ball) != nullptr);
  Driver::bring_into_view(row(ball));
  const QPointF middle(60, row(ball)->height() / 2.0);
  d.drag(row(ball), middle, middle - QPointF(0, row(ball)->height() + 4));
  d.settle();
  REQUIRE(d.job().at(box).recipe[0].tools[0].tool == ball);
  CHECK(d.volume(box) < first - 1);
}

TEST_CASE("choose all, hide, show all and lock") {
  Driver d;
  box_and_cylinder(d);
  d.session().select({});
  d.key(Qt::Key_S);
  d.settle();
  const PartId box = d.named("Box"), pin = d.named("Cylinder"), ball = d.named("Sphere");
  d.key(Qt::Key_A, Qt::ControlModifier);
  CHECK(d.session().selection() == std::vector<PartId>{box, pin, ball});
  d.session().select({pin, ball});
  d.key(Qt::Key_H);
  CHECK_FALSE(d.job().at(pin).visible);
  CHECK_FALSE(d.job().at(ball).visible);
  d.key(Qt::Key_A, Qt::ControlModifier);
  CHECK(d.session().selection() == std::vector<PartId>{box});
  d.key(Qt::Key_H, Qt::ShiftModifier);
  for (PartId id : {box, pin, ball}) CHECK(d.job().at(id).visible);
  // Locked: nothing moves it, renames it, deletes it or switches its tools.
  d.session().select({box, pin});
  d.key(Qt::Key_D);
  d.settle();
  d.session().select({box});
  d.key(Qt::Key_L, Qt::ShiftModifier);
  REQUIRE(d.job().at(box).locked);
  const Job locked = d.job();
  auto unchanged = [&] {
    REQUIRE(d.job().parts.size() == locked.parts.size());
    for (PartId id : {box, pin, ball}) CHECK(d.job().at(id) == locked.at(id));
  };
  d.key(Qt::Key_Delete);
  unchanged();
  CHECK(d.told().contains(QStringLiteral("is locked")));
  d.key(Qt::Key_F2);
  QTest::keyClicks(&d.window, QStringLiteral("x"));
  unchanged();
  d.session().select({pin});
  d.key(Qt::Key_0);
  d.key(Qt::Key_Q);
  d.key(Qt::Key_Delete);
  unchanged();
  d.session().select({box});
  d.drag(&d.view(), d.view().pixel_of({15, -15, 20}), d.view().pixel_of({25, -15, 20}));
  unchanged();
  // A locked part with its riding tool chosen as well, dragged by a scale handle: nothing moves, nothing breaks.
  d.session().select({box, pin});
  d.key(Qt::Key_Z);
  const QPointF grip = d.view().handle_pixel(2);
  if (!grip.isNull()) d.drag(&d.view(), grip, grip + QPointF(0, -30));
  unchanged();
  d.session().select({box});
  d.key(Qt::Key_L, Qt::ShiftModifier);
  CHECK_FALSE(d.job().at(box).locked);
}

namespace {

/// Until the camera stands still, however slow the machine is.
void land(Driver& d) {
  Vec3 focus = Vec3::Constant(1e300), forward = focus;
  REQUIRE(d.until([&] {
    QTest::qWait(350);
    const bool still = d.view().camera().focus == focus && d.view().camera().forward() == forward;
    focus = d.view().camera().focus;
    forward = d.view().camera().forward();
    return still;
  }));
}

}  // namespace

TEST_CASE("marks and the bare shape change what is drawn, next and previous place walk through all") {
  Driver d;
  Part part;
  part.name = "Open";
  part.source = ImportedSource{shared(without_faces(stock("box", {20, 20, 20}), {0, 1})), "open.obj"};
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part));
  d.session().select({d.named("Open")});
  d.settle();
  d.key(Qt::Key_4, Qt::ControlModifier);
  d.key(Qt::Key_F);
  land(d);
  const QImage marked = d.view().picture();
  d.key(Qt::Key_K);
  CHECK_FALSE(d.view().marks());
  CHECK(d.view().picture() != marked);
  d.key(Qt::Key_K);
  CHECK(d.view().picture() == marked);
  d.key(Qt::Key_J);
  CHECK(d.view().bare());
  CHECK(d.view().picture() != marked);
  d.key(Qt::Key_J);
  d.key(Qt::Key_N);
  land(d);
  const Vec3 first = d.view().camera().focus;
  d.key(Qt::Key_N);
  land(d);
  const Vec3 second = d.view().camera().focus;
  CHECK((first - second).norm() > 5);
  d.key(Qt::Key_N, Qt::ShiftModifier);
  land(d);
  CHECK((d.view().camera().focus - first).norm() < 1e-9);
}

TEST_CASE("the keys of the views look from where they say") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  struct Look {
    Qt::Key key;
    Vec3 forward;
  };
  for (const Look& look : {Look{Qt::Key_1, {0, 1, 0}}, Look{Qt::Key_2, {0, -1, 0}}, Look{Qt::Key_3, {1, 0, 0}}, Look{Qt::Key_4, {-1, 0, 0}},
                           Look{Qt::Key_5, {0, 0, -1}}, Look{Qt::Key_6, {0, 0, 1}}}) {
    d.key(look.key);
    INFO(static_cast<int>(look.key));
    CHECK(d.until([&] { return (d.view().camera().forward() - look.forward).norm() < 1e-6; }));
  }
  d.key(Qt::Key_7);
  CHECK(d.until([&] { return d.view().camera().forward().cwiseAbs().minCoeff() > 0.1; }));
  d.key(Qt::Key_V);
  CHECK(d.view().parallel());
  d.key(Qt::Key_V);
  d.key(Qt::Key_Y);
  CHECK(d.view().render_style() == anvil::app::RenderStyle::wires);
  d.key(Qt::Key_F5, Qt::ControlModifier);
  CHECK(d.view().render_style() == anvil::app::RenderStyle::edges);
}

TEST_CASE("in four views a flight in one leaves the others alone, wherever the pointer goes") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_X);
  REQUIRE(d.view().four());
  std::array<Vec3, 4> before;
  for (std::size_t k = 0; k < 4; ++k) before[k] = d.view().camera(k).forward();
  d.key(Qt::Key_1);
  for (std::size_t k : {1u, 2u, 3u}) d.move(&d.view(), d.view().picture_area(k).center());
  QTest::qWait(400);
  CHECK((d.view().camera(0).forward() - Vec3(0, 1, 0)).norm() < 1e-6);
  for (std::size_t k : {1u, 2u, 3u}) CHECK((d.view().camera(k).forward() - before[k]).norm() < 1e-9);
}

TEST_CASE("every kind of snapping catches on what it names and on nothing else") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  for (const char* kind : {"snap_grid", "snap_vertices", "snap_middles", "snap_faces"}) {
    QAction* verb = d.window.verbs().find(QLatin1String(kind));
    const bool before = verb->isChecked();
    verb->trigger();
    CHECK(verb->isChecked() != before);
    verb->trigger();
  }
  SnapSettings only;
  only.on = true;
  const PartId box = d.session().chosen();
  const auto hit = pick(targets(d.session(), {box}), d.view().camera().ray(d.view().pixel_of({19, -19, 20}), d.view().size()));
  REQUIRE(hit);
  const QPointF pixel = d.view().pixel_of({19, -19, 20});
  only = {true, false, true, false, false};
  CHECK((*catch_on(*hit, only, d.view().camera(), pixel, d.view().size()) - Vec3(20, -20, 20)).norm() < 1e-9);
  only = {true, false, false, false, true};
  CHECK((*catch_on(*hit, only, d.view().camera(), pixel, d.view().size()) - Vec3(19, -19, 20)).norm() < 0.5);
  only = {true, false, false, true, false};
  CHECK_FALSE(catch_on(*hit, only, d.view().camera(), pixel, d.view().size()));
  const QPointF edge = d.view().pixel_of({19.5, 0.5, 20});
  const auto side = pick(targets(d.session(), {box}), d.view().camera().ray(edge, d.view().size()));
  REQUIRE(side);
  CHECK((*catch_on(*side, only, d.view().camera(), edge, d.view().size()) - Vec3(20, 0, 20)).norm() < 1e-9);
}

TEST_CASE("a new job, save as, and export of all that is visible") {
  Driver d;
  const TemporaryFolder folder;
  box_and_cylinder(d);
  d.session().select({d.named("Cylinder")});
  d.open_card(QStringLiteral("Place"));
  d.type(d.widget(QStringLiteral("position_%1_0").arg(d.named("Cylinder"))), QStringLiteral("100"));
  d.settle();
  d.answer_file(folder / "first.anvil");
  d.key(Qt::Key_S, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.session().history().saved(); }));
  d.answer_file(folder / "second.anvil");
  d.key(Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
  REQUIRE(Driver::until([&] { return std::filesystem::exists(folder / "second.anvil") && !d.session().busy_with_files(); }));
  CHECK(d.session().path() == folder / "second.anvil");
  CHECK(load_job(folder / "first.anvil")->parts.size() == 2);
  d.answer_file(folder / "all.ply");
  d.key(Qt::Key_E, Qt::ControlModifier | Qt::ShiftModifier);
  REQUIRE(Driver::until([&] { return std::filesystem::exists(folder / "all.ply") && !d.session().busy_with_files(); }));
  const SoundnessReport report = check_soundness(read_mesh(folder / "all.ply")->mesh);
  CHECK(report.shells == 2);
  CHECK(report.volume == Approx(box_volume + pin_area * 40));
  d.session().select({d.named("Box")});
  d.key(Qt::Key_H);
  CHECK_FALSE(d.session().history().saved());
  d.answer_button(QStringLiteral("unsaved"), QStringLiteral("Don't save"));
  d.key(Qt::Key_N, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.job().parts.empty(); }));
  CHECK(d.session().path().empty());
  // In an empty job nothing is left of the last part: no bold rows, their marks in place.
  QTest::qWait(30);
  for (QLabel* label : d.window.rail().findChildren<QLabel*>()) CHECK_FALSE(label->styleSheet().contains(QStringLiteral("600")));
}

TEST_CASE("after Stop, export waits for the result of the job as it is, or says that nothing was written") {
  Driver d;
  const TemporaryFolder folder;
  box_and_cylinder(d);
  d.key(Qt::Key_D);
  d.settle();
  const PartId box = d.named("Box");
  d.session().select({box});
  // Stopped before the change has an answer: what is shown is older than the job.
  d.session().commit(QStringLiteral("change"), edit::change_part(d.job(), box, [](Part& p) { p.source = Primitive::of("box", {50, 40, 20}); }));
  d.session().stop_work();
  d.session().wait_idle();
  QTest::qWait(50);
  d.answer_file(folder / "part.off");
  d.key(Qt::Key_E, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return std::filesystem::exists(folder / "part.off") && !d.session().busy_with_files(); }));
  CHECK(check_soundness(read_mesh(folder / "part.off")->mesh).volume == Approx(50 * 40 * 20 - pin_area * 20));
  CHECK(d.session().is_current(box));
}

TEST_CASE("an empty result is not written, and what is dragged too small or too far goes back") {
  Driver d;
  const TemporaryFolder folder;
  box_and_cylinder(d);
  d.session().select({d.named("Cylinder"), d.named("Box")});
  d.key(Qt::Key_D);
  d.settle();
  d.session().commit(QStringLiteral("grow"), edit::change_part(d.job(), d.named("Box"), [](Part& p) { p.source = Primitive::of("box", {100, 100, 100}); }));
  d.settle();
  REQUIRE(d.session().result(d.named("Cylinder")).evaluated->mesh->empty());
  d.session().select({d.named("Cylinder")});
  d.key(Qt::Key_E, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return !d.told().isEmpty(); }));
  CHECK(d.told().contains(QStringLiteral("covers the whole part")));
  const PartId box = d.named("Box");
  const Placement before = d.job().at(box).placement;
  d.session().preview(edit::change_part(d.job(), box, [](Part& p) { p.placement.scale.x() = 1e7; }));
  d.session().commit_preview(QStringLiteral("scale"));
  CHECK(d.job().at(box).placement == before);
}

TEST_CASE("a file that has been read while something is dragged comes in when the drag ends") {
  Driver d;
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "late.3mf"));
  d.key(Qt::Key_B);
  d.settle();
  const PartId box = d.session().chosen();
  const QPointF body = d.view().pixel_of({15, -15, 20});
  d.press(&d.view(), body);
  d.move(&d.view(), body + QPointF(30, 0));
  d.session().bring_in({folder / "late.3mf"}, Unit::millimetre);
  QTest::qWait(300);
  CHECK(d.job().parts.size() == 1);
  d.move(&d.view(), body + QPointF(60, 0));
  d.release(&d.view(), body + QPointF(60, 0));
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 2; }));
  CHECK(d.named("late") != 0);
  CHECK(d.job().at(box).placement.position.x() > 1);  // and the drag is not lost either
}

TEST_CASE("the safety copy stays until another job has taken the place of the one it is of") {
  Driver d;
  const TemporaryFolder folder;
  QSettings().setValue(QStringLiteral("autosave_seconds"), 1);
  MainWindow window;  // with the short interval
  window.session().commit(QStringLiteral("make"), edit::add_part(Job{}, [] { Part p; p.name = "Precious"; p.source = Primitive::of("box"); return p; }()));
  REQUIRE(Driver::until([] { return safety_copies().size() == 1; }));
  // Don't save, then the Open dialog is called off: the work and its copy are still there.
  d.answer(QString(), [](QDialog& dialog) { dialog.reject(); });
  d.answer_button(QStringLiteral("unsaved"), QStringLiteral("Don't save"));
  window.files().open_job();
  CHECK(window.session().job().parts.size() == 1);
  CHECK(safety_copies().size() == 1);
  window.session().new_job();
  CHECK(safety_copies().empty());
}

TEST_CASE("numbers are told with three significant digits, in the unit that reads best") {
  Driver d;
  auto value = [&](const char* name) {
    for (QLabel* label : d.window.rail().findChildren<QLabel*>())
      if (label->accessibleName() == QLatin1String(name)) return label->text();
    return QString();
  };
  auto box_of = [&](double side) {
    Part part;
    part.name = "Cube";
    part.source = Primitive::of("box", {side, side, side});
    PartId id = 0;
    d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part, &id));
    d.session().select({id});
    d.settle();
  };
  box_of(2);
  CHECK(value("Volume") == QStringLiteral("8.00 mm³"));
  CHECK(value("Area") == QStringLiteral("24.0 mm²"));
  CHECK(value("Mass, PETG") == QStringLiteral("10.2 mg"));
  box_of(120);
  CHECK(value("Volume") == QStringLiteral("1728 cm³"));
  CHECK(value("Area") == QStringLiteral("864 cm²"));
  box_of(0.01);
  CHECK(value("Volume") == QStringLiteral("1e-06 mm³"));
}

TEST_CASE("a chosen part of hundreds of thousands of triangles looks chosen") {
  Driver d;
  Part part;
  part.name = "Ball";
  part.source = Primitive::of("sphere", {60, 800, 400});
  PartId id = 0;
  d.session().commit(QStringLiteral("add"), edit::add_part(d.job(), part, &id));
  d.settle();
  auto middle = [&] {
    d.view().picture();
    REQUIRE(Driver::until([&] { return d.view().still_finished(); }));
    const QImage image = d.view().picture();
    const QPointF at = d.view().pixel_of({10, -20, 15}) * d.view().devicePixelRatioF();
    return QColor(image.pixel(at.toPoint()));
  };
  const QColor plain = middle();
  d.session().select({id});
  QTest::qWait(30);
  const QColor chosen = middle();
  CHECK(chosen.red() - chosen.green() > plain.red() - plain.green() + 20);
}

TEST_CASE("a tint, a layout of columns and a folder are really kept") {
  const TemporaryFolder folder;
  {
    Driver d;
    d.key(Qt::Key_B);
    d.settle();
    d.answer_file(folder / "kept.anvil");
    d.key(Qt::Key_S, Qt::ControlModifier);
    REQUIRE(Driver::until([&] { return d.session().history().saved(); }));
    auto* columns = d.window.findChild<QSplitter*>(QString(), Qt::FindDirectChildrenOnly);
    for (QSplitter* splitter : d.window.findChildren<QSplitter*>())
      if (splitter->orientation() == Qt::Horizontal) columns = splitter;
    REQUIRE(columns != nullptr);
    columns->setSizes({340, 620, 320});
    d.answer(QString(), [](QDialog&) {});
  }
  Driver d;
  for (QSplitter* splitter : d.window.findChildren<QSplitter*>())
    if (splitter->orientation() == Qt::Horizontal) CHECK(std::abs(splitter->sizes()[0] - 340) <= 2);
  CHECK(std::filesystem::path(d.window.files().folder().toStdString()) == (folder / "").parent_path());
  // Tint, by its dialog.
  d.key(Qt::Key_B);
  d.settle();
  auto* timer = new QTimer(&d.window);
  QObject::connect(timer, &QTimer::timeout, &d.window, [timer] {
    if (auto* dialog = qobject_cast<QColorDialog*>(QApplication::activeModalWidget())) {
      timer->stop();
      dialog->setCurrentColor(QColor(0xA1, 0x26, 0x7E));
      dialog->accept();
    }
  });
  timer->start(30);
  d.key(Qt::Key_T, Qt::ShiftModifier);
  CHECK(d.job().parts[0]->tint == 0xA1267Eu);
  const QColor drawn = QColor(d.view().picture().pixel((d.view().pixel_of({5, 5, 20}) * d.view().devicePixelRatioF()).toPoint()));
  CHECK(drawn.red() > drawn.green() + 30);
}

TEST_CASE("a part dragged in the list comes to stand where it is let go, in the job and in the list") {
  Driver d;
  for (const Qt::Key key : {Qt::Key_B, Qt::Key_C, Qt::Key_B}) {
    d.key(key);
    d.settle();
  }
  const PartId first = d.job().parts[0]->id, second = d.job().parts[1]->id, third = d.job().parts[2]->id;
  auto* list = d.widget<QListWidget>("parts");
  REQUIRE(list->count() == 3);
  const QRectF from = list->visualItemRect(list->item(0)), to = list->visualItemRect(list->item(2));
  // From the first move on the list runs an event loop of its own, until the button is up: each move has its own timer.
  bool up = false;
  for (int step = 1; step <= 12; ++step)
    QTimer::singleShot(30 * step, &d.window, [&, step] {
      const QPointF at(from.center().x() - 40, from.center().y() + step / 12.0 * (to.bottom() - 3 - from.center().y()));
      QTest::mouseMove(Driver::window_of(list), Driver::in_window(list->viewport(), at));
      if (step < 12) return;
      QTest::mouseRelease(Driver::window_of(list), Qt::LeftButton, {}, Driver::in_window(list->viewport(), at));
      up = true;
    });
  d.press(list->viewport(), from.center() - QPointF(40, 0));
  REQUIRE(Driver::until([&] { return up && d.job().parts[0]->id == second; }));
  CHECK(d.job().parts[1]->id == third);
  CHECK(d.job().parts[2]->id == first);
  CHECK(list->item(2)->text().toStdString() == d.job().parts[2]->name);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.job().parts[0]->id == first);
}
