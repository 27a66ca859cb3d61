// SPDX-License-Identifier: GPL-3.0-or-later
// Templates by mouse and keys: keeping steps, using them on another part, sending and bringing in.
#include <QListWidget>
#include <QMenu>
#include <fstream>

#include "app/template_dialog.h"
#include "job/edit.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// Two boxes; the first is cut at z = 2 from below and then mirrored across x.
void cut_and_mirrored(Driver& d) {
  Job job = d.job();
  for (const char* name : {"First", "Second"}) {
    Part part;
    part.name = name;
    part.source = Primitive::of("box", {30, 20, 10});
    job = edit::add_part(job, part);
  }
  Step cut = new_step(steps::plane_cut), mirror = new_step(steps::mirror);
  cut.name = "Shave";
  cut.fields[*field_place(cut.kind->fields, "point")] = Vec3(0, 0, 2);
  job = *edit::add_step(*edit::add_step(job, 1, cut), 1, mirror);
  d.session().commit(QStringLiteral("parts"), job);
  d.settle();
  d.session().select({1});
  QTest::qWait(100);
}

void forget_templates() { std::filesystem::remove_all(template_folder()); }

}  // namespace

TEST_CASE("steps are kept as a template, used on another part, sent out and brought in again") {
  forget_templates();
  const TemporaryFolder folder;
  Driver d;
  cut_and_mirrored(d);
  const StepId cut = d.job().at(1).recipe[0].id;
  auto* menu_button = d.widget<QToolButton>(QStringLiteral("step_menu_%1").arg(cut));
  REQUIRE(menu_button != nullptr);
  QMenu* menu = menu_button->menu();
  emit menu->aboutToShow();
  d.answer(QStringLiteral("keep_template"), [](QDialog& dialog) {
    auto* name = dialog.findChild<QLineEdit*>(QStringLiteral("template_name"));
    CHECK(name->text() == "Shave");
    name->selectAll();
    QTest::keyClicks(name, QStringLiteral("Shave and double"));
    auto* steps = dialog.findChild<QListWidget*>(QStringLiteral("template_steps"));
    REQUIRE(steps->count() == 2);
    steps->item(1)->setCheckState(Qt::Checked);
    QTest::mouseClick(dialog.findChild<QPushButton*>(QStringLiteral("template_keep")), Qt::LeftButton);
  });
  for (QAction* action : menu->actions())
    if (action->text() == QStringLiteral("Keep as a template…")) action->trigger();
  REQUIRE(std::filesystem::exists(template_folder() / "shave-and-double.steps.json"));
  // Used on the second part: the same shape comes out.
  d.session().select({2});
  QTest::qWait(50);
  d.answer(QStringLiteral("templates"), [&](QDialog& dialog) {
    auto* list = dialog.findChild<QListWidget*>(QStringLiteral("template_list"));
    CHECK(list->count() == 5);  // and the four that come with the application
    CHECK(list->item(0)->text().contains(QStringLiteral("Shave and double")));
    d.answer_file(folder / "sent.steps.json");
    QTest::mouseClick(dialog.findChild<QPushButton*>(QStringLiteral("template_send_out")), Qt::LeftButton);
    QTest::mouseClick(dialog.findChild<QPushButton*>(QStringLiteral("template_use")), Qt::LeftButton);
  });
  d.click(d.widget(QStringLiteral("from_template")));
  d.settle();
  REQUIRE(d.job().at(2).recipe.size() == 2);
  CHECK(d.job().at(2).recipe[0].fields == d.job().at(1).recipe[0].fields);
  CHECK(d.job().at(2).recipe[0].shown_name() == "Shave");
  CHECK(d.job().at(2).recipe[0].id != cut);
  CHECK(d.volume(2) == Approx(d.volume(1)));
  CHECK(d.volume(2) == Approx(30 * 20 * 7));
  // Deleted, and brought in from the file that was sent.
  REQUIRE(std::filesystem::exists(folder / "sent.steps.json"));
  d.answer(QStringLiteral("templates"), [&](QDialog& dialog) {
    auto* list = dialog.findChild<QListWidget*>(QStringLiteral("template_list"));
    QTest::mouseClick(dialog.findChild<QPushButton*>(QStringLiteral("template_remove")), Qt::LeftButton);
    CHECK(list->count() == 4);
    d.answer_file(folder / "sent.steps.json");
    QTest::mouseClick(dialog.findChild<QPushButton*>(QStringLiteral("template_bring_in")), Qt::LeftButton);
    CHECK(list->count() == 5);
    // One that cannot be read is named, and nothing is brought in.
    std::ofstream(folder / "bad.steps.json") << "{\"template\": 1, \"name\": \"x\", \"steps\": [{\"kind\": \"knead\", \"on\": true, \"fields\": {}}]}";
    d.answer_file(folder / "bad.steps.json");
    QTest::mouseClick(dialog.findChild<QPushButton*>(QStringLiteral("template_bring_in")), Qt::LeftButton);
    CHECK(list->count() == 5);
    const auto* told = dialog.findChild<QLabel*>(QStringLiteral("template_told"));
    CHECK(told->isVisible());
    CHECK(told->text().contains(QStringLiteral("bad.steps.json")));
    CHECK(told->text().contains(QStringLiteral("knead")));
    dialog.reject();
  });
  d.key(Qt::Key_T, Qt::ControlModifier | Qt::ShiftModifier);
  forget_templates();
}

TEST_CASE("every template that comes with the application makes a sound part of a box") {
  forget_templates();
  for (int which = 0; which < 4; ++which) {
    Driver d;
    d.key(Qt::Key_B);
    d.settle();
    const PartId box = d.job().parts[0]->id;
    d.answer(QStringLiteral("templates"), [&](QDialog& dialog) {
      auto* list = dialog.findChild<QListWidget*>(QStringLiteral("template_list"));
      REQUIRE(list->count() == 4);
      list->setCurrentRow(which);
      INFO(list->item(which)->text().toStdString());
      QTest::mouseClick(dialog.findChild<QPushButton*>(QStringLiteral("template_use")), Qt::LeftButton);
    });
    d.key(Qt::Key_T, Qt::ControlModifier | Qt::ShiftModifier);
    d.settle();
    CHECK(!d.job().at(box).recipe.empty());
    CHECK(d.session().result(box).trouble() == nullptr);
    CHECK(d.session().result(box).report->sound);
    // Mirrored, parted or mended, a centred box keeps its volume; cut in half it loses a chamfer of 1 around the cut, mitred at four corners.
    const bool is_chamfered = d.job().at(box).recipe.back().kind == &steps::chamfer;
    CHECK(d.volume(box) == Approx(is_chamfered ? box_volume / 2 - (4 * 40 * 0.5 - 4.0 / 3) : box_volume));
  }
}
