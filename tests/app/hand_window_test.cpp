// SPDX-License-Identifier: GPL-3.0-or-later
// The Mend station by hand: choosing vertices, edges and faces with the mouse, and editing them.
#include <QCheckBox>
#include <QInputDialog>
#include <QMenu>

#include "app/hand_row.h"
#include "app/view/element_pick.h"
#include "app/view/markers.h"
#include "core/io/mesh_file.h"
#include "core/soundness/check.h"
#include "job/edit.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// A part made of a mesh, alone, chosen, in the Mend station, seen from the corner.
PartId part_of(Driver& d, const Mesh& mesh) {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(mesh, folder / "part.ply"));
  d.session().bring_in({folder / "part.ply"}, Unit::millimetre);
  d.settle();
  d.key(Qt::Key_4, Qt::ControlModifier);
  QTest::qWait(300);
  return d.session().chosen();
}
/// A box of 40 × 40 × 20, the same way.
PartId box_to_edit(Driver& d) {
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_4, Qt::ControlModifier);
  QTest::qWait(300);
  return d.session().chosen();
}
const Mesh& shown(Driver& d, PartId part) { return *d.session().result(part).evaluated->mesh; }
const SoundnessReport& report(Driver& d, PartId part) {
  const ReportPtr known = d.session().result(part).report;
  REQUIRE(known != nullptr);
  return *known;
}
const Elements& chosen(Driver& d) { return d.session().chooser().chosen(); }

Elements first_open_edge(const Mesh&, const Topology& t, const Elements&) {
  for (Index e = 0; e < t.edges.size(); ++e)
    if (t.edges.corners_of(e).size() == 1) return {ElementKind::edges, {e}};
  return {ElementKind::edges, {}};
}
/// Pixels that are clearly another colour.
int differing_pixels(const QImage& a, const QImage& b) {
  REQUIRE(a.size() == b.size());
  int count = 0;
  for (int y = 0; y < a.height(); ++y)
    for (int x = 0; x < a.width(); ++x) {
      const QRgb p = a.pixel(x, y), q = b.pixel(x, y);
      count += std::abs(qRed(p) - qRed(q)) + std::abs(qGreen(p) - qGreen(q)) + std::abs(qBlue(p) - qBlue(q)) > 24;
    }
  return count;
}
/// The button in the rail whose accessible name begins like this.
QToolButton* link(Driver& d, const QString& name) {
  QTest::qWait(60);
  for (QToolButton* button : d.window.rail().findChildren<QToolButton*>())
    if (button->isVisible() && button->accessibleName().startsWith(name)) return button;
  return nullptr;
}

}  // namespace

TEST_CASE("elements are chosen by click, box, brush and outline, only what is seen or right through") {
  Driver d;
  box_to_edit(d);
  // The box is 40 × 40 × 20 and stands on the ground; the corner view sees front, right or left, and top.
  const int width = d.view().width();
  d.key(Qt::Key_A);
  CHECK(d.session().chooser().on());
  d.click_at({0, 0, 20});
  REQUIRE(chosen(d).size() == 1);
  CHECK(chosen(d).kind == ElementKind::faces);
  CHECK(d.view().width() == width);
  CHECK(d.widget<QLabel>(QStringLiteral("chosen_count"))->text() == QStringLiteral("1 face"));
  const std::vector<Vec3> corners{{-20, -20, 20}, {20, -20, 20}, {20, 20, 20}, {-20, 20, 20}, {-20, -20, 0}, {20, -20, 0}, {20, 20, 0}, {-20, 20, 0}};
  // Clicking drags nothing and moves nothing; a second face with Shift, away again with Ctrl.
  const JobPtr before = d.session().history().current();
  std::size_t seen = 0;
  Vec3 side;
  for (const Vec3& middle : {Vec3(20, 0, 10), Vec3(-20, 0, 10), Vec3(0, 20, 10), Vec3(0, -20, 10)}) {
    d.session().chooser().clear();
    d.click_at({0, 0, 20});
    d.click_at(middle, Qt::ShiftModifier);
    if (chosen(d).size() == 2) ++seen, side = middle;
  }
  CHECK(seen == 2);
  d.session().chooser().clear();
  d.click_at({0, 0, 20});
  d.click_at(side, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 2);
  d.click_at(side, Qt::ControlModifier);
  CHECK(chosen(d).size() == 1);
  CHECK(d.session().history().current() == before);
  // Vertices in a box around all: seven are seen, eight are there.
  d.key(Qt::Key_C);
  CHECK(chosen(d).kind == ElementKind::vertices);
  CHECK(chosen(d).size() == 4);
  d.key(Qt::Key_B, Qt::ShiftModifier);
  QRectF around;
  for (const Vec3& p : corners) around |= QRectF(d.pixel(p) - QPointF(6, 6), QSizeF(12, 12));
  d.drag(&d.view(), around.topLeft(), around.bottomRight());
  CHECK(chosen(d).size() == 7);
  d.key(Qt::Key_X, Qt::ShiftModifier);
  d.drag(&d.view(), around.topLeft(), around.bottomRight());
  CHECK(chosen(d).size() == 8);
  d.key(Qt::Key_X, Qt::ShiftModifier);
  // An outline around one corner of the lid.
  d.key(Qt::Key_A, Qt::ShiftModifier);
  const QPointF corner = d.pixel(corners[1]);
  d.press(&d.view(), corner + QPointF(18, 0));
  for (int k = 1; k <= 12; ++k) d.move(&d.view(), corner + 18 * QPointF(std::cos(k * M_PI / 6), std::sin(k * M_PI / 6)));
  d.release(&d.view(), corner + QPointF(18, 0));
  REQUIRE(chosen(d).size() == 1);
  CHECK(shown(d, d.session().chosen()).positions[chosen(d).list[0]].head<2>() == corners[1].head<2>());
  // The brush along an edge of the lid takes that edge and those it touches.
  d.key(Qt::Key_E);
  d.key(Qt::Key_P, Qt::ShiftModifier);
  d.drag(&d.view(), d.pixel({0, -20, 20}), d.pixel({10, -20, 20}));
  CHECK(chosen(d).size() == 1);
  // Orbiting while choosing leaves the choice alone; Escape lets go, then ends choosing.
  d.drag(&d.view(), QPointF(300, 300), QPointF(340, 300), Qt::RightButton);
  CHECK(chosen(d).size() == 1);
  d.key(Qt::Key_Escape);
  CHECK(chosen(d).empty());
  CHECK(d.session().chooser().on());
  d.key(Qt::Key_Escape);
  CHECK_FALSE(d.session().chooser().on());
  CHECK(d.session().chosen() != 0);
}

TEST_CASE("a choice grows, shrinks, runs around, goes by angle and by sharpness, and turns round") {
  Driver d;
  const PartId part = part_of(d, stock("cylinder", {40, 40, 24}));
  d.key(Qt::Key_E);
  d.session().chooser().set_way(Chooser::Way::click);
  // The rim of the lid, by one of its edges.
  const double a = M_PI / 24;
  Index on_rim = no_index;
  const Mesh& mesh = shown(d, part);
  const Topology t(mesh);
  for (Index e = 0; e < t.edges.size(); ++e)
    if (std::abs(place_of(mesh, t, ElementKind::edges, e).z() - 20) < 1e-6 && place_of(mesh, t, ElementKind::edges, e).y() < -19 * std::cos(a)) on_rim = e;
  REQUIRE(on_rim != no_index);
  d.click_at(d.job().world_of(part) * place_of(mesh, t, ElementKind::edges, on_rim));
  REQUIRE(chosen(d).list == std::vector<Index>{on_rim});
  d.key(Qt::Key_R);
  CHECK(chosen(d).size() == 24);
  d.key(Qt::Key_G, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 48);
  d.key(Qt::Key_S, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 24);
  d.key(Qt::Key_I, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 48);
  d.answer(QStringLiteral("angle"), [](QDialog& dialog) { dialog.accept(); });
  d.key(Qt::Key_Z, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 48);
  d.key(Qt::Key_A);
  d.session().chooser().clear();
  d.click_at(d.job().world_of(part) * Vec3(0, -20 * std::cos(a), 0));
  REQUIRE(chosen(d).size() == 1);
  d.answer(QStringLiteral("angle"), [](QDialog& dialog) { dialog.accept(); });
  d.key(Qt::Key_W, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 24);
  d.key(Qt::Key_U, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 26);
  d.key(Qt::Key_A, Qt::ControlModifier);
  CHECK(chosen(d).size() == 26);
}

TEST_CASE("faces are deleted, the hole is filled; undo brings them back, and the choice follows") {
  Driver d;
  const PartId part = box_to_edit(d);
  d.key(Qt::Key_A);
  d.click_at({0, 0, 20});
  d.key(Qt::Key_Delete);
  d.settle();
  CHECK(d.job().parts.size() == 1);
  CHECK(report(d, part).holes() == 1);
  CHECK(last_step(d, part).kind == &steps::delete_faces);
  d.key(Qt::Key_E);
  d.click_at({0, -20, 20});
  REQUIRE(chosen(d).size() == 1);
  d.key(Qt::Key_U);
  d.settle();
  CHECK(report(d, part).sound);
  CHECK(d.volume(part) == Approx(box_volume));
  // The box grows: both steps find their elements again.
  const auto grown_job = edit::change_unlocked(d.job(), part, [](Part& p) { p.source = Primitive::of("box", {80, 40, 20}); });
  d.session().commit(QStringLiteral("grow"), grown_job);
  d.settle();
  CHECK(report(d, part).sound);
  CHECK(d.volume(part) == Approx(2 * box_volume));
  for (int k = 0; k < 3; ++k) d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.job().at(part).recipe.empty());
  CHECK(report(d, part).sound);
}

TEST_CASE("corners are filled between, edges split, connected and taken out, vertices welded and slid, each by its key") {
  Driver d;
  const PartId part = box_to_edit(d);
  const std::vector<Vec3> lid{{-20, -20, 20}, {20, -20, 20}, {20, 20, 20}, {-20, 20, 20}};
  // Split two edges of the lid, connect their middles, take the new edge out again.
  d.key(Qt::Key_E);
  d.click_at({0, -20, 20});
  d.click_at({0, 20, 20}, Qt::ShiftModifier);
  REQUIRE(chosen(d).size() == 2);
  d.key(Qt::Key_I);
  d.settle();
  CHECK(shown(d, part).positions.size() == 10);
  d.key(Qt::Key_Escape);  // leaves the step's card
  d.key(Qt::Key_C);
  d.session().chooser().clear();
  d.click_at({0, -20, 20});
  d.click_at({0, 20, 20}, Qt::ShiftModifier);
  d.key(Qt::Key_L);
  d.settle();
  CHECK(shown(d, part).face_count() == 7);
  CHECK(report(d, part).sound);
  // Slide one of the new vertices by a quarter of the way to the corner.
  d.session().chooser().clear();
  d.click_at({0, -20, 20});
  d.click_at(lid[1], Qt::ShiftModifier);
  d.key(Qt::Key_S);
  d.settle();
  CHECK(last_step(d, part).kind == &steps::slide);
  auto* share = d.widget(QStringLiteral("field_%1_share").arg(last_step(d, part).id));
  REQUIRE(share != nullptr);
  d.type(share, QStringLiteral("0.25"));
  d.settle();
  bool slid = false;
  for (const Vec3& p : shown(d, part).positions) slid = slid || p.isApprox(Vec3(5, -20, 10));
  CHECK(slid);
  d.key(Qt::Key_Escape);
  // The edge across out again: one lid of six corners.
  d.key(Qt::Key_E);
  d.session().chooser().clear();
  d.click_at({2.5, 0, 20});
  REQUIRE(chosen(d).size() == 1);
  d.key(Qt::Key_O);
  d.settle();
  CHECK(shown(d, part).face_count() == 6);
  CHECK(report(d, part).sound);
  // Weld a vertex to the corner: at the last chosen.
  d.key(Qt::Key_C);
  d.session().chooser().clear();
  d.click_at({5, -20, 20});
  d.click_at(lid[1], Qt::ShiftModifier);
  d.key(Qt::Key_W);
  d.settle();
  CHECK(shown(d, part).positions.size() == 9);
  d.key(Qt::Key_Escape);
  d.session().undo();
  d.settle();
  // The lid away, then a face between its four corners.
  d.key(Qt::Key_A);
  d.session().chooser().clear();
  d.click_at({0, 0, 20});
  d.key(Qt::Key_D);
  d.settle();
  CHECK(report(d, part).holes() == 1);
  d.key(Qt::Key_C);
  d.session().chooser().clear();
  for (const Vec3& p : lid) d.click_at(p, Qt::ShiftModifier);
  REQUIRE(chosen(d).size() == 4);
  d.key(Qt::Key_P);
  d.settle();
  CHECK(shown(d, part).face_count() == 6);
  // The vertices that were split in lie beside it now.
  CHECK(report(d, part).count(families::t_junctions) + report(d, part).count(families::open_edges) > 0);
  // Turn a face over, triangulate it.
  d.key(Qt::Key_A);
  d.session().chooser().clear();
  d.click_at({0, 0, 20});
  d.key(Qt::Key_Q);
  d.settle();
  CHECK(report(d, part).count(families::flipped_faces) > 0);
  d.key(Qt::Key_Q, Qt::ShiftModifier);
  d.settle();
  CHECK(shown(d, part).face_count() == 7);
}

TEST_CASE("an edit that cannot be done is told at once and leaves no step; one that lost its elements says so on its card") {
  Driver d;
  const PartId part = box_to_edit(d);
  d.key(Qt::Key_C);
  d.click_at({-20, -20, 20});
  d.click_at({20, -20, 20}, Qt::ShiftModifier);
  d.key(Qt::Key_L);
  d.settle();
  CHECK(d.job().at(part).recipe.empty());
  CHECK(d.told().contains(QStringLiteral("no face has two of the vertices")));
  d.key(Qt::Key_A);
  d.session().chooser().clear();
  d.click_at({0, 0, 20});
  d.key(Qt::Key_Q);
  d.settle();
  const StepId step = last_step(d, part).id;
  // Something else takes the place of the box.
  d.session().commit(QStringLiteral("another"), edit::change_unlocked(d.job(), part, [](Part& p) { p.source = Primitive::of("sheet", {10, 10, 1, 1}); }));
  d.settle();
  d.session().set_active_step(step);
  QTest::qWait(50);
  auto* failure = d.widget<QLabel>(QStringLiteral("step_failure"));
  REQUIRE(failure != nullptr);
  CHECK(failure->text().contains(QStringLiteral("not there any more")));
  // It takes what is chosen now instead.
  d.key(Qt::Key_F);
  QTest::qWait(400);
  d.session().chooser().start(ElementKind::faces);
  d.click_at(d.job().world_of(part) * Vec3(1, 1, 0));
  REQUIRE(chosen(d).size() == 1);
  d.session().set_active_step(step);
  d.click(d.widget(QStringLiteral("take_chosen_%1").arg(step)));
  d.settle();
  CHECK_FALSE(d.session().result(part).evaluated->error);
  // And shows what it works on.
  d.session().chooser().clear();
  d.click(d.widget(QStringLiteral("show_chosen_%1").arg(step)));
  CHECK(chosen(d).size() == 1);
}

TEST_CASE("a hole with a bridge across is two holes, both closed by one key") {
  Driver d;
  // A plate of 5 × 5 squares, 10 thick, with a hole of three squares in its top.
  Mesh plate;
  for (int z = 0; z < 2; ++z)
    for (int y = 0; y < 6; ++y)
      for (int x = 0; x < 6; ++x) plate.add_vertex({10.0 * x, 10.0 * y, 10.0 * z});
  const auto at = [](int x, int y, int z) { return static_cast<Index>(36 * z + 6 * y + x); };
  for (int y = 0; y < 5; ++y)
    for (int x = 0; x < 5; ++x) {
      if (y != 2 || x < 1 || x > 3) plate.add_face({at(x, y, 1), at(x + 1, y, 1), at(x + 1, y + 1, 1), at(x, y + 1, 1)});
      plate.add_face({at(x, y, 0), at(x, y + 1, 0), at(x + 1, y + 1, 0), at(x + 1, y, 0)});
    }
  for (int k = 0; k < 5; ++k) {
    plate.add_face({at(k, 0, 0), at(k + 1, 0, 0), at(k + 1, 0, 1), at(k, 0, 1)});
    plate.add_face({at(k + 1, 5, 0), at(k, 5, 0), at(k, 5, 1), at(k + 1, 5, 1)});
    plate.add_face({at(0, k + 1, 0), at(0, k, 0), at(0, k, 1), at(0, k + 1, 1)});
    plate.add_face({at(5, k, 0), at(5, k + 1, 0), at(5, k + 1, 1), at(5, k, 1)});
  }
  const PartId part = part_of(d, plate);
  CHECK(report(d, part).holes() == 1);
  d.key(Qt::Key_5);  // from the top
  QTest::qWait(500);
  const Affine world = d.job().world_of(part);
  d.key(Qt::Key_E);
  d.click_at(world * Vec3(25, 20, 10));
  d.click_at(world * Vec3(25, 30, 10), Qt::ShiftModifier);
  REQUIRE(chosen(d).size() == 2);
  d.key(Qt::Key_B);
  d.settle();
  CHECK(report(d, part).holes() == 2);
  // One edge of each.
  d.session().chooser().clear();
  d.click_at(world * Vec3(15, 20, 10));
  d.click_at(world * Vec3(35, 20, 10), Qt::ShiftModifier);
  REQUIRE(chosen(d).size() == 2);
  d.key(Qt::Key_U);
  d.settle();
  CHECK(report(d, part).sound);
  CHECK(d.volume(part) == Approx(25000));
  CHECK(shown(d, part).face_count() == 70);
}

TEST_CASE("a fin is taken off by hand and the seam along it welded") {
  Driver d;
  // A box whose lid hangs on vertices of its own along one edge, where a fin stands.
  Mesh mesh = stock("box", {40, 40, 20});
  const Index a = mesh.add_vertex({-20, -20, 35}), b = mesh.add_vertex({20, -20, 35});
  Index p = 0, q = 0;
  for (Index v = 0; v < 8; ++v) {
    if (mesh.positions[v] == Vec3(-20, -20, 10)) p = v;
    if (mesh.positions[v] == Vec3(20, -20, 10)) q = v;
  }
  const Index r = mesh.add_vertex(mesh.positions[p]), s = mesh.add_vertex(mesh.positions[q]);
  for (Index f = 0; f < mesh.face_count(); ++f)
    if (newell_normal(mesh.positions, mesh.face(f)).z() > 0)
      for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) mesh.corners[c] = mesh.corners[c] == p ? r : mesh.corners[c] == q ? s : mesh.corners[c];
  mesh.add_face({p, q, b, a});
  const PartId part = part_of(d, mesh);
  const Affine world = d.job().world_of(part);
  CHECK_FALSE(report(d, part).sound);
  d.key(Qt::Key_1);
  QTest::qWait(500);
  d.key(Qt::Key_A);
  d.click_at(world * Vec3(0, -20, 25));
  REQUIRE(chosen(d).size() == 1);
  d.key(Qt::Key_D);
  d.settle();
  CHECK_FALSE(report(d, part).sound);
  CHECK(shown(d, part).face_count() == 6);
  // Both vertices at either end, with a box right through.
  d.key(Qt::Key_C);
  d.key(Qt::Key_B, Qt::ShiftModifier);
  d.key(Qt::Key_X, Qt::ShiftModifier);
  for (const double x : {-20.0, 20.0}) {
    d.key(Qt::Key_Escape);  // the card of the weld before
    d.session().chooser().start(ElementKind::vertices);
    d.session().chooser().clear();
    const QPointF corner = d.pixel(world * Vec3(x, -20, 10));
    d.drag(&d.view(), corner - QPointF(7, 7), corner + QPointF(7, 7));
    REQUIRE(chosen(d).size() == 2);
    d.key(Qt::Key_W);
    d.settle();
  }
  CHECK(report(d, part).sound);
  CHECK(d.volume(part) == Approx(40 * 40 * 20));
}

TEST_CASE("a face is cut out, combined apart, and joined back with its corners welded") {
  Driver d;
  const PartId part = box_to_edit(d);
  d.key(Qt::Key_A);
  d.click_at({0, 0, 20});
  d.key(Qt::Key_D, Qt::ShiftModifier);
  d.settle();
  REQUIRE(d.job().parts.size() == 2);
  const PartId lid = d.job().parts[1]->id;
  CHECK(shown(d, part).face_count() == 5);
  CHECK(shown(d, lid).face_count() == 1);
  // Apart from the body a cylinder is trimmed out of the face.
  d.key(Qt::Key_1, Qt::ControlModifier);
  d.key(Qt::Key_C);
  d.settle();
  const PartId pin = d.session().chosen();
  d.session().select({lid, pin});
  d.key(Qt::Key_2, Qt::ControlModifier);
  d.key(Qt::Key_Q, Qt::ShiftModifier);
  d.settle();
  CHECK(surface_area(shown(d, lid)) == Approx(1600 - pin_area));
  // Joined back: the corners are one, and the only hole is the one that was cut.
  d.session().select({part, lid});
  d.key(Qt::Key_J, Qt::ShiftModifier);
  d.settle();
  CHECK(last_step(d, part).kind == &steps::join);
  CHECK(report(d, part).holes() == 1);
  CHECK(report(d, part).count(families::unwelded_vertices) == 0);
  CHECK(surface_area(shown(d, part)) == Approx(2 * 1600 + 4 * 800 - pin_area));
  // The hole closed by one of its edges: whole again.
  d.key(Qt::Key_E);
  const double half_side = M_PI / 64;
  d.click_at({10 * std::cos(half_side) * std::cos(half_side), 10 * std::cos(half_side) * std::sin(half_side), 20});
  REQUIRE(chosen(d).size() == 1);
  d.key(Qt::Key_U);
  d.settle();
  CHECK(report(d, part).sound);
  CHECK(d.volume(part) == Approx(box_volume));
}

TEST_CASE("faces extruded by nothing come to light in the smooth look and are cleaned back to the old mesh") {
  Driver d;
  const Mesh box = stock("box", {40, 40, 20});
  Mesh extruded = box;
  for (Index f = 0; f < box.face_count(); ++f) {
    if (newell_normal(box.positions, box.face(f)).z() <= 0) continue;
    const auto old = box.face(f);
    for (Index c = box.face_offsets[f]; c < box.face_offsets[f + 1]; ++c) extruded.corners[c] = extruded.add_vertex(box.positions[box.corners[c]]);
    const Index first = static_cast<Index>(box.positions.size());
    for (Index k = 0; k < 4; ++k) extruded.add_face({old[k], old[(k + 1) % 4], first + (k + 1) % 4, first + k});
  }
  const PartId part = part_of(d, box);
  d.key(Qt::Key_F);
  QTest::qWait(600);
  // Looked at as it is, there is nothing to see; smooth, the lid stands out like a crease.
  const auto picture = [&](int levels) {
    while (d.session().smooth_levels() != levels) d.key(Qt::Key_V, Qt::ShiftModifier);
    REQUIRE(Driver::until([&] { return levels == 0 || d.session().smooth_look(part) != nullptr; }));
    d.key(Qt::Key_J);  // just the shape
    QTest::qWait(150);
    const QImage image = d.view().picture();
    d.key(Qt::Key_J);
    return image;
  };
  const QImage plain = picture(0), smooth = picture(2), once = picture(1);
  constexpr int same = 4, seen = 200;  // pixels: lines drawn twice may end in one more
  CHECK(differing_pixels(smooth, plain) > seen);
  CHECK(differing_pixels(once, smooth) > seen);
  d.session().commit(QStringLiteral("another"), edit::change_unlocked(d.job(), part, [&](Part& p) { p.source = ImportedSource{shared(extruded), "part.ply"}; }));
  d.settle();
  CHECK_FALSE(report(d, part).sound);
  CHECK(report(d, part).count(families::zero_length_edges) > 0);
  CHECK(differing_pixels(picture(0), plain) <= same);
  CHECK(differing_pixels(picture(2), smooth) > seen);
  d.key(Qt::Key_E, Qt::ShiftModifier);
  d.settle();
  CHECK(report(d, part).sound);
  CHECK(shown(d, part).positions.size() == 8);
  CHECK(shown(d, part).face_count() == 6);
  d.key(Qt::Key_Escape);
  CHECK(differing_pixels(picture(2), smooth) <= same);
  CHECK(differing_pixels(picture(0), plain) <= same);
}

TEST_CASE("the wall inside a mirrored part is chosen by its family, taken out, and an edge loop is walked around the seam") {
  Driver d;
  // Two boxes wall to wall with the wall between them left in, welded.
  Mesh mesh = stock("box", {40, 40, 20});
  Mesh other = mesh;
  place(other, Affine(Eigen::Translation3d(40, 0, 0)));
  append(mesh, other);
  for (Index& v : mesh.corners)
    for (Index w = 0; w < v; ++w)
      if (mesh.positions[w] == mesh.positions[v]) {
        v = w;
        break;
      }
  std::vector<std::size_t> double_wall;
  for (std::size_t f = 6; f < 12; ++f)
    if (newell_normal(mesh.positions, mesh.face(f)).x() < 0) double_wall.push_back(f);
  const PartId part = part_of(d, without_faces(mesh, double_wall));
  const Affine world = d.job().world_of(part);
  CHECK(report(d, part).count(families::inner_walls) > 0);
  // Its row in the rail opens, and its place is chosen by the link there.
  d.click(link(d, QStringLiteral("Inner walls")));
  d.click(link(d, QStringLiteral("Choose the elements of")));
  REQUIRE(chosen(d).size() == 1);
  CHECK(chosen(d).kind == ElementKind::faces);
  // The same by family, from an edge of the wall.
  d.key(Qt::Key_E);
  d.session().chooser().set_way(Chooser::Way::click);
  d.click_at(world * Vec3(20, 0, 10));
  REQUIRE(chosen(d).size() == 1);
  d.key(Qt::Key_M, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 4);
  d.click(link(d, QStringLiteral("Choose the elements of")));
  CHECK(std::abs(newell_normal(shown(d, part).positions, shown(d, part).face(chosen(d).list[0])).x()) > 0);
  d.key(Qt::Key_D);
  d.settle();
  CHECK(report(d, part).sound);
  CHECK(shown(d, part).face_count() == 10);
  d.key(Qt::Key_E);
  d.session().chooser().clear();
  d.click_at(world * Vec3(20, 0, 10));
  REQUIRE(chosen(d).size() == 1);
  d.key(Qt::Key_R);
  CHECK(chosen(d).size() == 4);
  for (Index e : chosen(d).list)
    for (Index v : d.session().chooser().topology()->edges.vertices[e]) CHECK(shown(d, part).positions[v].x() == Approx(20));
}

TEST_CASE("the float housing goes to Sound step by step, each family and a single place mended from its row in the rail") {
  Driver d;
  d.session().bring_in({std::filesystem::path(DEMO_DATA) / "float-housing.obj"}, Unit::millimetre);
  d.settle();
  d.key(Qt::Key_4, Qt::ControlModifier);
  const PartId part = d.session().chosen();
  // One single place first: it goes, the others of its family stay.
  const std::size_t holes = report(d, part).holes();
  REQUIRE(holes > 1);
  d.click(link(d, QStringLiteral("Open edges and holes")));
  d.click(link(d, QStringLiteral("Mend flat hole")));
  d.settle();
  REQUIRE(d.job().at(part).recipe.size() == 1);
  CHECK(report(d, part).holes() == holes - 1);
  CHECK_FALSE(report(d, part).sound);
  d.session().undo();
  d.settle();
  // Then family by family, as the rail offers it, until nothing is left that can be mended.
  int steps = 0;
  for (; steps < 20 && !report(d, part).sound; ++steps) {
    std::size_t before = 0;
    for (const FamilyReport& f : report(d, part).families)
      if (f.family->role == FamilyRole::defect) before += f.count;
    bool better = false;
    for (const Family* family : family_table()) {
      if (family->role == FamilyRole::note || report(d, part).count(*family) == 0 || !Session::is_mendable(*family)) continue;
      const std::size_t row = d.window.rail().row_of(*family);
      d.window.rail().open_family(row, true);
      QToolButton* mend = link(d, QStringLiteral("Mend all: ") + QString::fromUtf8(family->label));
      if (mend == nullptr) mend = link(d, QStringLiteral("Mend "));
      REQUIRE(mend != nullptr);
      const std::size_t had = d.job().at(part).recipe.size();
      INFO(mend->accessibleName().toStdString());
      d.click(mend);
      d.settle();
      REQUIRE(d.job().at(part).recipe.size() == had + 1);
      std::size_t after = 0;
      for (const FamilyReport& f : report(d, part).families)
        if (f.family->role == FamilyRole::defect) after += f.count;
      d.window.rail().open_family(row, false);
      if (after < before) {
        better = true;
        break;
      }
      d.session().undo();
      d.settle();
    }
    if (!better) break;
  }
  CHECK(report(d, part).sound);
  CHECK(steps >= 4);
  CHECK(d.job().at(part).recipe.size() == static_cast<std::size_t>(steps));
}

TEST_CASE("markers behind the part show when asked, many on one spot carry their number, and only the surroundings of a place can be drawn") {
  Driver d;
  const Mesh ball = stock("icosphere", {40, 3});
  // Holes at the front and at the back.
  std::vector<std::size_t> gone;
  for (Index f = 0; f < ball.face_count(); f += 40) gone.push_back(f);
  const PartId part = part_of(d, without_faces(ball, gone));
  d.key(Qt::Key_F);
  QTest::qWait(1000);
  REQUIRE(report(d, part).holes() > 10);
  const Picture picture{d.view().camera(), d.view().picture_area(0)};
  const Affine world = d.job().world_of(part);
  const EvaluatedPtr evaluated = d.session().result(part).evaluated;
  const auto is_listed = [&](const Family& family) { return d.session().finding().lists(family); };
  const auto markers = place_markers(picture, report(d, part), world, is_listed, [&](const Defect& defect) { return is_seen(*evaluated, world, picture, defect.position, defect.size); }, 400);
  std::size_t places = 0, hidden = 0;
  for (const PlacedMarker& marker : markers)
    if (marker.family == &families::open_edges) places += marker.count, hidden += marker.hidden ? marker.count : 0;
  CHECK(places == report(d, part).of(families::open_edges).defects.size());
  CHECK(hidden > 2);
  CHECK(hidden < places - 2);
  // From far away all fall on one spot of each family.
  Camera far = d.view().camera();
  far.distance *= 400;
  const Picture speck{far, d.view().picture_area(0)};
  const auto gathered = place_markers(speck, report(d, part), world, is_listed, [](const Defect&) { return true; }, 400);
  REQUIRE(gathered.size() < 5);
  CHECK(gathered[0].count > 5);
  const QImage plain = d.view().picture();
  d.key(Qt::Key_K, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(d.view().marks_through());
  CHECK(differing_pixels(d.view().picture(), plain) > 300);
  d.key(Qt::Key_K, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(differing_pixels(d.view().picture(), plain) < 30);
  d.key(Qt::Key_N);
  QTest::qWait(600);
  CHECK(d.view().showing_place());
  const QImage whole = d.view().picture();
  d.key(Qt::Key_N, Qt::ControlModifier | Qt::ShiftModifier);
  QTest::qWait(50);
  CHECK(d.view().isolated());
  CHECK(differing_pixels(d.view().picture(), whole) > 3000);
  d.key(Qt::Key_N, Qt::ControlModifier | Qt::ShiftModifier);
  QTest::qWait(50);
  CHECK(differing_pixels(d.view().picture(), whole) < 30);
}

TEST_CASE("distances and angles are measured between two picked places, and of what is chosen in the rail") {
  Driver d;
  box_to_edit(d);
  QString said;
  QObject::connect(&d.session(), &Session::said, &d.window, [&](const QString& text) { said = text; });
  d.key(Qt::Key_M, Qt::ControlModifier);
  CHECK(d.view().picking());
  const QImage before = d.view().picture();
  // Beside the corners, which it catches on: a corner may lie on the outline, where a click goes past.
  d.click_at({-19.5, -19.5, 20});
  d.click_at({19.5, -19.5, 20});
  CHECK_FALSE(d.view().picking());
  CHECK(said.contains(QStringLiteral("Distance 40.000 mm")));
  CHECK(d.view().picture() != before);
  d.key(Qt::Key_E);
  d.click_at({0, -20, 20});
  auto* numbers = d.widget<QLabel>(QStringLiteral("chosen_numbers"));
  REQUIRE(numbers != nullptr);
  CHECK(numbers->text().contains(QStringLiteral("Length 40.0 mm")));
  CHECK(numbers->text().contains(QStringLiteral("2 vertices, 1 edge, 0 faces")));
  d.key(Qt::Key_A);
  d.session().chooser().clear();
  d.click_at({0, 0, 20});
  CHECK(numbers->text().contains(QStringLiteral("Area 16.0 cm²")));
  CHECK(numbers->text().contains(QStringLiteral("2 triangles")));
  d.key(Qt::Key_Escape);
  CHECK_FALSE(numbers->isVisible());
}

TEST_CASE("a boundary is chosen from one of its edges, and the outline of faces from them") {
  Driver d;
  const PartId part = part_of(d, without_faces(stock("box", {40, 40, 20}), {5}));
  REQUIRE(report(d, part).holes() == 1);
  d.key(Qt::Key_E);
  d.session().chooser().choose({0}, Chooser::Change::replace);
  d.session().chooser().choose_by(first_open_edge);
  d.key(Qt::Key_Y, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 4);
  d.key(Qt::Key_A);
  d.session().chooser().choose({0}, Chooser::Change::replace);
  d.key(Qt::Key_Y, Qt::ShiftModifier);
  CHECK(chosen(d).kind == ElementKind::edges);
  CHECK(chosen(d).size() == 4);
}

TEST_CASE("Delete while elements are chosen never takes the part, and leaving the station ends choosing") {
  Driver d;
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_4, Qt::ControlModifier);
  d.key(Qt::Key_E);
  d.key(Qt::Key_Delete);
  d.settle();
  CHECK(d.job().parts.size() == 1);
  CHECK(d.job().parts[0]->recipe.empty());
  d.key(Qt::Key_1, Qt::ControlModifier);
  CHECK_FALSE(d.session().chooser().on());
  d.key(Qt::Key_Delete);
  d.settle();
  CHECK(d.job().parts.empty());
}

TEST_CASE("a part that is locked or gone takes no edit, and another part chosen lets the elements go") {
  Driver d;
  const PartId part = box_to_edit(d);
  d.key(Qt::Key_A);
  d.click_at({0, 0, 20});
  d.key(Qt::Key_L, Qt::ShiftModifier);
  d.key(Qt::Key_D);
  d.settle();
  CHECK(d.job().at(part).recipe.empty());
  d.key(Qt::Key_L, Qt::ShiftModifier);
  CHECK(chosen(d).size() == 1);
  d.session().commit(QStringLiteral("another"), edit::add_part(d.job(), *d.job().parts[0]));
  d.settle();
  d.session().select({d.job().parts[1]->id});
  CHECK(chosen(d).empty());
  d.session().commit(QStringLiteral("delete"), edit::remove_parts(d.job(), {d.job().parts[1]->id}));
  d.settle();
  CHECK(chosen(d).empty());
  d.click_at({0, 0, 20});
  QTest::qWait(30);
  CHECK(d.job().parts.size() == 1);
}

TEST_CASE("flaws are mended at what is chosen and nowhere else") {
  Driver d;
  const Mesh ball = stock("icosphere", {40, 2});
  const PartId part = part_of(d, without_faces(ball, {0, 150, 300}));
  REQUIRE(report(d, part).holes() == 3);
  d.key(Qt::Key_E);
  d.session().chooser().choose_by(first_open_edge);
  d.key(Qt::Key_M, Qt::ControlModifier | Qt::ShiftModifier);
  d.settle();
  CHECK(last_step(d, part).kind == &steps::mend);
  CHECK(report(d, part).holes() == 2);
  CHECK_FALSE(report(d, part).sound);
}

TEST_CASE("what the rail lists is chosen: notes too, within a distance, only at chosen faces; the verdict stays that of everything") {
  Driver d;
  // Six sides of 20 mm, 60 mm high: the two lids have more than four corners.
  const PartId part = part_of(d, stock("cylinder", {40, 60, 6}));
  const auto listed = [&](const Family& family) { return link(d, QString::fromUtf8(family.label)) != nullptr; };
  const auto found = [&](const Family& family) { return d.session().finding().report(part)->count(family); };
  const auto looked = [&] { REQUIRE(Driver::until([&] { return d.session().finding().is_there(part); })); };
  const QString verdict = d.widget<QLabel>(QStringLiteral("verdict"))->text();
  CHECK(verdict == QStringLiteral("Sound"));
  CHECK_FALSE(listed(families::ngons));
  CHECK(d.widget<QWidget>(QStringLiteral("find")) == nullptr);
  d.key(Qt::Key_R, Qt::ControlModifier | Qt::ShiftModifier);
  d.click(d.widget<QCheckBox>(QStringLiteral("find_ngons")));
  looked();
  CHECK(listed(families::ngons));
  CHECK(found(families::ngons) == 2);
  CHECK(d.widget<QLabel>(QStringLiteral("verdict"))->text() == verdict);
  // Stepping goes to what is listed.
  d.click(link(d, QString::fromUtf8(families::ngons.label)));
  CHECK(link(d, QStringLiteral("Show 1 face of more than four corners")) != nullptr);
  // Only at the lid that is seen.
  d.key(Qt::Key_A);
  d.click_at(d.job().world_of(part) * Vec3(0, 0, 30));
  REQUIRE(chosen(d).size() == 1);
  d.click(d.widget<QCheckBox>(QStringLiteral("find_only")));
  looked();
  CHECK(found(families::ngons) == 1);
  CHECK(d.widget<QLabel>(QStringLiteral("looked_for"))->text().contains(QStringLiteral("only at chosen faces")));
  d.click(d.widget<QCheckBox>(QStringLiteral("find_only")));
  looked();
  CHECK(found(families::ngons) == 2);
  // The sides of both lids are shorter than 30 mm; the part grows, and they are looked for again.
  d.click(d.widget<QCheckBox>(QStringLiteral("find_short_edges")));
  d.type(d.widget<QLineEdit>(QStringLiteral("find_within")), QStringLiteral("30.5"));
  looked();
  CHECK(found(families::short_edges) == 12);
  d.type(d.widget<QLineEdit>(QStringLiteral("find_within")), QStringLiteral("-1"));
  CHECK(d.session().finding().wanted().tolerance == 30.5);
  d.session().commit(QStringLiteral("cut"), edit::add_step(d.job(), part, new_step(steps::plane_cut)));
  d.settle();
  looked();
  CHECK(found(families::short_edges) == 18);
  // A family that counts is put away, and the verdict still knows of it.
  d.session().chooser().clear();
  d.click_at(d.job().world_of(part) * Vec3(0, 0, 0));
  d.key(Qt::Key_Delete);
  d.settle();
  d.click(d.widget<QCheckBox>(QStringLiteral("find_open_edges")));
  looked();
  CHECK_FALSE(listed(families::open_edges));
  CHECK(d.widget<QLabel>(QStringLiteral("verdict"))->text() == QStringLiteral("Not sound"));
  d.click(d.widget<QPushButton>(QStringLiteral("find_everything")));
  CHECK(listed(families::open_edges));
  CHECK_FALSE(listed(families::ngons));
  CHECK_FALSE(d.session().finding().narrowed());
  // Another part is looked at for everything.
  d.click(d.widget<QCheckBox>(QStringLiteral("find_needles")));
  d.session().select({});
  CHECK_FALSE(d.session().finding().narrowed());
}
