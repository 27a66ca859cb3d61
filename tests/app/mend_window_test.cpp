// SPDX-License-Identifier: GPL-3.0-or-later
// The Mend station by mouse and keys: the plan before anything happens, the ticked repairs, all of them.
#include <QCheckBox>

#include "app/rail_panel.h"
#include "core/io/mesh_file.h"
#include "core/mend/mender.h"
#include "core/soundness/check.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// The float housing alone, in the Mend station.
PartId float_housing(Driver& d) {
  d.session().bring_in({std::filesystem::path(DEMO_DATA) / "float-housing.obj"}, Unit::millimetre);
  d.settle();
  d.key(Qt::Key_4, Qt::ControlModifier);
  return d.session().chosen();
}
bool plan_is_there(Driver& d, PartId part) {
  return Driver::until([&] { return d.session().mend_plan(part) != nullptr && d.widget(QStringLiteral("mend_ticked")) != nullptr; });
}
bool is_on(const Step& step, const Mender& mender) { return std::get<bool>(step.fields[*field_place(step.kind->fields, mender.key)]); }

}  // namespace

TEST_CASE("a part brought in unsound offers a plan, which changes nothing; what is ticked of it is mended and can be undone") {
  Driver d;
  const PartId part = float_housing(d);
  REQUIRE_FALSE(d.session().result(part).report->sound);
  d.click(d.widget(QStringLiteral("make_plan")));
  REQUIRE(plan_is_there(d, part));
  CHECK(d.job().at(part).recipe.empty());
  CHECK(d.widget<QLabel>(QStringLiteral("plan_outcome"))->text().endsWith(QStringLiteral("Sound")));
  auto* strays = d.widget<QCheckBox>(QStringLiteral("tick_strays"));
  REQUIRE(strays != nullptr);
  CHECK(strays->isChecked());
  d.click(strays, QPointF(8, 8));
  CHECK_FALSE(strays->isChecked());
  d.click(d.widget(QStringLiteral("mend_ticked")));
  d.settle();
  REQUIRE(d.job().at(part).recipe.size() == 1);
  const Step& step = d.job().at(part).recipe[0];
  CHECK(step.kind == &steps::mend);
  CHECK_FALSE(is_on(step, menders::strays));
  CHECK(is_on(step, menders::holes));
  const ReportPtr report = d.session().result(part).report;
  CHECK(report->sound);
  CHECK(report->count(families::stray_shells) == 1);
  CHECK(report->shells == 2);
  // Counts before and after stand on the card.
  auto* compared = d.widget<QLabel>(QStringLiteral("compared_%1").arg(step.id));
  REQUIRE(compared != nullptr);
  CHECK(compared->text().contains(QStringLiteral("Inner walls")));
  CHECK(compared->text().contains(QStringLiteral("New surface off the old")));
  // The map is offered where there is something to show, and drawn over the whole part.
  const QImage plain = d.view().grab().toImage();
  d.key(Qt::Key_O, Qt::ShiftModifier);
  CHECK(d.view().deviation_map());
  QTest::qWait(100);
  CHECK(d.view().grab().toImage() != plain);
  d.key(Qt::Key_O, Qt::ShiftModifier);
  CHECK_FALSE(d.view().deviation_map());
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.job().at(part).recipe.empty());
  CHECK_FALSE(d.session().result(part).report->sound);
}

TEST_CASE("the plan by its key, ticks carried out by theirs, and all of it with one") {
  Driver d;
  const PartId part = float_housing(d);
  d.key(Qt::Key_R, Qt::ShiftModifier);
  REQUIRE(plan_is_there(d, part));
  for (const char* key : {"weld", "doubled", "fins", "orientation", "crossings", "holes", "strays"}) {
    auto* tick = d.widget<QCheckBox>(QStringLiteral("tick_") + QLatin1String(key));
    INFO(key);
    REQUIRE(tick != nullptr);
    d.click(tick, QPointF(8, 8));
  }
  d.key(Qt::Key_K, Qt::ShiftModifier);
  d.settle();
  REQUIRE(d.job().at(part).recipe.size() == 1);
  // The wall alone was left ticked.
  CHECK(d.session().result(part).report->count(families::inner_walls) == 0);
  CHECK(d.session().result(part).report->holes() > 0);
  // The plan was about what stood before; another, for what is left, all done.
  CHECK(d.session().mend_plan(part) == nullptr);
  d.key(Qt::Key_E, Qt::ShiftModifier);
  d.settle();
  REQUIRE(d.job().at(part).recipe.size() == 2);
  CHECK(d.session().result(part).report->sound);
  CHECK(d.widget(QStringLiteral("make_plan")) == nullptr);
}

TEST_CASE("what is not sound at export is mended on the way out") {
  Driver d;
  const TemporaryFolder folder;
  const PartId part = float_housing(d);
  d.answer_button(QStringLiteral("not_sound"), QStringLiteral("Mend and export"));
  d.key(Qt::Key_E, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.job().at(part).recipe.size() == 1; }));
  d.answer_file(folder / "housing.stl");
  REQUIRE(Driver::until([&] { return folder.file_count() == 1 && !d.session().busy_with_files(); }));
  const auto back = read_mesh(folder / "housing.stl");
  REQUIRE(back);
  CHECK(check_soundness(back->mesh).sound);
}

TEST_CASE("a mended part follows when what it stands on changes") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  const PartId box = d.session().chosen();
  d.key(Qt::Key_4, Qt::ControlModifier);
  d.key(Qt::Key_E, Qt::ShiftModifier);
  d.settle();
  REQUIRE(d.job().at(box).recipe.size() == 1);
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  d.type(d.widget(QStringLiteral("dimension_%1_z").arg(box)), QStringLiteral("30"));
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 30));
  CHECK(d.session().result(box).report->sound);
}
