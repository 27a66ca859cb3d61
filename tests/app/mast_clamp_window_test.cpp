// SPDX-License-Identifier: GPL-3.0-or-later
// A clamp with fourteen tools in two trays, built in the window from an empty job by keys, clicks and typed numbers, changed in
// every way, taken back to the empty job and done again. Volumes are those of boxes, by hand.
#include <QMenu>
#include <QToolButton>

#include "app/cards/tool_row.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

void type_position(Driver& d, PartId part, int axis, double value) {
  d.open_card(QStringLiteral("Place"));
  d.type(d.widget(QStringLiteral("position_%1_%2").arg(part).arg(axis)), QString::number(value));
}

/// Types numbers into one field and those after it, going on by Tab.
void type_row(Driver& d, QWidget* first, const Vec3& numbers) {
  d.click(first);
  for (int k = 0; k < 3; ++k) {
    QTest::keyClick(d.window.windowHandle(), Qt::Key_A, Qt::ControlModifier);
    for (const QChar c : QString::number(numbers[k])) QTest::keyClick(d.window.windowHandle(), c.toLatin1());
    QTest::keyClick(d.window.windowHandle(), k < 2 ? Qt::Key_Tab : Qt::Key_Return);
  }
}

/// A box made by its key, with its numbers typed into its cards.
PartId make_box(Driver& d, const Vec3& size, const Vec3& at) {
  d.key(Qt::Key_Escape);
  d.key(Qt::Key_Escape);
  d.key(Qt::Key_B);
  const PartId box = d.job().parts.back()->id;
  type_row(d, d.widget(QStringLiteral("dimension_%1_x").arg(box)), size);
  d.open_card(QStringLiteral("Place"));
  type_row(d, d.widget(QStringLiteral("position_%1_0").arg(box)), at);
  CHECK(d.job().at(box).placement.position == at);
  return box;
}

void choose(Driver& d, const std::vector<PartId>& parts) {
  d.session().select(parts);
  QTest::qWait(30);
}
ToolRow* row_of(Driver& d, PartId tool) { return d.widget<ToolRow>(QStringLiteral("tool_%1").arg(tool)); }
void set_operation(Driver& d, const QString& button, const QString& operation) {
  auto* tool = d.widget<QToolButton>(button);
  REQUIRE(tool != nullptr);
  for (QAction* action : tool->menu()->actions())
    if (action->text() == operation) return action->trigger();
  FAIL("no operation " << operation.toStdString());
}

}  // namespace

TEST_CASE("the clamp with fourteen tools in two trays: built, changed, taken back to nothing and done again, byte for byte") {
  const TemporaryFolder folder;
  Driver d;
  double width = 120;
  const double depth = 60, height = 20;
  const PartId base = make_box(d, {width, depth, height}, {0, 0, 0});
  // Eight holes through it, 6 wide.
  std::vector<PartId> holes, bosses, others;
  for (int k = 0; k < 8; ++k) holes.push_back(make_box(d, {6, 6, 40}, {-42.0 + 12 * k, k % 2 == 0 ? 20.0 : -20.0, 0}));
  // Four bosses on it, 10 by 10, 8 high over the face.
  for (int k = 0; k < 4; ++k) bosses.push_back(make_box(d, {10, 10, 16}, {-45.0 + 30 * k, 0, 10}));
  // A slot from the front, 4 wide and 12 deep, and a bar across it, on the face.
  others.push_back(make_box(d, {4, 24, 40}, {0, -30, 0}));
  others.push_back(make_box(d, {20, 8, 4}, {0, -25, 12}));
  REQUIRE(d.job().parts.size() == 15);
  d.settle();
  d.key(Qt::Key_2, Qt::ControlModifier);
  std::vector<PartId> chosen{base};
  chosen.insert(chosen.end(), holes.begin(), holes.end());
  choose(d, chosen);
  d.key(Qt::Key_D);
  choose(d, holes);
  d.key(Qt::Key_R);
  chosen = {base};
  chosen.insert(chosen.end(), bosses.begin(), bosses.end());
  choose(d, chosen);
  d.key(Qt::Key_U);
  choose(d, bosses);
  d.key(Qt::Key_R);
  choose(d, {base, others[0]});
  d.key(Qt::Key_D);
  choose(d, {base, others[1]});
  d.key(Qt::Key_U);
  d.settle();
  const StepId step = d.job().at(base).recipe.at(0).id;
  REQUIRE(d.job().uses_by(base).size() == 14);
  REQUIRE(d.job().at(base).recipe[0].tools.size() == 4);  // two trays and two tools
  const UseId hole_tray = d.job().at(base).recipe[0].tools[0].id;
  // By hand: the base, less the holes, with what of the bosses stands over it, less the slot, with the bar, which comes after it.
  const double hole = 6 * 6 * height, boss = 10 * 10 * 8, slot = 4 * 12 * height, bar = 20 * 8 * 4;
  const auto expected = [&] { return width * depth * height - 8 * hole + 4 * boss - slot + bar; };
  CHECK(d.volume(base) == Approx(expected()).epsilon(1e-9));
  CHECK(d.session().result(base).report->sound);

  // A dimension of the base: the volume follows.
  choose(d, {base});
  width = 130;
  d.type(d.widget(QStringLiteral("dimension_%1_x").arg(base)), QStringLiteral("130"));
  d.settle();
  CHECK(d.volume(base) == Approx(expected()).epsilon(1e-9));

  // Mixed in a tray: the last hole has nothing in common with the seven before it, so that an intersection leaves nothing to cut.
  choose(d, {base});
  set_operation(d, QStringLiteral("operation_%1").arg(holes[7]), QStringLiteral("intersection"));
  d.settle();
  CHECK(d.volume(base) == Approx(expected() + 8 * hole).epsilon(1e-9));
  set_operation(d, QStringLiteral("operation_%1").arg(holes[7]), QStringLiteral("difference"));
  d.settle();
  CHECK(d.volume(base) == Approx(expected() + hole).epsilon(1e-9));  // taken from the seven, which it does not touch
  set_operation(d, QStringLiteral("operation_%1").arg(holes[7]), QStringLiteral("union"));
  d.settle();
  CHECK(d.volume(base) == Approx(expected()).epsilon(1e-9));

  // Order: with the bar before the slot, the slot cuts the bar as well.
  choose(d, {base});
  ToolRow *bar_row = row_of(d, others[1]), *slot_row = row_of(d, others[0]);
  Driver::bring_into_view(bar_row);
  const QPointF begin(60, bar_row->height() / 2.0), end = bar_row->mapFromGlobal(slot_row->mapToGlobal(QPoint(60, 4)));
  d.press(bar_row, begin);
  for (int k = 1; k <= 6; ++k) d.move(bar_row, begin + (end - begin) * (k / 6.0));
  d.release(bar_row, end);
  d.settle();
  CHECK(d.volume(base) == Approx(expected() - 4 * 8 * 4).epsilon(1e-9));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.volume(base) == Approx(expected()).epsilon(1e-9));

  // A copy of a tool by dragging its marker with Ctrl: another tool of the same tray.
  choose(d, {holes[0]});
  d.view().look(Direction::top);
  QTest::qWait(400);
  d.view().fit_all();
  QTest::qWait(600);
  const auto marker = d.view().marker_pixel(holes[0]);
  REQUIRE(marker);
  d.press(&d.view(), *marker);
  for (int k = 1; k <= 4; ++k) {
    QTest::mouseEvent(QTest::MouseMove, d.window.windowHandle(), Qt::NoButton, Qt::ControlModifier, Driver::in_window(&d.view(), *marker + QPointF(2 * k, 5 * k)));
    QTest::qWait(15);
  }
  d.release(&d.view(), *marker + QPointF(8, 20));
  d.settle();
  REQUIRE(d.job().parts.size() == 16);
  const PartId copy = d.job().parts.back()->id;
  CHECK(d.job().use_of(copy)->trays == std::vector<UseId>{hole_tray});
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.volume(base) == Approx(expected()).epsilon(1e-9));

  // The part moves: what rides along keeps the shape, a tool that stays put does not.
  choose(d, {others[0]});
  d.click(d.widget(QStringLiteral("ride_along")));
  CHECK(!d.job().at(others[0]).rides_on);
  choose(d, {base});
  type_position(d, base, 1, 6);
  d.settle();
  CHECK(d.volume(base) == Approx(expected() + 4 * 6 * height).epsilon(1e-9));  // the slot is 6 shallower now
  type_position(d, base, 1, 0);
  choose(d, {others[0]});
  d.click(d.widget(QStringLiteral("ride_along")));
  d.settle();
  CHECK(d.volume(base) == Approx(expected()).epsilon(1e-9));

  // One tool in two parts.
  const PartId lid = make_box(d, {40, 40, 5}, {0, -20, 60});
  d.settle();
  d.key(Qt::Key_2, Qt::ControlModifier);
  choose(d, {lid, others[0]});
  d.key(Qt::Key_D);
  d.settle();
  CHECK(d.job().uses_of(others[0]).size() == 2);
  CHECK(d.volume(lid) == Approx(40 * 40 * 5));  // it does not reach up there
  choose(d, {lid});
  type_position(d, lid, 2, 15);
  d.settle();
  CHECK(d.volume(lid) == Approx(40 * 40 * 5 - 4 * 22 * 5));  // y from -40 to 0, the slot's tool from -42 to -18

  // A cut after everything; then looked at as it is before it, and a mirror put in there.
  choose(d, {base});
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_A);
  d.settle();
  REQUIRE(d.job().at(base).recipe.size() == 2);
  d.key(Qt::Key_Escape);
  d.key(Qt::Key_2, Qt::ControlModifier);
  choose(d, {base});
  auto* menu = d.widget<QToolButton>(QStringLiteral("step_menu_%1").arg(step))->menu();
  emit menu->aboutToShow();
  menu->actions().at(0)->trigger();  // show up to here
  d.settle();
  CHECK(d.volume(base) == Approx(expected()).epsilon(1e-9));
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_M, Qt::ShiftModifier);
  d.settle();
  REQUIRE(d.job().at(base).recipe.size() == 3);
  CHECK(d.job().at(base).recipe[1].kind == &steps::mirror);
  CHECK(d.job().at(base).recipe[2].kind == &steps::plane_cut);
  d.click(d.widget(QStringLiteral("look_at_all")));
  d.settle();

  // Forged and brought back.
  const double made = d.volume(base);
  d.key(Qt::Key_Escape);
  d.key(Qt::Key_2, Qt::ControlModifier);
  choose(d, {base});
  d.key(Qt::Key_P);
  d.settle();
  CHECK(std::holds_alternative<ForgedSource>(d.job().at(base).source));
  CHECK(d.volume(base) == Approx(made).epsilon(1e-12));
  d.click(d.widget(QStringLiteral("source_act")));
  d.settle();
  CHECK(std::holds_alternative<Primitive>(d.job().at(base).source));
  CHECK(d.volume(base) == Approx(made).epsilon(1e-12));
  CHECK(d.job().uses_by(base).size() == 14);

  // All the way back to the empty job, and forth again.
  REQUIRE(save_job(d.job(), folder / "end.anvil"));
  std::size_t changes = 0;
  for (; d.session().history().can_undo(); ++changes) d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(changes > 80);
  CHECK(d.job().parts.empty());
  while (d.session().history().can_redo()) d.key(Qt::Key_Y, Qt::ControlModifier);
  d.settle();
  REQUIRE(save_job(d.job(), folder / "again.anvil"));
  CHECK(read_text(folder / "end.anvil") == read_text(folder / "again.anvil"));
  CHECK(d.volume(base) == Approx(made).epsilon(1e-12));
}
