// SPDX-License-Identifier: GPL-3.0-or-later
// Many tools: their markers, ghosts picked through the part, copies by dragging, what rides on what, and ways out of problems.
#include <QListWidget>
#include <QMenu>
#include <QMimeData>

#include "app/cards/tool_row.h"
#include "app/part_list.h"
#include "job/edit.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

constexpr double plate = 200 * 100 * 20, hole = 8 * 8 * 20;

Part box(const std::string& name, const Vec3& size, const Vec3& at) {
  Part part;
  part.name = name;
  part.source = Primitive::of("box", {size.x(), size.y(), size.z()});
  part.placement.position = at;
  return part;
}

/// A plate (1) with 40 square pins in it (2 to 41), ten in a row, all its tools; seen from above, the plate chosen.
void plate_with_forty(Driver& d) {
  Job job = edit::add_part(d.job(), box("Plate", {200, 100, 20}, {0, 0, 0}));
  std::vector<PartId> pins;
  for (int k = 0; k < 40; ++k) {
    PartId id = 0;
    job = edit::add_part(job, box("Pin", {8, 8, 20}, {-81.0 + 18 * (k % 10), -36.0 + 24 * (k / 10), 0}), &id);
    pins.push_back(id);
  }
  d.session().commit(QStringLiteral("parts"), *edit::combine(job, 1, pins, Operation::difference));
  d.settle();
  d.key(Qt::Key_2, Qt::ControlModifier);
  d.session().select({1});
  d.view().look(Direction::corner);
  QTest::qWait(400);
  d.view().fit_all();
  QTest::qWait(600);
}

/// A body (1) with a plug (2) through its middle taken out, in the Combine station.
void body_and_plug(Driver& d) {
  Job job = edit::add_part(d.job(), box("Body", {40, 40, 20}, {0, 0, 0}));
  job = edit::add_part(job, box("Plug", {10, 10, 40}, {0, 0, 0}));
  d.session().commit(QStringLiteral("parts"), *edit::combine(job, 1, {2}, Operation::difference));
  d.settle();
  d.key(Qt::Key_2, Qt::ControlModifier);
}

/// Chooses an entry of the menu that comes up, found by its text.
void answer_menu(Driver& d, const QString& name, const QString& text) {
  auto* timer = new QTimer(&d.window);
  timer->setInterval(30);
  QObject::connect(timer, &QTimer::timeout, &d.window, [timer, name, text] {
    auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
    if (menu == nullptr || menu->objectName() != name) return;
    timer->stop();
    timer->deleteLater();
    for (QAction* action : menu->actions())
      if (action->text() == text) {
        action->trigger();
        menu->close();
        return;
      }
    menu->close();
    FAIL("no entry " << text.toStdString());
  });
  timer->start();
}

}  // namespace

TEST_CASE("each of forty tools has a marker that chooses it, and each marker its row's menu") {
  Driver d;
  plate_with_forty(d);
  std::vector<QPointF> places;
  for (PartId tool = 2; tool <= 41; ++tool) {
    const auto at = d.view().marker_pixel(tool);
    REQUIRE(at);
    for (const QPointF& other : places) CHECK((std::abs(at->x() - other.x()) > 30 || std::abs(at->y() - other.y()) >= 12));  // none on another
    places.push_back(*at);
  }
  for (PartId tool : {PartId{2}, PartId{17}, PartId{41}}) {
    d.click(&d.view(), *d.view().marker_pixel(tool));
    CHECK(d.session().selection() == std::vector<PartId>{tool});
    CHECK(d.widget<ToolRow>(QStringLiteral("tool_%1").arg(tool))->styleSheet() != "");  // its row is the chosen one
  }
  // The other way round: the row chooses the marker.
  d.click(d.widget<ToolRow>(QStringLiteral("tool_%1").arg(5)));
  CHECK(d.session().selection() == std::vector<PartId>{5});
  d.click(&d.view(), *d.view().marker_pixel(6), Qt::ControlModifier);
  CHECK(d.session().selection() == std::vector<PartId>{5, 6});
  // What its row can do can be done there.
  answer_menu(d, QStringLiteral("marker_menu"), QStringLiteral("Switch off"));
  const QPointF at = *d.view().marker_pixel(9);
  d.press(&d.view(), at, Qt::RightButton);
  d.release(&d.view(), at, Qt::RightButton);
  d.settle();
  CHECK(!d.job().find_use(d.job().use_of(9)->id).use->on);
  CHECK(d.volume(1) == Approx(plate - 39 * hole));
  // Dragged, it takes its tool along.
  const Vec3 before = d.job().at(20).placement.position;
  d.drag(&d.view(), *d.view().marker_pixel(20), *d.view().marker_pixel(20) + QPointF(0, 40));
  d.settle();
  CHECK((d.job().at(20).placement.position - before).norm() > 3);
}

TEST_CASE("markers, ghosts and lines of belonging are switched by their keys; stops at each tool in turn") {
  Driver d;
  plate_with_forty(d);
  d.key(Qt::Key_F6);
  CHECK(!d.view().tool_markers());
  CHECK(!d.view().marker_pixel(2));
  d.key(Qt::Key_F6);
  CHECK(d.view().marker_pixel(2));
  const auto dark = [&] {
    const QImage seen = d.view().picture();
    qsizetype sum = 0;
    for (int y = 0; y < seen.height(); y += 2)
      for (int x = 0; x < seen.width(); x += 2) sum += qGray(seen.pixel(x, y));
    return sum;
  };
  d.key(Qt::Key_F7);
  CHECK(d.view().chosen_ghosts_only());
  QTest::qWait(200);
  const auto without = dark();
  CHECK(dark() == without);  // only what is switched makes a difference
  d.key(Qt::Key_F7);
  QTest::qWait(200);
  CHECK(dark() != without);
  d.key(Qt::Key_F8);
  CHECK(d.view().belonging());
  QTest::qWait(200);
  const auto with_lines = dark();
  d.key(Qt::Key_F8);
  QTest::qWait(200);
  CHECK(dark() != with_lines);
  d.key(Qt::Key_Period);
  CHECK(d.session().selection() == std::vector<PartId>{2});
  d.key(Qt::Key_Period);
  d.key(Qt::Key_Comma);
  d.key(Qt::Key_Comma);
  CHECK(d.session().selection() == std::vector<PartId>{41});
}

TEST_CASE("a second click on the same spot chooses the ghost within the part") {
  Driver d;
  Job job = edit::add_part(d.job(), box("Block", {40, 40, 40}, {0, 0, 0}));
  job = edit::add_part(job, box("Core", {10, 10, 10}, {0, 0, 0}));
  d.session().commit(QStringLiteral("parts"), *edit::combine(job, 1, {2}, Operation::difference));
  d.settle();
  d.session().select({1});
  d.view().fit_all();
  QTest::qWait(500);
  d.key(Qt::Key_F6);  // no marker is in the way
  d.click_at(Vec3::Zero());
  CHECK(d.session().selection() == std::vector<PartId>{1});
  d.click_at(Vec3::Zero());
  CHECK(d.session().selection() == std::vector<PartId>{2});
  d.click_at(Vec3::Zero());
  CHECK(d.session().selection() == std::vector<PartId>{1});
}

TEST_CASE("a tool dragged with Ctrl leaves a copy that is a tool of the same step; Escape leaves none") {
  Driver d;
  plate_with_forty(d);
  d.click(&d.view(), *d.view().marker_pixel(2));
  const QPointF from = *d.view().marker_pixel(2);
  d.press(&d.view(), from, Qt::LeftButton);
  for (int k = 1; k <= 4; ++k) {
    QTest::mouseEvent(QTest::MouseMove, d.window.windowHandle(), Qt::NoButton, Qt::ControlModifier, Driver::in_window(&d.view(), from + QPointF(0, 10 * k)));
    QTest::qWait(15);
  }
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Escape);
  d.release(&d.view(), from + QPointF(0, 40));
  CHECK(d.job().parts.size() == 41);
  CHECK(d.session().selection() == std::vector<PartId>{2});
  d.press(&d.view(), from, Qt::LeftButton);
  for (int k = 1; k <= 4; ++k) {
    QTest::mouseEvent(QTest::MouseMove, d.window.windowHandle(), Qt::NoButton, Qt::ControlModifier, Driver::in_window(&d.view(), from + QPointF(0, 10 * k)));
    QTest::qWait(15);
  }
  d.release(&d.view(), from + QPointF(0, 40));
  d.settle();
  REQUIRE(d.job().parts.size() == 42);
  const PartId copy = d.job().parts.back()->id;
  CHECK(d.session().selection() == std::vector<PartId>{copy});
  REQUIRE(d.job().use_of(copy));
  CHECK(d.job().use_of(copy)->step == d.job().use_of(2)->step);
  CHECK(d.job().at(copy).placement.position != d.job().at(2).placement.position);
  // One change, taken back at once.
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.job().parts.size() == 41);
}

TEST_CASE("parts are fastened without being tools, and loosened, where they stand") {
  Driver d;
  Job job = edit::add_part(d.job(), box("Base", {40, 40, 10}, {5, 0, 0}));
  job = edit::add_part(job, box("Lamp", {5, 5, 30}, {30, 0, 15}));
  d.session().commit(QStringLiteral("parts"), job);
  d.settle();
  d.key(Qt::Key_2, Qt::ControlModifier);
  d.session().select({1, 2});
  d.key(Qt::Key_A, Qt::ShiftModifier);
  CHECK(d.job().at(2).rides_on == PartId{1});
  CHECK(d.job().world_of(2).translation() == Vec3(30, 0, 15));
  d.session().select({1});
  QTest::qWait(30);
  d.open_card(QStringLiteral("Place"));
  d.type(d.widget(QStringLiteral("position_1_0")), QStringLiteral("15"));
  CHECK(d.job().world_of(2).translation() == Vec3(40, 0, 15));
  d.session().select({1, 2});
  d.key(Qt::Key_A, Qt::ShiftModifier);
  CHECK(!d.job().at(2).rides_on);
  CHECK(d.job().world_of(2).translation() == Vec3(40, 0, 15));
}

TEST_CASE("a loop is refused with its chain, and the snapshot that is offered takes its place") {
  Driver d;
  body_and_plug(d);
  // The body becomes a tool of its own plug.
  d.session().select({2, 1});
  d.key(Qt::Key_I);
  CHECK(d.told().contains(QStringLiteral("Plug → Body → Plug")));
  CHECK(d.job().at(2).recipe.empty());
  d.click(d.widget(QStringLiteral("remedy")));
  d.settle();
  REQUIRE(d.job().at(2).recipe.size() == 1);
  CHECK(!d.job().at(2).recipe[0].tools.at(0).is_live());
  // What the plug has in common with the body as it was: nothing, since the body is cut there.
  CHECK(d.session().result(2).evaluated->mesh->empty());
  CHECK(d.widget(QStringLiteral("remedy")) == nullptr);
}

TEST_CASE("a way out that was offered goes when the job is no longer the one it was offered for") {
  Driver d;
  body_and_plug(d);
  d.session().select({2, 1});
  d.key(Qt::Key_I);
  REQUIRE(d.widget(QStringLiteral("remedy")) != nullptr);
  d.session().select({2});
  d.key(Qt::Key_Delete);
  d.settle();
  CHECK(d.job().find(2) == nullptr);
  CHECK(d.widget(QStringLiteral("remedy")) == nullptr);
}

TEST_CASE("a step that fails says why on its card, offers ways out, and the part is shown as it was before") {
  Driver d;
  Job job = edit::add_part(d.job(), box("Body", {40, 40, 20}, {0, 0, 0}));
  Mesh sheet;
  for (const Vec3& corner : {Vec3(-5, -5, 0), Vec3(5, -5, 0), Vec3(5, 5, 0), Vec3(-5, 5, 0)}) sheet.add_vertex(corner);
  sheet.add_face({0, 1, 2, 3});
  Part label;
  label.name = "Label";
  label.source = ImportedSource{std::make_shared<const Mesh>(sheet), "label.off"};
  job = edit::add_part(job, label);
  d.session().commit(QStringLiteral("parts"), *edit::combine(job, 1, {2}, Operation::intersection));
  d.settle();
  d.session().select({1});
  QTest::qWait(50);
  const StepId step = d.job().at(1).recipe[0].id;
  const auto* failure = d.widget<QLabel>(QStringLiteral("step_failure"));
  REQUIRE(failure != nullptr);
  CHECK(failure->text().contains(QStringLiteral("Label")));
  CHECK(d.volume(1) == Approx(40 * 40 * 20));
  QStringList offered;
  for (auto* button : d.window.findChildren<QToolButton*>(QStringLiteral("remedy_%1").arg(step)))
    if (button->isVisible()) offered << button->text();
  CHECK(offered.contains(QStringLiteral("Leave Label out")));
  CHECK(offered.contains(QStringLiteral("Mend Label")));
  CHECK(offered.contains(QStringLiteral("Switch the step off")));
  QToolButton* leave_out = nullptr;
  for (auto* button : d.window.findChildren<QToolButton*>(QStringLiteral("remedy_%1").arg(step)))
    if (button->isVisible() && button->text() == QStringLiteral("Leave Label out")) leave_out = button;
  d.click(leave_out);
  d.settle();
  CHECK(!d.job().at(1).recipe[0].tools.at(0).on);
  CHECK(d.session().result(1).trouble() == nullptr);
  CHECK(d.widget(QStringLiteral("step_failure")) == nullptr);
}

TEST_CASE("steps are dragged to another place by their header, with a mark; Escape leaves them") {
  Driver d;
  Job job = edit::add_part(d.job(), box("Body", {40, 40, 20}, {0, 0, 0}));
  StepId ids[3];
  for (int k = 0; k < 3; ++k) {
    Step step = new_step(steps::plane_cut);
    step.name = "Cut " + std::to_string(k + 1);
    job = *edit::add_step(job, 1, step, &ids[k]);
  }
  d.session().commit(QStringLiteral("parts"), job);
  d.settle();
  d.session().select({1});
  QTest::qWait(100);
  const auto handle = [&](const char* title) {
    for (auto* button : d.window.findChildren<QToolButton*>())
      if (button->isVisible() && button->text() == QLatin1String(title)) return button;
    FAIL("no card");
    return static_cast<QToolButton*>(nullptr);
  };
  const auto drag_card = [&](const char* from, const char* to, bool leave) {
    QToolButton *a = handle(from), *b = handle(to);
    Driver::bring_into_view(a);
    const QPointF begin(20, a->height() / 2.0), end = a->mapFromGlobal(b->mapToGlobal(QPoint(20, -14)));
    d.press(a, begin);
    for (int k = 1; k <= 6; ++k) d.move(a, begin + (end - begin) * (k / 6.0));
    CHECK(d.widget(QStringLiteral("insertion_mark")) != nullptr);
    if (leave) QTest::keyClick(d.window.windowHandle(), Qt::Key_Escape);
    d.release(a, end);
    QTest::qWait(50);
  };
  const auto order = [&] {
    std::vector<StepId> list;
    for (const Step& step : d.job().at(1).recipe) list.push_back(step.id);
    return list;
  };
  drag_card("Cut 3", "Cut 1", true);
  CHECK(order() == std::vector<StepId>{ids[0], ids[1], ids[2]});
  drag_card("Cut 3", "Cut 1", false);
  CHECK(order() == std::vector<StepId>{ids[2], ids[0], ids[1]});
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(order() == std::vector<StepId>{ids[0], ids[1], ids[2]});
}

TEST_CASE("parts dragged from the list onto a card become its tools, where the mark is") {
  Driver d;
  Job job = edit::add_part(d.job(), box("Body", {40, 40, 20}, {0, 0, 0}));
  for (int k = 0; k < 3; ++k) job = edit::add_part(job, box("Pin", {4, 4, 40}, {-12.0 + 12 * k, 0, 0}));
  d.session().commit(QStringLiteral("parts"), *edit::combine(job, 1, {2}, Operation::difference));
  d.settle();
  d.session().select({1});
  QTest::qWait(100);
  QWidget* cards = d.widget(QStringLiteral("recipe_cards"));
  const auto* row = d.widget<ToolRow>(QStringLiteral("tool_2"));
  REQUIRE(row != nullptr);
  QMimeData mime;
  mime.setData(QLatin1String(parts_mime), "3 4");
  const QPoint at = row->mapTo(cards, QPoint(40, 2));  // above the row that is there
  QDragEnterEvent enter(at, Qt::MoveAction | Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(cards, &enter);
  QDragMoveEvent move(at, Qt::MoveAction | Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(cards, &move);
  CHECK(move.isAccepted());
  CHECK(d.widget(QStringLiteral("insertion_mark")) != nullptr);
  QDropEvent drop(at, Qt::MoveAction | Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(cards, &drop);
  d.settle();
  std::vector<PartId> tools;
  for (const ToolUse& use : d.job().at(1).recipe.at(0).tools) tools.push_back(use.tool);
  CHECK(tools == std::vector<PartId>{3, 4, 2});
  CHECK(d.volume(1) == Approx(40 * 40 * 20 - 3 * 4 * 4 * 20));
  // It was one change.
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.job().at(1).recipe.at(0).tools.size() == 1);
}

TEST_CASE("a part dropped on a tray does with the others there what the tray does") {
  Driver d;
  Job job = edit::add_part(d.job(), box("Body", {40, 40, 20}, {0, 0, 0}));
  for (int k = 0; k < 3; ++k) job = edit::add_part(job, box("Pin", {4, 4, 40}, {-12.0 + 12 * k, 0, 0}));
  job = *edit::combine(job, 1, {2, 3}, Operation::difference);
  UseId tray = 0;
  const auto& rows = job.at(1).recipe.at(0).tools;
  d.session().commit(QStringLiteral("parts"), *edit::add_tray(job, {rows[0].id, rows[1].id}, "Pins", &tray));
  d.settle();
  d.session().select({1});
  QTest::qWait(100);
  QWidget* cards = d.widget(QStringLiteral("recipe_cards"));
  const QWidget* row = d.widget(QStringLiteral("tray_%1").arg(tray));
  REQUIRE(row != nullptr);
  QMimeData mime;
  mime.setData(QLatin1String(parts_mime), "4");
  const QPoint at = row->mapTo(cards, QPoint(40, row->height() / 2));
  QDragEnterEvent enter(at, Qt::MoveAction | Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(cards, &enter);
  QDragMoveEvent move(at, Qt::MoveAction | Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(cards, &move);
  QDropEvent drop(at, Qt::MoveAction | Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(cards, &drop);
  d.settle();
  REQUIRE(d.job().at(1).recipe.at(0).tools.size() == 1);
  CHECK(d.job().at(1).recipe[0].tools[0].inside.size() == 3);
  CHECK(d.volume(1) == Approx(40 * 40 * 20 - 3 * 4 * 4 * 20));
}

TEST_CASE("a press in the list of parts chooses nothing before it is let go") {
  Driver d;
  Job job = edit::add_part(d.job(), box("Body", {40, 40, 20}, {0, 0, 0}));
  job = edit::add_part(job, box("Pin", {4, 4, 40}, {0, 0, 0}));
  d.session().commit(QStringLiteral("parts"), job);
  d.settle();
  d.session().select({1});
  QTest::qWait(50);
  auto* list = d.widget<PartList>(QStringLiteral("parts"));
  const QPointF at = list->visualItemRect(list->item(1)).center();
  d.press(list->viewport(), at);
  CHECK(d.session().selection() == std::vector<PartId>{1});
  d.release(list->viewport(), at);
  CHECK(d.session().selection() == std::vector<PartId>{2});
  d.click(list->viewport(), list->visualItemRect(list->item(0)).center(), Qt::ControlModifier);
  CHECK(d.session().selection() == std::vector<PartId>{2, 1});
}

TEST_CASE("a tool's own recipe is worked on with the part in view, and its steps stand below its row") {
  Driver d;
  body_and_plug(d);
  d.session().select({1});
  QTest::qWait(50);
  d.click(d.widget<ToolRow>(QStringLiteral("tool_2")));
  CHECK(d.session().recipe_owner() == 1);
  d.key(Qt::Key_R, Qt::ShiftModifier);
  CHECK(d.session().recipe_owner() == 2);
  // A plane cut goes into the tool's recipe, and the part follows: the lower half of the plug is left.
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_A);
  d.settle();
  REQUIRE(d.job().at(2).recipe.size() == 1);
  CHECK(d.job().at(1).recipe.size() == 1);
  CHECK(d.volume(1) == Approx(40 * 40 * 20 - 10 * 10 * 10));
  d.key(Qt::Key_Escape);
  d.click(d.widget(QStringLiteral("back_to_part")));
  CHECK(d.session().recipe_owner() == 1);
  CHECK(d.session().selection() == std::vector<PartId>{2});
  // Its steps stand below its row now.
  CHECK(d.widget(QStringLiteral("step_%1_on").arg(d.job().at(2).recipe[0].id)) != nullptr);
  d.click(d.widget(QStringLiteral("step_%1_on").arg(d.job().at(2).recipe[0].id)));
  d.settle();
  CHECK(d.volume(1) == Approx(40 * 40 * 20 - 10 * 10 * 20));
  // Another job knows nothing of it.
  d.key(Qt::Key_2, Qt::ControlModifier);
  d.key(Qt::Key_R, Qt::ShiftModifier);
  CHECK(d.session().recipe_owner() == 2);
  d.session().new_job();
  body_and_plug(d);
  d.session().select({2});
  CHECK(d.session().recipe_owner() == 1);
}
