// SPDX-License-Identifier: GPL-3.0-or-later
// The main job as a person does it: by mouse and keys in the real window, judged by what the job contains.
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QMimeData>
#include <QStandardPaths>
#include <fstream>
#include <set>

#include "app/finder.h"
#include "core/io/mesh_file.h"
#include "core/soundness/check.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

TEST_CASE("an empty job shows no list of sets") {
  Driver d;
  CHECK(d.widget("sets") == nullptr);
  CHECK(d.widget("set_menu") == nullptr);
}

TEST_CASE("a box and a cylinder are made with keys, their dimensions typed in the card") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  REQUIRE(d.job().parts.size() == 1);
  const PartId box = d.session().chosen();
  d.type(d.widget(QStringLiteral("dimension_%1_x").arg(box)), QStringLiteral("62.5"));
  d.settle();
  CHECK(std::get<Primitive>(d.job().at(box).source).values == FieldValues{62.5, 40.0, 20.0});
  CHECK(d.volume(box) == Approx(62.5 * 40 * 20));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  // Every primitive has a verb in the Stock station.
  for (const StockKind& kind : stock_table())
    CHECK(d.window.verbs().find(QString::fromStdString(kind.key)) != nullptr);
}

TEST_CASE("a mesh file is brought in by dialog, asks its unit once, and comes as polygons in millimetres") {
  Driver d;
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "first.obj"));
  REQUIRE(write_mesh(cube(2), folder / "second.ply"));
  d.answer_file(folder / "first.obj");
  d.answer_button(QStringLiteral("unit"), QStringLiteral("Inch"));
  d.key(Qt::Key_I, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 1; }));
  d.settle();
  CHECK(d.job().unit == Unit::inch);
  CHECK(d.session().result(d.named("first")).evaluated->mesh->face_count() == 6);
  CHECK(d.session().world_bounds(d.named("first")).size().x() == Approx(50.8));
  d.answer_file(folder / "second.ply");  // no second question
  d.key(Qt::Key_I, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 2; }));
}

TEST_CASE("several files are dropped onto the window; a bad one is named and the others still come") {
  Driver d;
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "good.stl"));
  write_text(folder / "bad.off", "OFF\n1 1 0\n0 0 0\n3 0 1 2\n");
  QMimeData data;
  data.setUrls({QUrl::fromLocalFile(QString::fromStdString((folder / "good.stl").string())),
                QUrl::fromLocalFile(QString::fromStdString((folder / "bad.off").string()))});
  QDragEnterEvent enter(QPoint(600, 400), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&d.window, &enter);
  CHECK(enter.isAccepted());
  d.answer_button(QStringLiteral("unit"), QStringLiteral("Millimetre"));
  QDropEvent drop(QPointF(600, 400), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&d.window, &drop);
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 1; }));
  CHECK(d.named("good") != 0);
  CHECK(d.told().contains(QStringLiteral("bad.off")));
  CHECK(d.told().contains(QStringLiteral("line 4")));
}

TEST_CASE("parts are chosen by clicking in the view and in the list, with Ctrl for several") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  const PartId box = d.session().chosen();
  d.key(Qt::Key_Escape);
  CHECK(d.session().selection().empty());
  d.click(&d.view(), d.view().pixel_of({0, 0, 20}));
  CHECK(d.session().selection() == std::vector<PartId>{box});
  d.click(&d.view(), QPointF(30, d.view().height() - 120));
  CHECK(d.session().selection().empty());
  d.key(Qt::Key_S);
  d.settle();
  auto* list = d.widget<QListWidget>(QStringLiteral("parts"));
  REQUIRE(list->count() == 2);
  const QPointF first = list->visualItemRect(list->item(0)).center(),
                second = list->visualItemRect(list->item(1)).center();
  d.click(list->viewport(), second);
  d.click(list->viewport(), first, Qt::ControlModifier);
  // The first one chosen comes first: it is the part that a combination keeps.
  CHECK(d.session().selection() == std::vector<PartId>{d.named("Sphere"), box});
}

TEST_CASE("a handle moves along its axis only, typing gives the exact distance, and undo brings it back") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  const PartId box = d.session().chosen();
  const Vec3 before = d.job().at(box).placement.position;
  const QPointF grip = d.view().handle_pixel(2);
  REQUIRE_FALSE(grip.isNull());
  d.drag(&d.view(), grip, grip + QPointF(15, -60));
  const Vec3 after = d.job().at(box).placement.position;
  CHECK(after.z() > before.z() + 1);
  CHECK(after.head<2>() == before.head<2>());
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.job().at(box).placement.position == before);

  const QPointF again = d.view().handle_pixel(0);
  d.press(&d.view(), again);
  d.move(&d.view(), again + QPointF(30, 10));
  for (const Qt::Key k : {Qt::Key_1, Qt::Key_2, Qt::Key_Period, Qt::Key_5})
    QTest::keyClick(d.window.windowHandle(), k);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
  d.release(&d.view(), again + QPointF(30, 10));
  CHECK(d.job().at(box).placement.position == before + Vec3(12.5, 0, 0));
}

TEST_CASE("escape during a drag puts everything back and leaves no step behind") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  const Job before = d.job();
  const auto label = d.session().history().undo_label();
  const QPointF body = d.view().pixel_of({15, -15, 20});
  d.press(&d.view(), body);
  d.move(&d.view(), body + QPointF(40, 0));
  d.move(&d.view(), body + QPointF(80, 0));
  CHECK_FALSE(d.job().parts[0]->placement == before.parts[0]->placement);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Escape);
  d.release(&d.view(), body + QPointF(80, 0));
  CHECK(d.job().parts[0]->placement == before.parts[0]->placement);
  CHECK(d.session().history().undo_label() == label);
}

TEST_CASE("turning and scaling with handles, position, angles and size with numbers") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  const PartId box = d.session().chosen();
  d.key(Qt::Key_T);
  const QPointF ring = d.view().handle_pixel(2);
  d.drag(&d.view(), ring, ring + QPointF(40, 12));
  CHECK(d.job().at(box).placement.angles.z() != 0);
  CHECK(d.job().at(box).placement.angles.head<2>() == Eigen::Vector2d(0, 0));
  d.key(Qt::Key_Z);
  const QPointF grip = d.view().handle_pixel(2);
  d.drag(&d.view(), grip, grip + QPointF(0, -30));
  CHECK(d.job().at(box).placement.scale.z() > 1.05);
  CHECK(d.job().at(box).placement.scale.x() == 1);
  // A typed factor may pass through zero, but not end there.
  const auto type_factor = [&](const std::vector<Qt::Key>& keys) {
    const QPointF at = d.view().handle_pixel(2);
    d.press(&d.view(), at);
    d.move(&d.view(), at + QPointF(0, -20));
    for (const Qt::Key k : keys) QTest::keyClick(d.window.windowHandle(), k);
    QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
    d.release(&d.view(), at + QPointF(0, -20));
    return d.job().at(box).placement.scale.z();
  };
  const double tall = d.job().at(box).placement.scale.z();
  QString told;
  QObject::connect(&d.session(), &Session::complained, &d.window, [&](const Issue& issue) { told = QString::fromStdString(issue.message()); });
  CHECK(type_factor({Qt::Key_0, Qt::Key_Period, Qt::Key_5}) == Approx(tall / 2));
  CHECK(told.isEmpty());
  CHECK(type_factor({Qt::Key_0}) == Approx(tall / 2));
  CHECK(told.contains(QStringLiteral("type a larger one")));
  // The Place card, opened by its title.
  for (QToolButton* title : d.window.findChildren<QToolButton*>())
    if (title->isVisible() && title->text() == QStringLiteral("Place")) d.click(title);
  d.type(d.widget(QStringLiteral("position_%1_0").arg(box)), QStringLiteral("-7.25"));
  d.type(d.widget(QStringLiteral("angle_%1_2").arg(box)), QStringLiteral("30"));
  d.type(d.widget(QStringLiteral("size_%1_2").arg(box)), QStringLiteral("33"));
  d.settle();
  CHECK(d.job().at(box).placement.position.x() == -7.25);
  CHECK(d.job().at(box).placement.angles.z() == 30);
  CHECK(d.session().world_bounds(box).size().z() == Approx(33));
}

TEST_CASE("with snapping a dragged part lands exactly on another part's vertex") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  const PartId box = d.session().chosen();
  d.session().select({});
  d.key(Qt::Key_B);
  d.settle();
  const PartId other = d.session().chosen();
  for (QToolButton* title : d.window.findChildren<QToolButton*>())
    if (title->isVisible() && title->text() == QStringLiteral("Place")) d.click(title);
  d.type(d.widget(QStringLiteral("position_%1_0").arg(other)), QStringLiteral("70"));
  d.settle();
  d.view().setFocus();
  d.key(Qt::Key_5);
  d.key(Qt::Key_F);
  QTest::qWait(700);
  d.key(Qt::Key_G);  // snap on
  // Grab the second box by its top, clear of the handles, and bring that spot to the first box's corner.
  const QPointF from = d.view().pixel_of({82, -12, 20}), corner = d.view().pixel_of({20, 20, 20});
  d.drag(&d.view(), from, corner + QPointF(-4, 3));
  const Vec3 shift = d.job().at(other).placement.position - Vec3(70, 0, 10);
  CHECK(shift.x() == Approx(20 - 82).margin(0.2));  // the grabbed point is the pixel's, the target is exact
  CHECK(shift.y() == Approx(20 + 12).margin(0.2));
  CHECK(d.job().at(box).placement.position == Vec3(0, 0, 10));
}

TEST_CASE("duplicate, rename, hide, lock, tint and delete, each undoable") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_D, Qt::ControlModifier);
  d.settle();
  REQUIRE(d.job().parts.size() == 2);
  const PartId copy = d.session().chosen();
  d.key(Qt::Key_F2);
  auto* editor = d.widget<QLineEdit>(QString());
  for (QLineEdit* line : d.window.findChildren<QLineEdit*>())
    if (line->isVisible() && line->hasFocus() && line->objectName().isEmpty()) editor = line;
  REQUIRE(editor != nullptr);
  editor->selectAll();
  QTest::keyClicks(editor, QStringLiteral("Anvil foot"));
  QTest::keyClick(editor, Qt::Key_Return);
  CHECK(Driver::until([&] { return d.job().at(copy).name == "Anvil foot"; }));
  d.view().setFocus();
  d.key(Qt::Key_H);
  CHECK_FALSE(d.job().at(copy).visible);
  d.key(Qt::Key_H);
  d.key(Qt::Key_L, Qt::ShiftModifier);
  CHECK(d.job().at(copy).locked);
  const QPointF body = d.view().pixel_of({15, -15, 20});
  d.drag(&d.view(), body, body + QPointF(60, 0));
  CHECK(d.job().at(copy).placement.position == Vec3(0, 0, 10));
  d.key(Qt::Key_L, Qt::ShiftModifier);
  d.key(Qt::Key_Delete);
  CHECK(d.job().find(copy) == nullptr);
  for (int k = 0; k < 8; ++k) d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.job().parts.empty());
  for (int k = 0; k < 8; ++k) d.key(Qt::Key_Y, Qt::ControlModifier);
  CHECK(d.job().parts.size() == 1);
}

TEST_CASE("difference cuts at once, the ghost can be dragged and the result follows while it moves") {
  Driver d;
  box_and_cylinder(d);
  const PartId box = d.named("Box"), tool = d.named("Cylinder");
  d.key(Qt::Key_D);  // the cylinder alone is chosen: it is the tool for the box it touches
  d.settle();
  REQUIRE(d.job().use_of(tool));
  CHECK(d.job().use_of(tool)->part == box);
  CHECK(d.volume(box) == Approx(drilled).epsilon(1e-9));
  CHECK(d.session().selection() == std::vector<PartId>{tool});

  // Drag the ghost by its top; while the button is down the result follows.
  const QPointF top = d.view().pixel_of({0, 0, 30});
  d.press(&d.view(), top);
  for (int k = 1; k <= 10; ++k) d.move(&d.view(), top + QPointF(20.0 * k, 0));
  CHECK(Driver::until([&] { return std::abs(d.volume(box) - drilled) > 1; }));
  CHECK(d.session().history().current() != d.session().history().committed());
  d.release(&d.view(), top + QPointF(200, 0));
  d.settle();
  CHECK(d.session().history().current() == d.session().history().committed());
  CHECK(d.session().history().undo_label() == "move");
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.volume(box) == Approx(drilled).epsilon(1e-9));
}

TEST_CASE("nothing is lost: switching the tool or the step off brings part and tool back") {
  Driver d;
  box_and_cylinder(d);
  const PartId box = d.named("Box"), tool = d.named("Cylinder");
  d.key(Qt::Key_D);
  d.settle();
  d.click(d.widget(QStringLiteral("tool_on_%1").arg(tool)));
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  d.click(d.widget(QStringLiteral("tool_on_%1").arg(tool)));
  d.click(d.widget(QStringLiteral("step_%1_on").arg(d.job().at(box).recipe[0].id)));
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  d.click(d.widget(QStringLiteral("step_%1_on").arg(d.job().at(box).recipe[0].id)));
  d.settle();
  CHECK(d.volume(box) == Approx(drilled).epsilon(1e-9));
  d.key(Qt::Key_Q);  // the tool becomes a part again, where it stands
  d.settle();
  CHECK_FALSE(d.job().use_of(tool));
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  CHECK(d.volume(tool) == Approx(polygon_area(64, 10) * 40));
}

TEST_CASE("union and intersection by choosing part and tool, and swap exchanges which is kept") {
  Driver d;
  box_and_cylinder(d);
  const PartId box = d.named("Box"), tool = d.named("Cylinder");
  auto* list = d.widget<QListWidget>(QStringLiteral("parts"));
  d.click(list->viewport(), list->visualItemRect(list->item(0)).center());
  d.click(list->viewport(), list->visualItemRect(list->item(1)).center(), Qt::ControlModifier);
  CHECK(d.session().selection() == std::vector<PartId>{box, tool});
  d.window.set_station(Station::combine);
  QTest::qWait(30);
  for (QToolButton* verb : d.window.findChildren<QToolButton*>(QStringLiteral("verb")))
    if (verb->isVisible() && verb->text() == QStringLiteral("Union")) d.click(verb);
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 20 + polygon_area(64, 10) * 20).epsilon(1e-9));
  d.key(Qt::Key_I);  // with the tool chosen, the keys change its operation
  d.settle();
  CHECK(d.volume(box) == Approx(polygon_area(64, 10) * 20).epsilon(1e-9));
  d.key(Qt::Key_D);
  d.key(Qt::Key_W);
  d.settle();
  CHECK(d.job().use_of(box)->part == tool);
  CHECK(d.volume(tool) == Approx(polygon_area(64, 10) * 20).epsilon(1e-9));
}

TEST_CASE("the rail counts, opens to places, and show flies there") {
  Driver d;
  const TemporaryFolder folder;
  REQUIRE(write_mesh(without_faces(cube(20), {1}), folder / "lid.off"));
  d.answer_button(QStringLiteral("unit"), QStringLiteral("Millimetre"));
  d.window.files().open_paths({QString::fromStdString((folder / "lid.off").string())});
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 1; }));
  d.settle();
  QLabel* verdict_label = d.widget<QLabel>(QStringLiteral("verdict"));
  CHECK(verdict_label->text() == QStringLiteral("Not sound"));
  QToolButton* row = nullptr;
  for (QToolButton* button : d.window.rail().findChildren<QToolButton*>(QStringLiteral("row")))
    if (button->accessibleName() == QStringLiteral("Open edges and holes")) row = button;
  d.click(row);
  QToolButton* show = nullptr;
  for (QToolButton* button : d.window.rail().findChildren<QToolButton*>(QStringLiteral("link")))
    if (button->isVisible() && button->text() == QStringLiteral("show")) show = button;
  REQUIRE(show != nullptr);
  d.click(show);
  QTest::qWait(500);
  CHECK((d.view().camera().focus - Vec3(0, 0, 10)).norm() < 1e-9);
  CHECK(d.view().hint().contains(QStringLiteral("hole, 4 edges")));
  d.key(Qt::Key_Escape);
  CHECK_FALSE(d.view().hint().contains(QStringLiteral("hole")));
}

TEST_CASE("a refusal names the part and its places stay in the rail until the cause is gone") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_L);  // a plane sheet in the middle of the box
  d.settle();
  d.key(Qt::Key_D);
  d.settle();
  const PartId box = d.named("Box");
  const PartResult r = d.session().result(box);
  REQUIRE(r.evaluated->error);
  CHECK(d.session().named(box, *r.evaluated->error).subject == "Plane sheet");
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  bool shown = false;
  for (QLabel* label : d.window.rail().findChildren<QLabel*>())
    shown = shown || (label->isVisible() && label->text().contains(QStringLiteral("Plane sheet: it bounds nothing")));
  CHECK(shown);
  d.key(Qt::Key_Delete);
  d.settle();
  CHECK_FALSE(d.session().result(box).evaluated->error);
}

TEST_CASE("a cut box split by its own copy is one piece without skins, wherever it stands and however it is turned") {
  struct Pose {
    Vec3 box, box_angles, pin, pin_angles;
  };
  const Vec3 none = Vec3::Zero();
  for (const Pose& pose : {Pose{{0, 0, 10}, none, {0, 0, 10}, none}, Pose{{0, 0, 10}, none, {20, 0, 10}, none},
                           Pose{{0, 0, 10}, {0, 0, 30}, {3.3, 1.7, 10}, {90, 0, 0}},
                           Pose{{7.1, -3.3, 21.7}, {10, 45, 30}, {8.9, -1.1, 20}, {75, 20, 5}}}) {
    Driver d;
    box_and_cylinder(d);
    const PartId box = d.named("Box"), pin = d.named("Cylinder");
    for (const auto& [part, at, angles] : {std::tuple(box, pose.box, pose.box_angles), std::tuple(pin, pose.pin, pose.pin_angles)})
      d.session().commit(QStringLiteral("move"), edit::change_part(d.job(), part, [&](Part& p) {
                           p.placement.position = at;
                           p.placement.angles = angles;
                         }));
    d.session().select({pin});
    d.key(Qt::Key_D);
    d.settle();
    const double volume = d.volume(box);
    CHECK(volume < box_volume - 1);
    d.session().select({box});
    d.key(Qt::Key_D, Qt::ControlModifier);
    REQUIRE(d.job().parts.size() == 4);
    const PartId copy = d.session().chosen();
    d.key(Qt::Key_D, Qt::ShiftModifier);
    d.settle();
    REQUIRE(d.job().use_of(copy));
    REQUIRE(d.job().use_of(copy)->part == box);
    const Evaluated& made = *d.session().result(box).evaluated;
    const SoundnessReport& report = *d.session().result(box).report;
    CHECK(report.sound);
    CHECK(made.pieces == 1);
    CHECK(report.shells == 1);
    CHECK(d.volume(box) == Approx(volume).epsilon(1e-9));
  }
}

TEST_CASE("a sheet splits a box, the rail counts the pieces, and they are broken out as parts") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_L);  // a plane sheet in the middle of the box
  d.settle();
  d.key(Qt::Key_D, Qt::ShiftModifier);
  d.settle();
  const PartId box = d.named("Box");
  const PartResult r = d.session().result(box);
  REQUIRE_FALSE(r.evaluated->error);
  CHECK(r.evaluated->pieces == 2);
  REQUIRE(r.report);
  CHECK(r.report->sound);
  CHECK(r.report->volume == Approx(40 * 40 * 20));
  CHECK(r.evaluated->drawable->fresh.size() >= 4);
  auto says = [&](const char* text) {
    for (QLabel* label : d.window.rail().findChildren<QLabel*>())
      if (label->isVisible() && label->text().contains(QLatin1String(text))) return true;
    return false;
  };
  CHECK(says("Plane sheet is open and cuts as a sheet"));
  CHECK(says("2 pieces"));
  d.key(Qt::Key_B, Qt::ShiftModifier);
  d.settle();
  CHECK(d.job().parts.size() == 4);
  CHECK_FALSE(d.job().at(box).visible);
  REQUIRE(d.session().selection().size() == 2);
  for (PartId piece : d.session().selection()) CHECK(d.volume(piece) == Approx(20 * 40 * 20));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.job().parts.size() == 2);
}

TEST_CASE("save with a dialog, change, reopen: the job is the one that was saved") {
  Driver d;
  const TemporaryFolder folder;
  box_and_cylinder(d);
  d.key(Qt::Key_D);
  d.settle();
  d.answer_file(folder / "gauge.anvil");
  d.key(Qt::Key_S, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.session().history().saved(); }));  // it is written on another thread
  REQUIRE(std::filesystem::exists(folder / "gauge.anvil"));
  const Job saved = d.job();
  d.key(Qt::Key_Delete);
  CHECK_FALSE(d.session().history().saved());
  d.answer_button(QStringLiteral("unsaved"), QStringLiteral("Don't save"));
  d.window.files().open_paths({QString::fromStdString((folder / "gauge.anvil").string())});
  d.settle();
  REQUIRE(d.job().parts.size() == 2);
  CHECK(*d.job().parts[0] == *saved.parts[0]);
  CHECK(*d.job().parts[1] == *saved.parts[1]);
  CHECK(d.volume(d.named("Box")) == Approx(drilled).epsilon(1e-9));
}

TEST_CASE("unsaved work is copied, and brought back after a crash") {
  const TemporaryFolder folder;
  {
    Driver d;
    QSettings().setValue(QStringLiteral("autosave_seconds"), 1);
    Session session;
    Autosave autosave(session, 0);
    bool written = false;
    QObject::connect(&autosave, &Autosave::written, [&](bool good) { written = good; });
    Part part;
    part.name = "Precious";
    part.source = Primitive::of("box");
    part.id = 1;
    Job job;
    job.parts.push_back(std::make_shared<const Part>(part));
    job.next_id = 2;
    session.commit(QStringLiteral("make"), job);
    REQUIRE(Driver::until([&] { return written; }));
    CHECK(Autosave::leftovers().empty());  // its program still runs
    // Somebody empties the folder meanwhile.
    std::filesystem::remove_all(recovery_folder());
    written = false;
    session.commit(QStringLiteral("again"), job);
    REQUIRE(Driver::until([&] { return written; }));
    CHECK(std::filesystem::exists(autosave.copy()));
    CHECK(Autosave::leftovers().empty());
    // What a crash leaves: the same copy, which nobody holds.
    std::filesystem::copy_file(autosave.copy(), recovery_folder() / "left.anvil");
    REQUIRE(Autosave::leftovers().size() == 1);
    autosave.discard();
  }
  Driver d;
  d.answer_button(QStringLiteral("recovery"), QStringLiteral("Bring it back"));
  d.window.files().offer_recovery();
  REQUIRE(d.job().parts.size() == 1);
  CHECK(d.job().parts[0]->name == "Precious");
  CHECK_FALSE(d.session().history().saved());
  // The copy it came from goes only once there is one of this run's own.
  REQUIRE(Driver::until([&] { return Autosave::leftovers().empty(); }));
  CHECK(safety_copies().size() == 1);
  // It counts as not saved until it is, whatever is undone; leaving asks.
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.job().parts.size() == 1);
  CHECK_FALSE(d.session().history().saved());
  CHECK(safety_copies().size() == 1);
  bool asked = false;
  d.answer(QStringLiteral("unsaved"), [&](QDialog& dialog) {
    asked = true;
    dialog.reject();
  });
  d.window.close();
  CHECK(Driver::until([&] { return asked; }));
}

TEST_CASE("export writes the chosen part as it stands; what is not sound is said first") {
  Driver d;
  const TemporaryFolder folder;
  box_and_cylinder(d);
  d.key(Qt::Key_D);
  d.settle();
  // The tool is still chosen: it is asked whether that is meant, or what it cuts.
  d.answer_button(QStringLiteral("export_what"), QStringLiteral("Box, with its tools"));
  d.answer_file(folder / "part.stl");
  d.key(Qt::Key_E, Qt::ControlModifier);
  REQUIRE(Driver::until(
      [&] { return std::filesystem::exists(folder / "part.stl") && !d.session().busy_with_files(); }));
  const auto back = read_mesh(folder / "part.stl");
  REQUIRE(back);
  const SoundnessReport report = check_soundness(back->mesh);
  CHECK(report.sound);
  CHECK(report.volume == Approx(drilled).epsilon(1e-5));
  CHECK(report.bounds.lo.z() == 0);

  d.key(Qt::Key_L);
  d.settle();
  d.key(Qt::Key_Q);
  d.answer_button(QStringLiteral("not_sound"), QStringLiteral("Look at the places"));
  d.key(Qt::Key_E, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.view().hint().contains(QStringLiteral("hole")); }));
  d.answer_button(QStringLiteral("not_sound"), QStringLiteral("Export anyway"));
  d.answer_file(folder / "sheet.obj");
  d.key(Qt::Key_E, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return std::filesystem::exists(folder / "sheet.obj"); }));
}

TEST_CASE("the finder runs a verb by its words, and F1 lists every key") {
  Driver d;
  d.answer(QStringLiteral("finder"), [](QDialog& dialog) {
    auto* line = dialog.findChild<QLineEdit*>();
    QTest::keyClicks(line, QStringLiteral("torus"));
    QTest::keyClick(line, Qt::Key_Return);
  });
  d.key(Qt::Key_K, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.job().parts.size() == 1; }));
  CHECK(d.named("Torus") != 0);
  bool listed = false;
  d.answer(QStringLiteral("key_sheet"), [&](QDialog& dialog) {
    for (const QLabel* label : dialog.findChildren<QLabel*>())
      listed = listed || label->text() == QStringLiteral("Difference");
    dialog.accept();
  });
  d.key(Qt::Key_F1);
  CHECK(Driver::until([&] { return listed; }));
  // Every verb without a key is a setting; every key is used once.
  for (std::size_t k = 0; k < stations.size(); ++k) {
    d.key(static_cast<Qt::Key>(Qt::Key_1 + k), Qt::ControlModifier);
    std::set<QString> keys;
    for (const Verb& verb : d.window.verbs().all())
      for (const QKeySequence& key : verb.action->shortcuts()) {
        INFO(verb.action->text().toStdString() << ' ' << key.toString().toStdString());
        CHECK(keys.insert(key.toString()).second);
      }
  }
  // Letters of a station count only while it is up; the key sheet and the finder show them always.
  const QAction* difference = d.window.verbs().find(QStringLiteral("difference"));
  REQUIRE(difference != nullptr);
  CHECK(difference->shortcuts().isEmpty());
  d.key(Qt::Key_2, Qt::ControlModifier);
  CHECK(difference->shortcut() == QKeySequence(Qt::Key_D));
}

TEST_CASE("the camera: orbit, pan and zoom change no part and upload nothing") {
  Driver d;
  d.key(Qt::Key_E);
  d.settle();
  QTest::qWait(100);
  const std::size_t uploads = d.view().renderer().uploads();
  CHECK(uploads > 0);
  const JobPtr before = d.session().history().current();
  const QPointF middle(d.view().width() / 2.0, d.view().height() / 2.0);
  const double yaw = d.view().camera().yaw;
  d.drag(&d.view(), middle, middle + QPointF(120, 40), Qt::RightButton);
  CHECK(d.view().camera().yaw != yaw);
  const Vec3 focus = d.view().camera().focus;
  d.drag(&d.view(), middle, middle + QPointF(60, 0), Qt::MiddleButton);
  CHECK(d.view().camera().focus != focus);
  const double distance = d.view().camera().distance;
  QWheelEvent wheel(middle, d.view().mapToGlobal(middle), QPoint(), QPoint(0, 120), Qt::NoButton,
                    Qt::NoModifier, Qt::NoScrollPhase, false);
  QApplication::sendEvent(&d.view(), &wheel);
  CHECK(d.view().camera().distance < distance);
  for (const Qt::Key k :
       {Qt::Key_1, Qt::Key_5, Qt::Key_7, Qt::Key_V, Qt::Key_X, Qt::Key_Y, Qt::Key_J, Qt::Key_F}) {
    d.key(k);
    QTest::qWait(60);
  }
  CHECK(d.session().history().current() == before);
  CHECK(d.view().renderer().uploads() == uploads);
}

TEST_CASE("a heavy part is shown by its stand-in at first and comes out whole at rest, step by step") {
  Driver d;
  Part part;
  part.name = "Torus";
  part.source = Primitive::of("torus", {60, 24, 700, 250});  // 350 000 triangles
  d.session().commit(QStringLiteral("add"), edit::add_part(d.session().job(), part));
  d.settle();
  auto picture = [&] {
    REQUIRE(Driver::until([&] { return d.view().still_finished(); }));
    return d.view().picture();
  };
  d.view().picture();  // begins the still picture
  const QImage whole = picture();
  d.view().set_render_style(RenderStyle::plain);
  d.view().picture();
  d.view().set_render_style(RenderStyle::edges);
  const QImage light = d.view().picture();
  CHECK_FALSE(d.view().still_finished());
  CHECK(light != whole);
  CHECK(picture() == whole);
}

TEST_CASE("orbiting keeps the point under the pointer where it is in the picture") {
  for (const bool parallel : {false, true}) {
    Camera camera;
    camera.parallel = parallel;
    const QSizeF size(700, 600);
    const Vec3 pivot(12, -7, 30);
    QPointF before, after;
    REQUIRE(camera.project(pivot, size, before));
    camera.orbit(pivot, 33, -12);
    REQUIRE(camera.project(pivot, size, after));
    CHECK(after.x() == Approx(before.x()).margin(1e-6));
    CHECK(after.y() == Approx(before.y()).margin(1e-6));
    const Ray ray = camera.ray(after, size);
    CHECK((pivot - ray.origin).cross(ray.direction).norm() < 1e-6 * (pivot - ray.origin).norm());
    camera.zoom(pivot, 0.5);
    REQUIRE(camera.project(pivot, size, after));
    CHECK(after.x() == Approx(before.x()).margin(1e-6));
  }
}

TEST_CASE("the window remembers its layout, mouse scheme and folder") {
  {
    Driver d;
    d.window.verbs().find(QStringLiteral("mouse_touchpad"))->trigger();
  }
  Driver d;
  CHECK(d.view().scheme() == MouseScheme::touchpad);
  d.window.verbs().find(QStringLiteral("mouse_three"))->trigger();
}

TEST_CASE("every control that can be operated has an accessible name") {
  Driver d;
  box_and_cylinder(d);
  d.key(Qt::Key_D);
  d.settle();
  for (QWidget* widget : d.window.findChildren<QWidget*>()) {
    if (!widget->isVisible()) continue;
    const bool operated = qobject_cast<QAbstractButton*>(widget) || qobject_cast<QAbstractSpinBox*>(widget) ||
                          qobject_cast<QListWidget*>(widget);
    if (!operated) continue;
    const auto* button = qobject_cast<QAbstractButton*>(widget);
    INFO(widget->objectName().toStdString() << " " << widget->metaObject()->className());
    CHECK((!widget->accessibleName().isEmpty() || (button != nullptr && !button->text().isEmpty())));
  }
}
