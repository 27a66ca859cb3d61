// SPDX-License-Identifier: GPL-3.0-or-later
// Finishing edges, ramps, stencils, pushes, rows and letters by mouse and keys, from an empty job.
#include <QComboBox>
#include <QPlainTextEdit>

#include "app/view/grip_drag.h"
#include "core/soundness/check.h"
#include "job/edit.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// A box of 40 × 40 × 20 on the ground, in the Shape station.
PartId a_box(Driver& d) {
  d.key(Qt::Key_1, Qt::ControlModifier);
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_3, Qt::ControlModifier);
  return d.session().chosen();
}

bool is_sound(Driver& d, PartId id) { return d.session().result(id).report->sound && d.session().result(id).trouble() == nullptr; }

void verb(Driver& d, const char* name) {
  QAction* action = d.window.verbs().find(QLatin1String(name));
  REQUIRE(action != nullptr);
  REQUIRE(action->isEnabled());
  for (auto* button : d.window.findChildren<QToolButton*>())
    if (button->defaultAction() == action && button->isVisible()) return d.click(button);
  action->trigger();  // it stands under "More"
}

/// Chooses elements by a click in the view.
void choose_at(Driver& d, const char* kind, const Vec3& at) {
  verb(d, kind);
  d.click_at(at);
  verb(d, "choose_by_click");
  REQUIRE(d.session().chooser().chosen().size() == 1);
}

void drag_grip(Driver& d, const char* field, const QPointF& by, int component = -1) {
  const auto at = d.view().grip_pixel(field, component);
  REQUIRE(at);
  d.drag(&d.view(), *at, *at + by);
  d.settle();
}

/// Drags a grip a little, types a number and takes it.
void type_at_grip(Driver& d, const char* field, const QString& typed, int component = -1) {
  const auto at = d.view().grip_pixel(field, component);
  REQUIRE(at);
  d.press(&d.view(), *at);
  d.move(&d.view(), *at + QPointF(6, 6));
  for (const QChar c : typed) QTest::keyClick(d.window.windowHandle(), c.toLatin1());
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
  d.release(&d.view(), *at + QPointF(6, 6));
  d.settle();
}

}  // namespace

TEST_CASE("a chamfer takes the fresh edges of the cut before it; its bar is dragged, its width typed; a second one does not take those of the first") {
  Driver d;
  box_and_cylinder(d);
  d.session().select({1, 2});
  d.key(Qt::Key_D);
  d.settle();
  d.session().select({1});
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_C);
  d.settle();
  REQUIRE(d.job().at(1).recipe.size() == 2);
  CHECK(std::get<std::string>(field(d, 1, "edges")) == "fresh");
  CHECK(is_sound(d, 1));
  // Two rims of a 64-sided hole; a strip loses half the square of the width times the length of its middle line, where the prisms meet in mitres.
  const auto rims = [&](double width) {
    const double r = 10, angle = std::numbers::pi / 64, apothem = r * std::cos(angle);
    // Section: a triangle with its corner on the hole's edge, 64 prisms: exactly the frustum between the polygons of apothem a and a + w, less the hole.
    const double a = apothem, b = apothem + width, area = 64 * std::tan(angle);
    return 2 * (area * width / 3 * (a * a + a * b + b * b) - area * a * a * width);
  };
  CHECK(d.volume(1) == Approx(drilled - rims(number(d, 1, "width"))));
  type_at_grip(d, "width", QStringLiteral("2.5"));
  CHECK(number(d, 1, "width") == 2.5);
  CHECK(d.volume(1) == Approx(drilled - rims(2.5)));
  CHECK(d.session().result(1).evaluated->mesh->face_count() == 8 + 64 + 2 * 64);  // sides with a hole are two
  drag_grip(d, "width", QPointF(14, 5));
  CHECK(number(d, 1, "width") != 2.5);
  CHECK(d.volume(1) == Approx(drilled - rims(number(d, 1, "width"))));
  // By an angle: of these only the box's own edges are left when the fresh ones are taken off.
  auto* rule = d.widget<QComboBox>(field_name(d, 1, "edges"));
  REQUIRE(rule != nullptr);
  rule->setFocus();
  while (rule->currentIndex() != 1) QTest::keyClick(Driver::window_of(rule), Qt::Key_Down);
  d.settle();
  CHECK(std::get<std::string>(field(d, 1, "edges")) == "sharp:30");
  CHECK(is_sound(d, 1));
  CHECK(d.volume(1) < drilled - rims(number(d, 1, "width")));
}

TEST_CASE("edges chosen by a click are rounded, and are found again when the part changes") {
  Driver d;
  const PartId box = a_box(d);
  choose_at(d, "choose_edges", {20, 0, 20});
  d.key(Qt::Key_O);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::round);
  CHECK(std::get<std::string>(field(d, box, "edges")).starts_with("edges at"));
  type_at_grip(d, "radius", QStringLiteral("5"));
  // A chain of 8 chords of a quarter circle instead of the corner.
  const double lost = 25 - 8 * 0.5 * 25 * std::sin(std::numbers::pi / 16);
  CHECK(d.volume(box) == Approx(40 * 40 * 20 - 40 * lost));
  CHECK(is_sound(d, box));
  d.type(d.widget(QStringLiteral("dimension_%1_x").arg(box)), QStringLiteral("60"));
  d.settle();
  CHECK(d.volume(box) == Approx(60 * 40 * 20 - 40 * lost));
}

TEST_CASE("a ramp goes along a chosen edge: two bars for its faces, taken away or added") {
  Driver d;
  const PartId box = a_box(d);
  d.key(Qt::Key_R);  // nothing is chosen yet: it says so, and edges can be chosen
  CHECK(d.job().at(box).recipe.empty());
  CHECK(d.session().chooser().on());
  d.click_at({20, 0, 20});
  d.key(Qt::Key_R);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::ramp);
  type_at_grip(d, "first", QStringLiteral("10"));
  type_at_grip(d, "second", QStringLiteral("6"));
  CHECK(d.volume(box) == Approx(40 * 40 * 20 - 40 * 10 * 6 / 2.0));
  CHECK(is_sound(d, box));
  // Closed off and tapered: a bar at each end for each width, and two for the gaps; what has gone is shown, and that it leaves a plane.
  const auto remark = [&] { return placed_guides(d.session())[1].remark; };
  CHECK(remark() == "goes, leaves a plane");
  d.click(d.widget(field_name(d, box, "runs-out")));
  d.settle();
  type_at_grip(d, "begin-gap", QStringLiteral("10"));
  CHECK(d.volume(box) == Approx(40 * 40 * 20 - 30 * 10 * 6 / 2.0));
  // An end leans outwards by the bar at the end of its leg: by 45 degrees as far as each leg is long, which shifts the section by a third of both on average.
  type_at_grip(d, "begin-angle", QStringLiteral("45"));
  CHECK(std::get<double>(field(d, box, "begin-angle")) == 45);
  CHECK(d.volume(box) == Approx(40 * 40 * 20 - 10 * 6 / 2.0 * (30 + (10 + 6) / 3.0)));
  CHECK(is_sound(d, box));
  type_at_grip(d, "begin-angle", QStringLiteral("0"));
  const JobPtr straight = d.session().history().committed();
  d.click(d.widget(field_name(d, box, "more")));
  d.click(d.widget(field_name(d, box, "tapered")));
  d.settle();
  type_at_grip(d, "first-end", QStringLiteral("10"));
  CHECK(remark() == "goes, leaves a twisted face");
  type_at_grip(d, "second-end", QStringLiteral("6"));
  CHECK(remark() == "goes, leaves a plane");
  CHECK(d.volume(box) == Approx(40 * 40 * 20 - 30 * 10 * 6 / 2.0));
  CHECK(is_sound(d, box));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.session().job().at(box).recipe.back().fields == straight->at(box).recipe.back().fields);
  auto* how = d.widget<QComboBox>(field_name(d, box, "how"));
  how->setFocus();
  QTest::keyClick(Driver::window_of(how), Qt::Key_Down);
  d.settle();
  CHECK(std::get<std::string>(field(d, box, "how")) == "add");
  CHECK(d.volume(box) > 40 * 40 * 20);
  CHECK(placed_guides(d.session())[1].remark == "comes, leaves a plane");
  CHECK(is_sound(d, box));
}

TEST_CASE("a chosen face is pushed in by its bar, and right through") {
  Driver d;
  const PartId box = a_box(d);
  // A smaller region: the top parted by a stencil that only splits nothing off is not needed; the top itself is pushed.
  choose_at(d, "choose_faces", {0, 0, 20});
  d.key(Qt::Key_P);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::push);
  type_at_grip(d, "depth", QStringLiteral("7"));
  CHECK(d.volume(box) == Approx(40 * 40 * 13));
  // Where it would come out stands there before it does: all around the bottom, and how far that is.
  const Guides guides = placed_guides(d.session());
  REQUIRE(guides.size() == 5);
  CHECK(guides[0].remark == "comes out after 20 mm");
  CHECK(guides[0].line.front() == guides[0].line.back());
  for (const Vec3& p : guides[0].line) CHECK(std::abs(p.z()) < 1e-2);
  // Along an edge that is clicked: straight down, so as before; then along an axis.
  d.click(d.widget(QStringLiteral("direction_edge")));
  d.click_at({20, -20, 6});
  d.settle();
  CHECK(std::get<std::string>(field(d, box, "way")) == "direction");
  CHECK(std::get<Vec3>(field(d, box, "direction")) == Vec3(0, 0, -1));
  CHECK(d.volume(box) == Approx(40 * 40 * 13));
  d.click(d.widget(QStringLiteral("direction_over")));
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 20));  // out of the body there is nothing to take away
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  d.click(d.widget(QStringLiteral("direction_points")));
  d.click_at({10, -10, 13});
  d.click_at({10, 5, 13});
  d.settle();
  CHECK((std::get<Vec3>(field(d, box, "direction")) - Vec3::UnitY()).norm() < 0.05);  // to the pixel
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  d.type(d.widget(field_name(d, box, "depth")), QStringLiteral("-5"));
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 25));
  CHECK(is_sound(d, box));
  d.click(d.widget(field_name(d, box, "through")));
  d.settle();
  CHECK(d.session().result(box).evaluated->mesh->empty());
}

TEST_CASE("a rectangle drawn on the view cuts right through; its points are dragged, its depth set, what it does changed") {
  Driver d;
  const PartId box = a_box(d);
  d.view().look(Direction::top);
  QTest::qWait(600);
  d.view().set_parallel(true);
  d.key(Qt::Key_S);
  CHECK(d.view().drawing());
  const QPointF from = d.pixel({-10, -5, 20}), to = d.pixel({10, 5, 20});
  d.drag(&d.view(), from, to);
  CHECK_FALSE(d.view().drawing());
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::stencil);
  // To the pixel.
  CHECK(d.volume(box) == Approx(40 * 40 * 20 - 20 * 10 * 20).margin(250));
  CHECK(is_sound(d, box));
  const double before = d.volume(box);
  drag_grip(d, "outline", QPointF(-25, 10), 0);
  CHECK(d.volume(box) < before - 50);
  d.click(d.widget(field_name(d, box, "through")));
  d.settle();
  CHECK(std::get<bool>(field(d, box, "through")) == false);
  d.type(d.widget(field_name(d, box, "to")), QStringLiteral("4"));
  d.settle();
  CHECK(d.volume(box) > before);
  CHECK(is_sound(d, box));
  auto* does = d.widget<QComboBox>(field_name(d, box, "operation"));
  does->setFocus();
  QTest::keyClick(Driver::window_of(does), Qt::Key_Down);
  d.settle();
  CHECK(std::get<std::string>(field(d, box, "operation")) == "intersection");
  CHECK(is_sound(d, box));
}

TEST_CASE("a circle with a typed diameter, a clicked polygon, a free line and a straight one, as seen in perspective") {
  Driver d;
  const PartId box = a_box(d);
  d.view().look(Direction::top);
  QTest::qWait(500);
  const auto undo = [&] {
    d.key(Qt::Key_Z, Qt::ControlModifier);
    d.settle();
    d.session().select({box});
    CHECK(d.volume(box) == Approx(40 * 40 * 20));
  };
  d.key(Qt::Key_S, Qt::ShiftModifier);
  d.click(&d.view(), d.pixel({0, 0, 20}));
  d.move(&d.view(), d.pixel({4, 0, 20}));
  for (const Qt::Key k : {Qt::Key_1, Qt::Key_6, Qt::Key_Return}) QTest::keyClick(d.window.windowHandle(), k);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::stencil);
  // A cone of sight through a circle of 16 at the top: wider below.
  const double lost = 40 * 40 * 20 - d.volume(box);
  CHECK(lost > std::numbers::pi * 64 * 20 * 0.99);
  CHECK(lost < std::numbers::pi * 64 * 20 * 1.4);
  CHECK(number(d, box, "eye") > 50);
  CHECK(is_sound(d, box));
  undo();
  d.key(Qt::Key_D);
  for (const Vec3& p : {Vec3(-10, -10, 20), Vec3(10, -10, 20), Vec3(0, 12, 20)}) d.click(&d.view(), d.pixel(p));
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::stencil);
  CHECK(d.volume(box) < 40 * 40 * 20 - 0.5 * 20 * 22 * 20 * 0.95);
  CHECK(is_sound(d, box));
  undo();
  d.key(Qt::Key_D, Qt::ShiftModifier);
  // A lasso with two eyes.
  const auto on_eight = [&](int k) { return d.pixel({14 * std::cos(k * 0.1), 10 * std::sin(k * 0.2), 20}); };
  d.press(&d.view(), on_eight(0));
  for (int k = 1; k < 62; ++k) d.move(&d.view(), on_eight(k));
  d.release(&d.view(), on_eight(62));
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::stencil);
  CHECK(is_sound(d, box));
  CHECK(d.volume(box) < 40 * 40 * 20 - 2000);
  undo();
  d.key(Qt::Key_I);
  d.drag(&d.view(), d.pixel({5, -15, 20}), d.pixel({5, 15, 20}));
  d.move(&d.view(), d.pixel({12, 0, 20}));
  d.click(&d.view(), d.pixel({12, 0, 20}));
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::plane_cut);
  // The right side goes.
  CHECK(d.session().world_bounds(box).hi.x() < 10);
  CHECK(d.session().world_bounds(box).lo.x() == Approx(-20));
  CHECK(is_sound(d, box));
  d.key(Qt::Key_S);
  d.key(Qt::Key_Escape);
  CHECK_FALSE(d.view().drawing());
}

TEST_CASE("rows: counts and spacing by their bars; a ring; tools along edges; all sound, with the volume of so many") {
  Driver d;
  const PartId box = a_box(d);
  d.key(Qt::Key_N);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::array);
  CHECK(d.volume(box) == Approx(3 * 40 * 40 * 20));
  QTest::qWait(600);  // it is brought into the picture
  type_at_grip(d, "count", QStringLiteral("4"), 0);
  type_at_grip(d, "spacing", QStringLiteral("45.5"), 0);
  CHECK(std::get<Vec3>(field(d, box, "count")) == Vec3(4, 1, 1));
  CHECK(std::get<Vec3>(field(d, box, "spacing")).x() == 45.5);
  CHECK(d.session().world_bounds(box).hi.x() == Approx(20 + 3 * 45.5));
  CHECK(d.volume(box) == Approx(4 * 40 * 40 * 20));
  CHECK(is_sound(d, box));
  d.key(Qt::Key_Delete, Qt::ShiftModifier);
  d.settle();
  d.session().select({box});
  d.key(Qt::Key_N, Qt::ShiftModifier);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::ring);
  d.type(d.widget(field_name(d, box, "point") + QStringLiteral("_0")), QStringLiteral("100"));
  d.settle();
  CHECK(d.volume(box) == Approx(6 * 40 * 40 * 20));
  CHECK(is_sound(d, box));
}

TEST_CASE("of a chosen tool an array makes a pattern, which the part follows") {
  Driver d;
  box_and_cylinder(d);
  d.type(d.widget(QStringLiteral("dimension_2_diameter")), QStringLiteral("6"));
  d.session().select({1, 2});
  d.key(Qt::Key_D);
  d.settle();
  d.session().select({2});
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_N);
  d.settle();
  REQUIRE(d.job().at(2).recipe.size() == 1);
  CHECK(d.job().at(1).recipe.size() == 1);
  d.type(d.widget(field_name(d, 2, "spacing") + QStringLiteral("_0")), QStringLiteral("8"));
  d.settle();
  // Three holes: in the middle, and at 8 and 16 to the right.
  CHECK(d.volume(1) == Approx(40 * 40 * 20 - 3 * polygon_area(64, 3) * 20));
  CHECK(is_sound(d, 1));
}

TEST_CASE("a part and a tool chosen, an array repeats the tool in the step; taken out of it, the part") {
  Driver d;
  box_and_cylinder(d);
  d.type(d.widget(QStringLiteral("dimension_2_diameter")), QStringLiteral("6"));
  d.session().select({1, 2});
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_N);
  d.settle();
  const Step& step = last_step(d, 1);
  REQUIRE(step.kind == &steps::array);
  REQUIRE(step.tools.size() == 1);
  CHECK(d.job().at(2).recipe.empty());
  type_at_grip(d, "spacing", QStringLiteral("8"), 0);
  CHECK(std::get<Vec3>(field(d, 1, "spacing")).x() == 8);
  // Three holes: in the middle, and at 8 and 16 to the right.
  CHECK(d.volume(1) == Approx(40 * 40 * 20 - 3 * polygon_area(64, 3) * 20));
  CHECK(is_sound(d, 1));
  type_at_grip(d, "count", QStringLiteral("2"), 0);
  CHECK(d.volume(1) == Approx(40 * 40 * 20 - 2 * polygon_area(64, 3) * 20));
  // Its tool off, it does not repeat the part instead; the tool deleted, it goes.
  const JobPtr before = d.session().history().committed();
  REQUIRE(d.session().commit("off", edit::change_step(d.job(), step.id, [](Step& s) { s.tools[0].on = false; })));
  d.settle();
  CHECK(d.volume(1) == Approx(40 * 40 * 20));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.session().select({2});
  d.key(Qt::Key_Delete);
  d.settle();
  CHECK(d.job().at(1).recipe.empty());
  CHECK(d.volume(1) == Approx(40 * 40 * 20));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.session().history().committed()->at(1).recipe.size() == before->at(1).recipe.size());
  d.session().select({1, 2});
  d.key(Qt::Key_N, Qt::ShiftModifier);
  d.settle();
  REQUIRE(last_step(d, 1).kind == &steps::ring);
  CHECK(last_step(d, 1).tools.size() == 1);
}

TEST_CASE("tools are scattered over a part and along its edges, from the parts that are chosen") {
  Driver d;
  const PartId box = a_box(d);
  d.key(Qt::Key_S);  // drawing a stencil: left again
  d.key(Qt::Key_Escape);
  d.key(Qt::Key_1, Qt::ControlModifier);
  d.session().select({});
  d.key(Qt::Key_S);
  d.settle();
  const PartId ball = d.session().chosen();
  d.type(d.widget(QStringLiteral("dimension_%1_diameter").arg(ball)), QStringLiteral("4"));
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.session().select({box, ball});
  d.key(Qt::Key_C, Qt::ShiftModifier);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::scatter);
  REQUIRE(last_step(d, box).tools.size() == 1);
  d.type(d.widget(field_name(d, box, "distance")), QStringLiteral("6"));
  d.type(d.widget(field_name(d, box, "count")), QStringLiteral("40"));
  d.settle();
  CHECK(is_sound(d, box));
  const double ball_volume = signed_volume(*d.session().result(ball).evaluated->mesh);
  // Each one lies with its middle on the surface: half of it cuts, less at an edge.
  const double lost = 40 * 40 * 20 - d.volume(box);
  CHECK(lost < 40 * ball_volume * 0.51);
  CHECK(lost > 40 * ball_volume * 0.3);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.job().at(box).recipe.empty());
  d.session().select({box, ball});
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_E);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::along_edges);
  CHECK(is_sound(d, box));
  CHECK(d.volume(box) < 40 * 40 * 20 - ball_volume);
}

TEST_CASE("a path is clicked over the faces, drawn, closed by its first point, and becomes a cut; a grid is thrown") {
  Driver d;
  const PartId box = a_box(d);
  d.view().look(Direction::top);
  QTest::qWait(600);
  d.view().set_parallel(true);
  d.key(Qt::Key_Q);
  for (const Vec3& p : {Vec3(-10, -8, 20), Vec3(10, -8, 20), Vec3(10, 8, 20), Vec3(3, 3, 20)}) d.click_at(p);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Backspace);
  d.click_at({-10, 8, 20});
  d.click_at({-10, -8, 20});
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::path_cut);
  CHECK(std::get<std::string>(field(d, box, "path")).ends_with("closed"));
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  CHECK(is_sound(d, box));
  CHECK(d.session().result(box).evaluated->fresh_edges.size() >= 4);
  auto* what = d.widget<QComboBox>(field_name(d, box, "what"));
  what->setFocus();
  QTest::keyClick(Driver::window_of(what), Qt::Key_Down);
  d.settle();
  CHECK(std::get<std::string>(field(d, box, "what")) == "left");
  const double depth = number(d, box, "depth");
  CHECK(d.volume(box) == Approx(40 * 40 * 20 - 20 * 16 * depth).epsilon(0.02));
  CHECK(is_sound(d, box));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.job().at(box).recipe.empty());
  d.session().select({box});
  d.key(Qt::Key_3, Qt::ControlModifier);
  verb(d, "throw-grid");
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::throw_grid);
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  CHECK(d.session().result(box).evaluated->mesh->face_count() > 6);
  CHECK(is_sound(d, box));
  // Onto one chosen face alone, though it goes right through.
  d.key(Qt::Key_Delete, Qt::ShiftModifier);
  d.settle();
  choose_at(d, "choose_faces", {1, 1, 20});
  verb(d, "throw-grid");
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::throw_grid);
  d.click(d.widget(field_name(d, box, "through")));
  d.settle();
  CHECK(std::get<bool>(field(d, box, "through")));
  CHECK(is_sound(d, box));
  const PartResult thrown = d.session().result(box);
  CHECK(thrown.evaluated->fresh_edges.size() > 4);
  for (const auto& [v, w] : thrown.evaluated->fresh_edges) CHECK(std::abs(thrown.evaluated->mesh->positions[v].z() - 10) < 1e-6);  // the top, in the part's own frame
  // An open path: two points and Return.
  d.key(Qt::Key_Q);
  d.click_at({-15, 0, 20});
  d.click_at({15, 4, 20});
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
  d.settle();
  CHECK(last_step(d, box).kind == &steps::path_cut);
}

TEST_CASE("the edges of another part are thrown onto the chosen one") {
  Driver d;
  const PartId box = a_box(d);
  d.key(Qt::Key_1, Qt::ControlModifier);
  d.session().select({});
  d.key(Qt::Key_C);
  d.settle();
  const PartId bar = d.session().chosen();
  d.session().select({box, bar});
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_E, Qt::ShiftModifier);
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::throw_edges);
  CHECK(d.volume(box) == Approx(40 * 40 * 20));
  CHECK(is_sound(d, box));
  CHECK(d.session().result(box).evaluated->fresh_edges.size() >= 64);
}

TEST_CASE("lettering is cut where a face is clicked; its text is typed, its dot dragged") {
  Driver d;
  const PartId box = a_box(d);
  d.key(Qt::Key_L);
  d.click_at({0, 0, 20});
  d.settle();
  REQUIRE(last_step(d, box).kind == &steps::lettering);
  CHECK(is_sound(d, box));
  auto* text = d.widget<QPlainTextEdit>(field_name(d, box, "text"));
  REQUIRE(text != nullptr);
  d.click(text);
  QTest::keyClick(Driver::window_of(text), Qt::Key_A, Qt::ControlModifier);
  for (const QChar c : QStringLiteral("KP 7")) QTest::keyClick(Driver::window_of(text), c.toLatin1());
  QTest::qWait(700);
  d.settle();
  CHECK(std::get<std::string>(field(d, box, "text")) == "KP 7");
  CHECK(is_sound(d, box));
  // Who goes on at once loses nothing of what was typed: by a verb's keys, or by a click elsewhere.
  d.click(text);
  for (const QChar c : QStringLiteral("8")) QTest::keyClick(Driver::window_of(text), c.toLatin1());
  QTest::keyClick(Driver::window_of(text), Qt::Key_4, Qt::ControlModifier);
  CHECK(std::get<std::string>(field(d, box, "text")).find('8') != std::string::npos);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_3, Qt::ControlModifier);
  d.settle();
  text = d.widget<QPlainTextEdit>(field_name(d, box, "text"));
  d.click(text);
  for (const QChar c : QStringLiteral("9")) QTest::keyClick(Driver::window_of(text), c.toLatin1());
  d.click(d.widget(QStringLiteral("dimension_%1_x").arg(box)));
  CHECK(std::get<std::string>(field(d, box, "text")).find('9') != std::string::npos);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_A, Qt::ControlModifier);
  for (const QChar c : QStringLiteral("44")) QTest::keyClick(d.window.windowHandle(), c.toLatin1());
  QTest::keyClick(d.window.windowHandle(), Qt::Key_4, Qt::ControlModifier);
  CHECK(std::get<double>(std::get<Primitive>(d.job().at(box).source).values[0]) == 44);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(std::get<double>(std::get<Primitive>(d.job().at(box).source).values[0]) == 40);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_3, Qt::ControlModifier);
  d.settle();
  const double lost = 40 * 40 * 20 - d.volume(box);
  CHECK(lost > 0);
  const Vec3 before = std::get<Vec3>(field(d, box, "point"));
  drag_grip(d, "point", QPointF(10, 4));
  CHECK((std::get<Vec3>(field(d, box, "point")) - before).norm() > 0.5);
  CHECK(std::get<Vec3>(field(d, box, "point")).z() == Approx(before.z()));
  CHECK(40 * 40 * 20 - d.volume(box) == Approx(lost));
  auto* how = d.widget<QComboBox>(field_name(d, box, "how"));
  how->setFocus();
  QTest::keyClick(Driver::window_of(how), Qt::Key_Down);
  d.settle();
  CHECK(d.volume(box) == Approx(40 * 40 * 20 + lost));
}

TEST_CASE("threads, outlines, helices, polyhedra and letters are made by their verbs, sound at once") {
  Driver d;
  for (const char* kind : {"thread", "outline", "helix", "polyhedron", "lettering-solid"}) {
    INFO(kind);
    d.key(Qt::Key_1, Qt::ControlModifier);
    d.session().select({});
    verb(d, kind);
    if (d.view().drawing()) QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);  // one to change by its numbers
    d.settle();
    const PartId part = d.session().chosen();
    REQUIRE(part != 0);
    CHECK(is_sound(d, part));
    CHECK(d.volume(part) > 0);
  }
}

TEST_CASE("an outline is drawn on the ground by its corners, and on a face with a bowed piece, and stands there") {
  Driver d;
  d.key(Qt::Key_1, Qt::ControlModifier);
  d.view().look(Direction::top);
  QTest::qWait(600);
  d.view().set_parallel(true);
  verb(d, "outline");
  CHECK(d.view().drawing());
  for (const Vec3& p : {Vec3(-10, -10, 0), Vec3(10, -10, 0), Vec3(10, 0, 0), Vec3(0, 0, 0), Vec3(0, 10, 0), Vec3(-10, 10, 0)}) d.click_at(p);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
  CHECK_FALSE(d.view().drawing());
  d.settle();
  const PartId angle = d.session().chosen();
  REQUIRE(angle != 0);
  CHECK(d.volume(angle) == Approx((20 * 10 + 10 * 10) * 10).epsilon(0.01));
  CHECK(is_sound(d, angle));
  Box3 stands = d.session().world_bounds(angle);
  CHECK((stands.lo - Vec3(-10, -10, 0)).norm() < 0.1);
  CHECK((stands.hi - Vec3(10, 10, 10)).norm() < 0.1);
  // That was to the pixel. One undo takes it back.
  d.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(d.job().find(angle) == nullptr);

  const PartId box = a_box(d);
  d.key(Qt::Key_1, Qt::ControlModifier);
  d.session().select({});
  d.view().look(Direction::front);
  QTest::qWait(600);
  verb(d, "outline");
  d.click_at({-10, -20, 6});
  d.click_at({10, -20, 6});
  d.key(Qt::Key_B);
  d.move(&d.view(), d.pixel({0, -20, 4}));
  QTest::keyClick(d.window.windowHandle(), Qt::Key_3);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
  d.click_at({10, -20, 16});
  d.click_at({-10, -20, 16});
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
  d.settle();
  const PartId boss = d.session().chosen();
  REQUIRE(boss != box);
  REQUIRE(boss != 0);
  // A rectangle and a segment of a circle, chord 20 and rise 3.
  const double r = (100 + 9) / 6.0, angle_of_arc = 2 * std::asin(10 / r);
  CHECK(d.volume(boss) == Approx((20 * 10 + r * r / 2 * (angle_of_arc - std::sin(angle_of_arc))) * 10).epsilon(0.01));
  CHECK(is_sound(d, boss));
  stands = d.session().world_bounds(boss);
  CHECK((stands.lo - Vec3(-10, -30, 3)).norm() < 0.1);
  CHECK((stands.hi - Vec3(10, -20, 16)).norm() < 0.1);
  // The other way round, and by clicking the first corner again, it comes to the same.
  d.session().select({});
  d.key(Qt::Key_Z, Qt::ControlModifier);
  verb(d, "outline");
  d.click_at({10, -20, 6});
  d.click_at({10, -20, 6});  // twice: still one corner
  d.click_at({-10, -20, 6});
  d.key(Qt::Key_B);
  d.move(&d.view(), d.pixel({0, -20, 4}));
  QTest::keyClick(d.window.windowHandle(), Qt::Key_3);
  QTest::keyClick(d.window.windowHandle(), Qt::Key_Return);
  d.click_at({-10, -20, 16});
  d.click_at({10, -20, 16});
  d.click_at({10, -20, 6});
  CHECK_FALSE(d.view().drawing());
  d.settle();
  const PartId again = d.session().chosen();
  REQUIRE(again != 0);
  CHECK(d.volume(again) == Approx((20 * 10 + r * r / 2 * (angle_of_arc - std::sin(angle_of_arc))) * 10).epsilon(0.01));
  CHECK(is_sound(d, again));
  CHECK((d.session().world_bounds(again).lo - Vec3(-10, -30, 3)).norm() < 0.1);
}
