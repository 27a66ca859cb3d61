// SPDX-License-Identifier: GPL-3.0-or-later
// The Shape station by mouse and keys: planes placed by fields, by handles, by picked faces and points.
#include <QComboBox>
#include <QMenu>

#include "core/io/mesh_file.h"
#include "core/soundness/check.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// A box of 40 × 40 × 20 on the ground, in the Shape station.
PartId a_box(Driver& d) {
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_3, Qt::ControlModifier);
  return d.session().chosen();
}

}  // namespace

TEST_CASE("a plane cut is added by its key through the middle, set by its card, undone, saved and opened") {
  Driver d;
  const TemporaryFolder folder;
  const PartId box = a_box(d);
  d.key(Qt::Key_A);
  d.settle();
  REQUIRE(d.job().at(box).recipe.size() == 1);
  CHECK(last_step(d, box).kind == &steps::plane_cut);
  CHECK(d.volume(box) == Approx(40 * 40 * 10));
  CHECK(d.session().active_step() == last_step(d, box).id);
  choose_line(d, field_name(d, box, "keep"), 2);
  d.settle();
  CHECK(std::get<std::string>(field(d, box, "keep")) == "both");
  CHECK(d.session().result(box).evaluated->pieces == 2);
  d.type(d.widget(field_name(d, box, "point") + QStringLiteral("_2")), QStringLiteral("2.5+2.5"));
  d.settle();
  CHECK(std::get<Vec3>(field(d, box, "point")).z() == 5);
  choose_line(d, field_name(d, box, "keep"), 0);
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 5));
  d.click(d.widget(field_name(d, box, "cap")));
  d.settle();
  CHECK(d.session().result(box).report->holes() == 1);
  CHECK(d.session().result(box).evaluated->open_on_purpose);
  for (int k = 0; k < 5; ++k) d.key(Qt::Key_Z, Qt::ControlModifier);  // the list passes through every choice on its way
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 10));
  d.key(Qt::Key_Y, Qt::ControlModifier);
  d.key(Qt::Key_Y, Qt::ControlModifier);
  d.settle();
  d.answer_file(folder / "cut.anvil");
  d.key(Qt::Key_S, Qt::ControlModifier);
  REQUIRE(Driver::until([&] { return d.session().history().saved(); }));
  const auto back = load_job(folder / "cut.anvil");
  REQUIRE(back);
  CHECK(back->at(box) == d.job().at(box));
}

TEST_CASE("a value out of range is refused at the field with the range named, and the old one comes back") {
  Driver d;
  const PartId box = a_box(d);
  d.key(Qt::Key_A);
  d.settle();
  const FieldValues before = last_step(d, box).fields;
  auto* point = d.widget<QLineEdit>(field_name(d, box, "point") + QStringLiteral("_0"));
  d.type(point, QStringLiteral("9999999999999"));
  CHECK(last_step(d, box).fields == before);
  CHECK(point->text() == QStringLiteral("0"));
  CHECK(d.told().contains(QStringLiteral("10000000")));
  d.type(point, QStringLiteral("twelve"));
  CHECK(last_step(d, box).fields == before);
  CHECK(d.told().contains(QStringLiteral("is not a number")));
  // The torus that was saved and then refused: now refused where it is typed.
  d.key(Qt::Key_Escape);
  d.key(Qt::Key_Escape);
  d.key(Qt::Key_1, Qt::ControlModifier);
  d.key(Qt::Key_R);
  d.settle();
  const PartId torus = d.named("Torus");
  d.type(d.widget(QStringLiteral("dimension_%1_tube").arg(torus)), QStringLiteral("50"));
  CHECK(std::get<Primitive>(d.job().at(torus).source).values[1] == FieldValue(10.0));
  CHECK(d.told().contains(QStringLiteral("below the ring diameter")));
  d.type(d.widget(QStringLiteral("dimension_%1_tube").arg(torus)), QStringLiteral("1cm+0.5"));
  CHECK(std::get<Primitive>(d.job().at(torus).source).values[1] == FieldValue(10.5));
}

TEST_CASE("the plane's arrow moves it, its rings tilt it, a typed number is exact, escape puts it back") {
  Driver d;
  const PartId box = a_box(d);
  d.key(Qt::Key_A);
  d.settle();
  const QPointF arrow = d.view().handle_pixel(0);
  REQUIRE_FALSE(arrow.isNull());
  d.drag(&d.view(), arrow, arrow + QPointF(0, -30));
  d.settle();
  const double z = std::get<Vec3>(field(d, box, "point")).z();
  CHECK(z > 0.5);
  CHECK(std::get<Vec3>(field(d, box, "normal")) == Vec3(0, 0, 1));
  CHECK(d.volume(box) == Approx(40 * 40 * (10 + z)));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  const QPointF again = d.view().handle_pixel(0);
  d.press(&d.view(), again);
  d.move(&d.view(), again + QPointF(0, -20));
  for (const Qt::Key k : {Qt::Key_4, Qt::Key_Period, Qt::Key_5}) QTest::keyClick(d.window.windowHandle(), k);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
  d.release(&d.view(), again + QPointF(0, -20));
  d.settle();
  CHECK(std::get<Vec3>(field(d, box, "point")).z() == 4.5);
  CHECK(d.volume(box) == Approx(40 * 40 * 14.5));
  const QPointF ring = d.view().handle_pixel(1);
  REQUIRE_FALSE(ring.isNull());
  d.drag(&d.view(), ring, ring + QPointF(25, 15));
  d.settle();
  const Vec3 tilted = std::get<Vec3>(field(d, box, "normal"));
  CHECK(std::abs(tilted.z()) < 0.9999);
  CHECK(tilted.norm() == Approx(1));
  CHECK(d.session().result(box).report->sound);
  const Job before = d.job();
  const QPointF third = d.view().handle_pixel(0);
  d.press(&d.view(), third);
  d.move(&d.view(), third + QPointF(10, -20));
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Escape);
  d.release(&d.view(), third + QPointF(10, -20));
  CHECK(d.job().at(box) == before.at(box));
  // Escape lets go of the step first, then of the part.
  d.key(Qt::Key_Escape);
  CHECK(d.session().active_step() == 0);
  CHECK(d.session().chosen() == box);
}

TEST_CASE("the plane is laid onto a clicked face, through three clicked vertices, across an axis, and turned over") {
  Driver d;
  const PartId box = a_box(d);
  d.key(Qt::Key_A);
  d.settle();
  d.key(Qt::Key_Z, Qt::ControlModifier);  // only to see that the verb comes back by redo as well
  d.key(Qt::Key_Y, Qt::ControlModifier);
  d.settle();
  d.session().set_active_step(last_step(d, box).id);
  d.click(d.widget(QStringLiteral("plane_face")));
  CHECK(d.view().picking());
  CHECK(d.view().hint().contains(QStringLiteral("face")));
  d.click(&d.view(), d.view().pixel_of({20, 3, 4}));  // the right side, below the cut
  d.settle();
  CHECK_FALSE(d.view().picking());
  CHECK((std::get<Vec3>(field(d, box, "normal")) - Vec3(1, 0, 0)).norm() < 1e-12);
  CHECK(std::get<Vec3>(field(d, box, "point")).x() == Approx(20));
  CHECK(d.volume(box) == Approx(40 * 40 * 20));  // along a flat side nothing goes
  d.click(d.widget(QStringLiteral("plane_over")));
  d.settle();
  CHECK(d.session().result(box).evaluated->mesh->empty());
  d.click(d.widget(QStringLiteral("plane_over")));
  d.settle();
  // Three corners of the top and the front.
  d.click(d.widget(QStringLiteral("plane_points")));
  for (const Vec3& corner : {Vec3(-20, -20, 20), Vec3(20, -20, 20), Vec3(20, 20, 20)}) {
    CHECK(d.view().picking());
    const QPointF at = d.view().pixel_of(corner), inwards = d.view().pixel_of({0, 0, 10}) - at;
    d.click(&d.view(), at + 4 * inwards / std::hypot(inwards.x(), inwards.y()));
  }
  d.settle();
  CHECK_FALSE(d.view().picking());
  CHECK((std::get<Vec3>(field(d, box, "normal")).cwiseAbs() - Vec3(0, 0, 1)).norm() < 1e-9);
  CHECK(std::get<Vec3>(field(d, box, "point")).z() == Approx(10));
  auto* across = d.widget<QToolButton>(QStringLiteral("plane_across"));
  REQUIRE(across != nullptr);
  across->menu()->actions().at(0)->trigger();  // the part's right
  across->menu()->actions().back()->trigger();  // through the middle of its bounds
  d.settle();
  CHECK(std::get<Vec3>(field(d, box, "normal")) == Vec3(1, 0, 0));
  // Leaving the picking by Escape changes nothing.
  d.click(d.widget(QStringLiteral("plane_face")));
  d.key(Qt::Key_Escape);
  CHECK_FALSE(d.view().picking());
  CHECK(d.session().active_step() == last_step(d, box).id);
}

TEST_CASE("a mirror doubles one half, its card adds a copy instead, and the step is deleted by its verb") {
  Driver d;
  const PartId box = a_box(d);
  d.key(Qt::Key_M, Qt::ShiftModifier);
  d.settle();
  CHECK(last_step(d, box).kind == &steps::mirror);
  d.type(d.widget(field_name(d, box, "point") + QStringLiteral("_0")), QStringLiteral("10"));
  d.settle();
  // From −20 to 10 and back: 60 long.
  CHECK(d.volume(box) == Approx(60 * 40 * 20));
  CHECK(d.session().result(box).report->shells == 1);
  CHECK(d.session().result(box).report->count(families::inner_walls) == 0);
  choose_line(d, field_name(d, box, "how"), 1);
  d.type(d.widget(field_name(d, box, "point") + QStringLiteral("_0")), QStringLiteral("20"));
  d.settle();
  CHECK(d.volume(box) == Approx(80 * 40 * 20));
  d.click(d.widget(QStringLiteral("step_%1_on").arg(last_step(d, box).id)));
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  d.key(Qt::Key_Delete, Qt::ShiftModifier);
  CHECK(d.job().at(box).recipe.empty());
  CHECK(d.window.verbs().find(QStringLiteral("delete_step"))->isEnabled() == false);
}

TEST_CASE("a step that cannot be carried out says why on its own card, and the part stays in view") {
  Driver d;
  d.key(Qt::Key_L);  // a sheet bounds nothing
  d.settle();
  d.key(Qt::Key_A);
  d.settle();
  const PartId sheet = d.named("Plane sheet");
  d.type(d.widget(field_name(d, sheet, "normal") + QStringLiteral("_0")), QStringLiteral("1"));
  d.settle();
  auto* failure = d.widget<QLabel>(QStringLiteral("step_failure"));
  REQUIRE(failure != nullptr);
  CHECK(failure->text().contains(QStringLiteral("Plane sheet: it bounds nothing")));
  CHECK(d.session().result(sheet).evaluated->mesh->face_count() == 1);
  d.click(d.widget(field_name(d, sheet, "cap")));
  d.settle();
  CHECK(d.widget<QLabel>(QStringLiteral("step_failure")) == nullptr);
}
