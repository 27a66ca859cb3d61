// SPDX-License-Identifier: GPL-3.0-or-later
// The recipe by mouse and keys: rows, trays, kept tools, parts from results, forging.
#include <QComboBox>
#include <QListWidget>
#include <QMenu>

#include "app/cards/tool_row.h"
#include "job/edit.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

constexpr double plate = 100 * 40 * 10, hole = 10 * 10 * 10;

/// A plate (1) with three pins through it (2 to 4), loose, in the Combine station, the plate chosen.
PartId plate_and_pins(Driver& d) {
  const auto box = [](const char* name, const Vec3& size, double x) {
    Part part;
    part.name = name;
    part.source = Primitive::of("box", {size.x(), size.y(), size.z()});
    part.placement.position.x() = x;
    return part;
  };
  Job job = edit::add_part(d.job(), box("Plate", {100, 40, 10}, 0));
  for (int k = 0; k < 3; ++k) job = edit::add_part(job, box("Pin", {10, 10, 20}, 20.0 * k - 20));
  d.session().commit(QStringLiteral("parts"), job);
  d.settle();
  d.key(Qt::Key_2, Qt::ControlModifier);
  d.session().select({1});
  QTest::qWait(50);
  return 1;
}
ToolRow* row_of(Driver& d, PartId tool) { return d.widget<ToolRow>(QStringLiteral("tool_%1").arg(tool)); }
/// The tray of the first step, and its row.
const ToolUse& tray(Driver& d) {
  for (const ToolUse& row : d.job().at(1).recipe.at(0).tools)
    if (row.is_tray()) return row;
  FAIL("there is no tray");
  return d.job().at(1).recipe[0].tools[0];
}
ToolRow* tray_row(Driver& d) { return d.widget<ToolRow>(QStringLiteral("tray_%1").arg(tray(d).id)); }
std::vector<PartId> tools_in(const std::vector<ToolUse>& rows) {
  std::vector<PartId> tools;
  for (const ToolUse& row : rows) tools.push_back(row.tool);
  return tools;
}
/// Drags a row to a share of the height of another; does `before_release` before it lets go.
void drag_row(Driver& d, ToolRow* from, ToolRow* to, double share, const std::function<void()>& before_release = {}) {
  Driver::bring_into_view(to);
  Driver::bring_into_view(from);
  const QPointF begin(60, from->height() / 2.0);
  const QPointF end = from->mapFrom(d.window.centralWidget(), to->mapTo(d.window.centralWidget(), QPoint(60, static_cast<int>(share * to->height()))));
  d.press(from, begin);
  for (int k = 1; k <= 6; ++k) d.move(from, begin + (end - begin) * (k / 6.0));
  if (before_release) before_release();
  d.release(from, end);
  QTest::qWait(30);
}

}  // namespace

TEST_CASE("all that touch become tools by one key, chosen ones a tray by another, and the tray's operation is that of all") {
  Driver d;
  const PartId part = plate_and_pins(d);
  d.key(Qt::Key_A);
  d.settle();
  CHECK(tools_in(d.job().at(part).recipe.at(0).tools) == std::vector<PartId>{2, 3, 4});
  CHECK(d.volume(part) == Approx(plate - 3 * hole));
  d.click(row_of(d, 2));
  d.click(row_of(d, 3), Qt::ControlModifier);
  REQUIRE(d.session().selection() == std::vector<PartId>{2, 3});
  d.key(Qt::Key_R);
  d.settle();
  CHECK(tools_in(tray(d).inside) == std::vector<PartId>{2, 3});
  CHECK(d.volume(part) == Approx(plate - 3 * hole));
  // Within the tray the second pin is taken from the first, which it does not touch: only the first cuts.
  d.click(row_of(d, 3));
  d.key(Qt::Key_D);
  d.settle();
  CHECK(d.volume(part) == Approx(plate - 2 * hole));
  auto* operation = d.widget<QToolButton>(QStringLiteral("operation_tray_%1").arg(tray(d).id));
  REQUIRE(operation != nullptr);
  operation->menu()->actions().at(0)->trigger();  // union
  d.settle();
  CHECK(d.volume(part) == Approx(plate));
  d.click(d.widget(QStringLiteral("tray_on_%1").arg(tray(d).id)));
  d.settle();
  CHECK(d.volume(part) == Approx(plate - hole));
  // Folded, only the tray's own row stands there.
  d.click(tray_row(d));
  CHECK(row_of(d, 2) == nullptr);
  CHECK(row_of(d, 4) != nullptr);
  d.click(tray_row(d));
  CHECK(row_of(d, 2) != nullptr);
  for (int k = 0; k < 5; ++k) d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.job().at(part).recipe.empty());
}

TEST_CASE("rows are dragged in their order, into trays and out of them; Escape leaves them where they were") {
  Driver d;
  const PartId part = plate_and_pins(d);
  d.key(Qt::Key_A);
  d.settle();
  drag_row(d, row_of(d, 4), row_of(d, 2), 0.2);
  CHECK(tools_in(d.job().at(part).recipe[0].tools) == std::vector<PartId>{4, 2, 3});
  d.click(row_of(d, 2));
  d.key(Qt::Key_R);
  // With the part chosen no tool's own cards stand between the rows.
  d.session().select({part});
  QTest::qWait(50);
  CHECK(tools_in(d.job().at(part).recipe[0].tools) == std::vector<PartId>{4, 0, 3});
  const JobPtr before = d.session().history().current();
  bool marked = false;
  drag_row(d, row_of(d, 3), tray_row(d), 0.5, [&] {
    const auto* mark = d.widget(QStringLiteral("insertion_mark"));
    marked = mark != nullptr && mark->isVisible();
    QTest::keyClick(d.window.windowHandle(), Qt::Key_Escape);
  });
  CHECK(marked);
  CHECK(d.session().history().current() == before);
  drag_row(d, row_of(d, 3), tray_row(d), 0.5);
  CHECK(tools_in(tray(d).inside) == std::vector<PartId>{2, 3});
  d.settle();
  CHECK(d.volume(part) == Approx(plate - 3 * hole));
  // Before the first in the tray, then out of it to the top.
  drag_row(d, row_of(d, 3), row_of(d, 2), 0.2);
  CHECK(tools_in(tray(d).inside) == std::vector<PartId>{3, 2});
  drag_row(d, row_of(d, 2), row_of(d, 4), 0.2);
  CHECK(tools_in(d.job().at(part).recipe[0].tools) == std::vector<PartId>{2, 4, 0});
}

TEST_CASE("a tool is kept as it is and follows again; the menu of its row swaps and releases it") {
  Driver d;
  const PartId part = plate_and_pins(d);
  d.key(Qt::Key_A);
  d.settle();
  d.click(row_of(d, 3));
  d.key(Qt::Key_K);
  CHECK_FALSE(d.job().find_use(d.job().use_of(3)->id).use->is_live());
  d.session().commit(QStringLiteral("grow"), edit::change_unlocked(d.job(), 3, [](Part& p) { p.source = Primitive::of("box", {10, 20, 20}); }));
  d.settle();
  CHECK(d.volume(part) == Approx(plate - 3 * hole));
  d.key(Qt::Key_K);
  d.settle();
  CHECK(d.volume(part) == Approx(plate - 4 * hole));
  QMenu menu;
  fill_row_menu(d.session(), row_of(d, 3)->id(), menu);
  menu.actions().back()->trigger();
  d.settle();
  CHECK_FALSE(d.job().is_tool(3));
  CHECK(d.volume(part) == Approx(plate - 2 * hole));
  d.session().select({part});
  QTest::qWait(50);
  d.click(row_of(d, 4));
  d.key(Qt::Key_W);
  d.settle();
  CHECK(d.job().use_of(1)->part == 4);
  CHECK(d.job().use_of(2)->part == 4);
  CHECK(d.volume(4) == Approx(hole));
}

TEST_CASE("a result is forged, its recipe brought back, and another part made from it that follows") {
  Driver d;
  const PartId part = plate_and_pins(d);
  d.key(Qt::Key_A);
  d.settle();
  d.session().select({part});
  d.key(Qt::Key_N);
  d.settle();
  const PartId copy = d.session().chosen();
  REQUIRE(copy != part);
  CHECK(d.volume(copy) == Approx(plate - 3 * hole));
  d.session().select({part});
  d.key(Qt::Key_P);
  REQUIRE(Driver::until([&] { return std::holds_alternative<ForgedSource>(d.job().at(part).source); }));
  d.settle();
  CHECK(d.job().at(part).recipe.empty());
  CHECK(d.volume(part) == Approx(plate - 3 * hole));
  CHECK(d.volume(copy) == Approx(plate - 3 * hole));
  d.click(d.widget<QToolButton>(QStringLiteral("source_act")));
  d.settle();
  CHECK(d.job().at(part).recipe.size() == 1);
  d.click(row_of(d, 2));
  d.key(Qt::Key_0);
  d.settle();
  CHECK(d.volume(part) == Approx(plate - 2 * hole));
  CHECK(d.volume(copy) == Approx(plate - 2 * hole));
  // Kept by the button on its card it follows no more.
  d.session().select({copy});
  QTest::qWait(50);
  d.click(d.widget<QToolButton>(QStringLiteral("source_act")));
  d.session().select({2});
  d.key(Qt::Key_0);
  d.settle();
  CHECK(d.volume(part) == Approx(plate - 3 * hole));
  CHECK(d.volume(copy) == Approx(plate - 2 * hole));
}

TEST_CASE("a step is renamed, moved, duplicated and deleted by its menu, and the part is looked at up to it") {
  Driver d;
  const PartId part = plate_and_pins(d);
  d.key(Qt::Key_A);
  d.settle();
  d.session().select({part});
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_A);  // plane cut, through the middle: the lower half stays
  d.settle();
  REQUIRE(d.job().at(part).recipe.size() == 2);
  CHECK(d.volume(part) == Approx((plate - 3 * hole) / 2));
  const StepId first = d.job().at(part).recipe[0].id, second = d.job().at(part).recipe[1].id;
  const auto act = [&](StepId step, const QString& what) {
    auto* button = d.widget<QToolButton>(QStringLiteral("step_menu_%1").arg(step));
    REQUIRE(button != nullptr);
    emit button->menu()->aboutToShow();
    for (QAction* action : button->menu()->actions())
      if (action->text() == what && action->isEnabled()) {
        action->trigger();
        d.settle();
        return;
      }
    FAIL("there is no " << what.toStdString());
  };
  // A second part, made from the first one's result, goes by the whole recipe all the while.
  PartId copy = 0;
  d.session().commit(QStringLiteral("copy"), edit::add_part_from(d.job(), part, nullptr, &copy));
  d.settle();
  act(first, QStringLiteral("Show the part up to here"));
  CHECK(d.volume(part) == Approx(plate - 3 * hole));
  CHECK(d.volume(copy) == Approx((plate - 3 * hole) / 2));
  CHECK(d.widget<QToolButton>(QStringLiteral("look_at_all")) != nullptr);
  // What is added now comes before the cut, and is looked at.
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_A);
  d.settle();
  REQUIRE(d.job().at(part).recipe.size() == 3);
  CHECK(d.job().at(part).recipe[2].id == second);
  const StepId middle = d.job().at(part).recipe[1].id;
  CHECK(d.session().up_to() == middle);
  act(middle, QStringLiteral("Delete"));
  CHECK(d.session().up_to() == 0);
  act(first, QStringLiteral("Show the part up to here"));
  d.click(d.widget<QToolButton>(QStringLiteral("look_at_all")));
  d.settle();
  CHECK(d.volume(part) == Approx((plate - 3 * hole) / 2));
  // The pins united instead of cut: before the cut they are cut with it, after it they stand out whole.
  for (PartId pin : {2, 3, 4}) d.session().commit(QStringLiteral("unite"), edit::change_use(d.job(), d.job().use_of(pin)->id, [](ToolUse& use) { use.operation = Operation::unite; }));
  d.settle();
  CHECK(d.volume(part) == Approx((plate + 3 * hole) / 2));
  act(second, QStringLiteral("Move up"));
  CHECK(d.job().at(part).recipe[0].id == second);
  CHECK(d.volume(part) == Approx(plate / 2 + 4.5 * hole));
  act(second, QStringLiteral("Duplicate"));
  CHECK(d.job().at(part).recipe.size() == 3);
  act(second, QStringLiteral("Move down"));
  CHECK(d.job().at(part).recipe[1].id == second);
}

TEST_CASE("the list of changes goes back to the beginning and forth to the end") {
  Driver d;
  const PartId part = plate_and_pins(d);
  d.key(Qt::Key_A);
  d.key(Qt::Key_N);
  d.settle();
  const JobPtr last = d.session().history().committed();
  d.key(Qt::Key_Y, Qt::ControlModifier | Qt::ShiftModifier);
  auto* list = d.window.findChild<QListWidget*>(QStringLiteral("change_list"));
  REQUIRE(list != nullptr);
  REQUIRE(list->count() == 4);
  QTest::qWait(50);
  const auto click = [&](int row) {
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(row)).center());
    d.settle();
  };
  click(3);
  CHECK(d.job().parts.empty());
  click(2);
  CHECK(d.job().parts.size() == 4);
  CHECK(d.job().at(part).recipe.empty());
  click(0);
  CHECK(d.session().history().committed() == last);
  CHECK(list->currentRow() == 0);
}

TEST_CASE("parts are searched, tools too, kept together as a set, and the set cuts as a tray that stays in step with it") {
  Driver d;
  const PartId part = plate_and_pins(d);
  auto* list = d.widget<QListWidget>(QStringLiteral("parts"));
  const auto names = [&] {
    QStringList all;
    for (int row = 0; row < list->count(); ++row) all << list->item(row)->text();
    return all;
  };
  d.key(Qt::Key_F, Qt::ControlModifier);
  for (const char c : {'p', 'i', 'n', ' '}) QTest::keyClick(d.window.windowHandle(), c);
  CHECK(names() == QStringList{QStringLiteral("Pin"), QStringLiteral("Pin 2"), QStringLiteral("Pin 3")});
  d.click(list->viewport(), list->visualItemRect(list->item(1)).center());
  d.click(list->viewport(), list->visualItemRect(list->item(2)).center(), Qt::ControlModifier);
  REQUIRE(d.session().selection() == std::vector<PartId>{3, 4});
  d.widget<QLineEdit>(QStringLiteral("search_parts"))->clear();
  d.key(Qt::Key_P, Qt::ControlModifier | Qt::ShiftModifier);
  REQUIRE(d.job().sets.size() == 1);
  CHECK(names() == QStringList{QStringLiteral("Pin 2"), QStringLiteral("Pin 3")});
  auto* menu = d.widget<QToolButton>(QStringLiteral("set_menu"))->menu();
  const auto act = [&](const QString& what) {
    emit menu->aboutToShow();
    for (QAction* action : menu->actions()) {
      if (action->menu() != nullptr && action->text() == what) return action->menu()->actions().at(0)->trigger();
      if (action->text() == what) return action->trigger();
    }
    FAIL("there is no " << what.toStdString());
  };
  act(QStringLiteral("Use as a tray of"));  // the plate stands first
  d.settle();
  CHECK(d.session().chosen() == part);
  CHECK(d.volume(part) == Approx(plate - 2 * hole));
  CHECK(tray(d).set == d.job().sets[0].id);
  CHECK(row_of(d, 3) != nullptr);
  d.session().select({2});
  act(QStringLiteral("Add the chosen parts"));
  d.settle();
  CHECK(d.volume(part) == Approx(plate - 3 * hole));
  // Tools are in no list but that of the set.
  d.widget<QComboBox>(QStringLiteral("sets"))->setCurrentIndex(0);
  emit d.widget<QComboBox>(QStringLiteral("sets"))->activated(0);
  CHECK(names() == QStringList{QStringLiteral("Plate")});
  d.click(list->viewport(), list->visualItemRect(list->item(0)).center());
  d.session().select({part});
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.volume(part) == Approx(plate - 2 * hole));
}
