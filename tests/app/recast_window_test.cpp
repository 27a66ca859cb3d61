// SPDX-License-Identifier: GPL-3.0-or-later
// Re-skinning by keys and mouse, from an empty job and on the demo's buoy cap.
#include <QLabel>

#include "job/edit.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

std::size_t faces(Driver& d, PartId id) { return d.session().result(id).evaluated->mesh->face_count(); }

}  // namespace

TEST_CASE("a box and a pin that sticks through it are recast as one, coarser and finer; undone, all is as it was") {
  Driver d;
  box_and_cylinder(d);
  d.session().select({1, 2});
  d.key(Qt::Key_5, Qt::ControlModifier);
  d.key(Qt::Key_K);
  d.settle();
  REQUIRE(d.job().at(1).recipe.size() == 1);
  CHECK(last_step(d, 1).kind->key == "recast");
  REQUIRE(last_step(d, 1).tools.size() == 1);
  CHECK(last_step(d, 1).tools[0].tool == 2);
  CHECK(d.session().result(1).report->sound);
  // The box is 20 high, the pin 40: it has as much outside as inside.
  CHECK(d.volume(1) == Approx(box_volume + pin_area * 20).epsilon(1e-4));
  const std::size_t before = faces(d, 1);
  const double detail = number(d, 1, "detail");
  // While another is typed, what it will come to stands below.
  auto* field = d.widget<QLineEdit>(field_name(d, 1, "detail"));
  QLabel* told = nullptr;
  for (QLabel* label : d.window.findChildren<QLabel*>())
    if (label->accessibleName() == QStringLiteral("What it will come to") && label->isVisibleTo(&d.window) == false && field->parentWidget()->isAncestorOf(label)) told = label;
  REQUIRE(told != nullptr);
  d.click(field);
  QTest::keyClick(Driver::window_of(field), Qt::Key_A, Qt::ControlModifier);
  for (const QChar c : QString::number(detail / 4)) QTest::keyClick(Driver::window_of(field), c.toLatin1());
  CHECK(told->isVisible());
  const double foretold = told->text().section(QLatin1Char(' '), 1, 1).toDouble();
  CHECK(foretold == Approx(16 * static_cast<double>(before)).epsilon(0.02));
  QTest::keyClick(Driver::window_of(field), Qt::Key_Escape);
  CHECK_FALSE(told->isVisible());
  CHECK(number(d, 1, "detail") == detail);
  // And by the link to the next one: from 0.5 to 0.4.
  REQUIRE(detail == 0.5);
  const QString next = d.widget<QToolButton>(field_name(d, 1, "detail_finer"))->toolTip();
  INFO(next.toStdString());
  CHECK(next.section(QLatin1String("about "), 1).section(QLatin1Char(' '), 0, 0).toDouble() == Approx(std::pow(0.5 / next_grade(0.5, false), 2) * static_cast<double>(before)).epsilon(0.02));
  type_in(d, 1, "detail", 2 * detail);
  CHECK(number(d, 1, "detail") == Approx(2 * detail));
  CHECK(faces(d, 1) < before / 3);
  CHECK(d.session().result(1).report->sound);
  CHECK(d.volume(1) == Approx(box_volume + pin_area * 20).epsilon(1e-3));
  for (int k = 0; k < 2; ++k) d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.job().at(1).recipe.empty());
  CHECK(d.volume(1) == Approx(box_volume));
}

TEST_CASE("a plate too thin for the grid stays, is told, made as thick as is typed, or left out, by keys from an empty job") {
  Driver d;
  d.key(Qt::Key_B);
  d.type(d.widget(QStringLiteral("dimension_1_z")), QStringLiteral("0.4"));
  d.settle();
  d.key(Qt::Key_B);
  d.type(d.widget(QStringLiteral("dimension_2_x")), QStringLiteral("16"));
  d.type(d.widget(QStringLiteral("dimension_2_y")), QStringLiteral("16"));
  d.settle();
  d.session().select({1, 2});
  d.key(Qt::Key_5, Qt::ControlModifier);
  d.key(Qt::Key_K);
  type_in(d, 1, "detail", 1);
  const auto told = [&](const char* what) {
    const auto& done = d.session().result(1).evaluated->last_report()->done;
    return std::any_of(done.begin(), done.end(), [&](const auto& one) { return one.what() == what; });
  };
  CHECK(told("walls_thinner"));
  const double thin = d.volume(1);
  d.click(d.widget<QWidget>(field_name(d, 1, "more")));
  type_in(d, 1, "least-wall", 1.4);
  CHECK(number(d, 1, "least-wall") == 1.4);
  CHECK(told("walls_thickened"));
  // All but a strip along the rim, which stays.
  CHECK(d.volume(1) - thin > 1.0 * (36 * 36 - 18 * 18));
  choose_line(d, field_name(d, 1, "thin-walls"), 1);
  d.settle();
  CHECK(std::get<std::string>(field(d, 1, "thin-walls")) == "left-out");
  CHECK(told("thin_walls_left_out"));
  CHECK_FALSE(told("walls_thinner"));
  CHECK(d.session().result(1).report->sound);
  CHECK(d.volume(1) == Approx(16 * 16 * 20).epsilon(0.01));
  // Nothing is left: the rail says what to do about it, and it is not to move a tool.
  type_in(d, 1, "least-wall", 60);
  const QString trouble = d.widget<QFrame>(QStringLiteral("trouble"))->findChild<QLabel*>()->text();
  INFO(trouble.toStdString());
  CHECK(trouble.contains(QStringLiteral("thinner than the least wall")));
  CHECK(trouble.contains(QStringLiteral("choose other values")));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(told("walls_thickened"));
}

TEST_CASE("the buoy cap, which nothing mends, is sound as a skin, from coarse to fine") {
  Driver d;
  d.session().bring_in({std::filesystem::path(DEMO_DATA) / "buoy-cap.ply"}, Unit::millimetre);
  d.settle();
  const PartId cap = d.session().chosen();
  d.session().select({cap});
  d.settle();
  CHECK_FALSE(d.session().result(cap).report->sound);
  d.key(Qt::Key_5, Qt::ControlModifier);
  d.key(Qt::Key_K);
  d.settle();
  CHECK(last_step(d, cap).kind->key == "recast");
  CHECK(d.session().result(cap).report->sound);
  const std::size_t coarse = faces(d, cap);
  // Finer and finer by the link beside the number, in round steps.
  const double first = number(d, cap, "detail");
  while (number(d, cap, "detail") > first / 2) {
    const double before = number(d, cap, "detail");
    d.click(d.widget(field_name(d, cap, "detail") + QStringLiteral("_finer")));
    REQUIRE(number(d, cap, "detail") == Approx(next_grade(before, false)));
  }
  d.settle();
  CHECK(faces(d, cap) > 3 * coarse);
  CHECK(d.session().result(cap).report->sound);
  // A much finer one is preceded by a coarser one, which says what it is and goes when the other is there.
  // What is chosen of the part stays chosen meanwhile, as far as it is found again in the end.
  bool stood_in = false;
  d.session().chooser().start(ElementKind::faces);
  d.session().chooser().choose({ElementKind::faces, {0, 1, 2}});
  const auto told = QObject::connect(&d.session(), &Session::result_changed, &d.window, [&] {
    if (!d.session().result(cap).coarser) return;
    stood_in = true;
    CHECK_FALSE(d.session().is_current(cap));
    CHECK(d.widget<QLabel>("verdict")->text() == "Coarser for now");
    CHECK(d.session().chooser().chosen().size() == 3);
  });
  type_in(d, cap, "detail", number(d, cap, "detail") / 2);
  QObject::disconnect(told);
  d.session().chooser().stop();
  CHECK(stood_in);
  CHECK_FALSE(d.session().result(cap).coarser);
  CHECK(d.widget<QLabel>("verdict")->text() == "Sound");
  CHECK(faces(d, cap) > 9 * coarse);
  // Left open where it spans holes, it says that this is wanted, and what left it so.
  d.click(d.widget<QWidget>(field_name(d, cap, "more")));
  d.click(d.widget<QWidget>(field_name(d, cap, "close-holes")));
  d.settle();
  CHECK(d.session().result(cap).evaluated->open_on_purpose);
  bool says_so = false;
  for (const QLabel* label : d.window.rail().findChildren<QLabel*>()) {
    says_so |= label->isVisible() && label->text().startsWith(QStringLiteral("Open on purpose: a step"));
    CHECK_FALSE(label->text().contains(QStringLiteral("trim")));
  }
  CHECK(says_so);
}

TEST_CASE("a ring is reduced to a tenth and smoothed; the card says from how many to how many, and the map how far") {
  Driver d;
  d.key(Qt::Key_1, Qt::ControlModifier);
  d.key(Qt::Key_R);
  d.settle();
  const PartId ring = d.named("Torus");
  const std::size_t triangles = d.session().result(ring).report->triangles;
  const double volume = d.volume(ring);
  d.key(Qt::Key_5, Qt::ControlModifier);
  d.key(Qt::Key_K, Qt::AltModifier | Qt::ShiftModifier);
  d.settle();
  REQUIRE(last_step(d, ring).kind->key == "reduce");
  CHECK(d.session().result(ring).report->triangles == triangles / 2);
  type_in(d, ring, "keep", 0.1);
  const std::size_t left = d.session().result(ring).report->triangles;
  CHECK(left <= triangles / 10 + 1);
  CHECK(d.session().result(ring).report->sound);
  CHECK(d.volume(ring) == Approx(volume).epsilon(0.05));
  const auto* compared = d.widget<QLabel>(QStringLiteral("compared_%1").arg(last_step(d, ring).id));
  REQUIRE(compared != nullptr);
  CHECK(compared->isVisible());
  CHECK(compared->text().contains(QString::number(triangles)));
  CHECK(compared->text().contains(QString::number(left)));
  d.key(Qt::Key_O, Qt::ShiftModifier);
  CHECK(d.view().deviation_map());
  d.key(Qt::Key_O, Qt::ShiftModifier);
  CHECK_FALSE(d.view().deviation_map());
  // Smoothed after it: as many triangles, the same volume.
  const double reduced = d.volume(ring);
  d.key(Qt::Key_K, Qt::AltModifier);
  d.settle();
  REQUIRE(last_step(d, ring).kind->key == "smooth");
  CHECK(d.session().result(ring).report->triangles == left);
  CHECK(d.session().result(ring).report->sound);
  CHECK(d.volume(ring) == Approx(reduced).epsilon(1e-6));
  for (int k = 0; k < 3; ++k) d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.job().at(ring).recipe.empty());
  CHECK(d.session().result(ring).report->triangles == triangles);
}

TEST_CASE("a box and a pin are blended, and a box is hollowed and drained, by keys from an empty job") {
  Driver d;
  box_and_cylinder(d);
  d.session().select({1, 2});
  d.key(Qt::Key_5, Qt::ControlModifier);
  d.key(Qt::Key_K, Qt::ControlModifier | Qt::AltModifier);
  d.settle();
  REQUIRE(last_step(d, 1).kind->key == "voxel-combine");
  REQUIRE(last_step(d, 1).tools.size() == 1);
  type_in(d, 1, "detail", 1);
  type_in(d, 1, "blend", 3);
  CHECK(d.session().result(1).report->sound);
  // As if united, and a round about the pin on the box's top; it may reach out on both sides of it.
  const double united = box_volume + pin_area * 20;
  CHECK(d.volume(1) > united + 20);
  CHECK(d.volume(1) < united + 400);
  for (int k = 0; k < 3; ++k) d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  REQUIRE(d.job().at(1).recipe.empty());
  d.session().select({1});
  d.key(Qt::Key_H, Qt::ControlModifier | Qt::ShiftModifier);
  d.settle();
  REQUIRE(last_step(d, 1).kind->key == "shell");
  type_in(d, 1, "thickness", 2);
  CHECK(d.session().result(1).report->sound);
  CHECK(d.session().result(1).report->shells == 2);
  const Vec3 size = bounds(*d.session().result(1).evaluated->mesh).size();
  CHECK(d.volume(1) == Approx(box_volume - (size.x() - 4) * (size.y() - 4) * (size.z() - 4)).epsilon(1e-6));
}

TEST_CASE("the fender scan, points alone, becomes a solid on a flat base with a wall of 2 mm; points say what they are") {
  Driver d;
  d.session().bring_in({std::filesystem::path(DEMO_DATA) / "fender-scan.ply"}, Unit::millimetre);
  d.settle();
  const PartId scan = d.session().chosen();
  d.settle();
  const PartResult points = d.session().result(scan);
  REQUIRE(points.evaluated);
  CHECK(points.evaluated->mesh->cloud);
  CHECK(points.evaluated->drawable->point_count() == 12378);
  CHECK(points.report->points == 12378);
  CHECK(d.widget<QLabel>("verdict")->text() == "Points only");
  // What makes a surface of them is offered in any station, and not where there is one.
  REQUIRE(d.widget<QPushButton>("for_points") != nullptr);
  CHECK(d.widget<QPushButton>("for_points")->text() == "Recast the points");
  d.click(d.widget<QPushButton>("for_points"));
  d.settle();
  REQUIRE(last_step(d, scan).kind->key == "recast");
  CHECK(d.widget<QPushButton>("for_points") == nullptr);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  // Seen and taken hold of where they are, and not in the empty corner.
  d.view().fit_selection();
  QTest::qWait(600);
  const QImage picture = d.view().grab().toImage();
  const QPoint middle = picture.rect().center();
  CHECK(picture.pixelColor(middle) != picture.pixelColor(picture.width() - 40, picture.height() / 2));
  d.session().select({});
  d.click(&d.view(), QPointF(40, d.view().height() / 2.0));
  CHECK(d.session().selection().empty());
  d.click(&d.view(), QRectF(d.view().rect()).center());
  CHECK(d.session().selection() == std::vector<PartId>{scan});
  // What works on faces says so.
  d.key(Qt::Key_3, Qt::ControlModifier);
  d.key(Qt::Key_M, Qt::ShiftModifier);
  d.settle();
  REQUIRE(d.session().result(scan).trouble() != nullptr);
  CHECK(d.session().result(scan).trouble()->remedy.find("recast") != std::string::npos);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  // Points to a skin: its numbers suit the points.
  d.key(Qt::Key_5, Qt::ControlModifier);
  d.key(Qt::Key_K);
  d.settle();
  REQUIRE(last_step(d, scan).kind->key == "recast");
  REQUIRE(d.session().result(scan).trouble() == nullptr);
  CHECK(d.session().result(scan).report->sound);
  const auto inner = d.widget<QAbstractButton>(field_name(d, scan, "inner"));
  REQUIRE(inner != nullptr);
  d.click(inner);
  d.settle();
  CHECK(d.session().result(scan).report->shells == 1);
  // The scan has a gap of 3.5 mm along its rims, which is told; larger balls close it.
  const auto told = [&] {
    const auto& done = d.session().result(scan).evaluated->last_report()->done;
    return std::any_of(done.begin(), done.end(), [](const auto& one) { return one.what() == "points_leave_gaps"; });
  };
  CHECK(told());
  d.click(d.widget<QWidget>(field_name(d, scan, "more")));
  type_in(d, scan, "point-radius", 2.4);
  CHECK_FALSE(told());
  const double solid = d.volume(scan);
  // A cylinder of 24 by 110 that lost a flat and a dent, grown by a ball's radius.
  CHECK(solid > 0.9 * 3.14159 * 24 * 24 * 110);
  CHECK(solid < 3.14159 * 27 * 27 * 115);
  // A flat base, by keys, then hollow.
  d.session().select({scan});
  d.key(Qt::Key_F, Qt::ControlModifier | Qt::ShiftModifier);
  d.settle();
  REQUIRE(last_step(d, scan).kind->key == "flat-base");
  CHECK(d.session().result(scan).report->sound);
  const Mesh& standing = *d.session().result(scan).evaluated->mesh;
  const double floor = bounds(standing).lo.z();
  CHECK(floor == Approx(std::get<Vec3>(last_step(d, scan).fields[0]).z()));
  std::size_t on_floor = 0;
  for (const Vec3& p : standing.positions) on_floor += p.z() < floor + 1e-6;
  CHECK(on_floor > 50);
  CHECK(d.volume(scan) < solid);
  const double based = d.volume(scan);
  d.session().select({scan});
  d.key(Qt::Key_H, Qt::ControlModifier | Qt::ShiftModifier);
  d.settle();
  type_in(d, scan, "thickness", 2);
  CHECK(d.session().result(scan).report->sound);
  CHECK(d.session().result(scan).report->shells == 2);
  CHECK(d.volume(scan) < 0.4 * based);
  // Undone to the beginning, the points are as they were.
  for (int k = 0; k < 6 && !d.job().at(scan).recipe.empty(); ++k) d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  CHECK(d.job().at(scan).recipe.empty());
  CHECK(d.session().result(scan).evaluated->mesh->positions.size() == 12378);
}

TEST_CASE("a job with points is saved and opened with them and their normals, and points are exported as points alone") {
  Driver d;
  const TemporaryFolder folder;
  write_text(folder / "three.xyz", "0 0 0 0 0 1\n10 0 0 0 0 1\n0 10 0 1 0 0\n");
  d.session().bring_in({folder / "three.xyz"}, Unit::millimetre);
  d.settle();
  bool saved = false;
  d.session().save_job(folder / "points.anvil", [&](bool good) { saved = good; });
  REQUIRE(Driver::until([&] { return saved; }));
  d.session().new_job();
  bool opened = false;
  d.session().open_job(folder / "points.anvil", [&](bool good) { opened = good; });
  REQUIRE(Driver::until([&] { return opened; }));
  d.settle();
  const PartId id = d.job().parts.at(0)->id;
  const Mesh& mesh = *d.session().result(id).evaluated->mesh;
  CHECK(mesh.cloud);
  REQUIRE(mesh.normals.size() == 3);
  CHECK(mesh.normals[2] == Vec3::UnitX());
  d.session().send_out({{id, d.session().result(id), Affine::Identity()}}, folder / "again.xyz");
  d.settle();
  const auto back = read_mesh(folder / "again.xyz", true);
  REQUIRE(back);
  CHECK(back->mesh.normals == mesh.normals);
  CHECK(back->mesh.positions == mesh.positions);
}

TEST_CASE("a rounded voxel part is sharpened, its regions numbered, seen in colours and chosen by, and their borders held while it is reduced") {
  Driver d;
  d.key(Qt::Key_1, Qt::ControlModifier);
  d.key(Qt::Key_B);
  d.settle();
  const PartId box = d.session().chosen();
  d.key(Qt::Key_5, Qt::ControlModifier);
  d.key(Qt::Key_K);
  d.settle();
  // What rounding alone moves is no distance.
  CHECK(d.widget<QLabel>(QStringLiteral("compared_%1").arg(last_step(d, box).id))->text().contains(QStringLiteral("at most 0 mm, 0 mm on average")));
  d.click(d.widget<QWidget>(field_name(d, box, "sharp")));  // as a grid without sharp edges leaves it
  d.settle();
  const double rounded = d.volume(box);
  const Box3 size = bounds(*d.session().result(box).evaluated->mesh);
  const double whole = size.size().prod();
  CHECK(rounded < whole);
  d.session().select({box});
  d.key(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
  d.settle();
  REQUIRE(last_step(d, box).kind->key == "sharpen");
  CHECK(d.session().result(box).report->sound);
  CHECK(whole - d.volume(box) < 0.3 * (whole - rounded));
  CHECK(d.session().result(box).evaluated->fresh_edges.size() > 50);
  d.session().select({box});
  d.key(Qt::Key_J, Qt::ControlModifier | Qt::ShiftModifier);
  d.settle();
  REQUIRE(last_step(d, box).kind->key == "regions");
  type_in(d, box, "least", 20);  // a few faces at the corners lie between two sides
  const std::vector<Index> numbers = d.session().result(box).evaluated->mesh->regions;
  REQUIRE_FALSE(numbers.empty());
  CHECK(*std::max_element(numbers.begin(), numbers.end()) == 6);
  // In colours.
  d.view().fit_selection();
  QTest::qWait(600);
  const QImage before = d.view().grab().toImage();
  d.session().set_active_step(0);
  d.key(Qt::Key_O, Qt::AltModifier);
  REQUIRE(Driver::until([&] { return d.session().region_look().drawable(box) != nullptr; }));
  CHECK(d.session().region_look().regions(box).size() == 6);
  QTest::qWait(300);
  CHECK(d.view().grab().toImage() != before);
  // A click on its number chooses a region; with Shift another comes to it.
  const std::vector<Region> regions = d.session().region_look().regions(box);
  const auto looking = [&](const Vec3& way) { return *std::max_element(regions.begin(), regions.end(), [&](const Region& a, const Region& b) { return a.normal.dot(way) < b.normal.dot(way); }); };
  const Region top = looking(Vec3::UnitZ()), front = looking(-Vec3::UnitY());
  d.click_at(d.job().world_of(box) * top.place);
  CHECK(d.session().chooser().chosen().kind == ElementKind::faces);
  CHECK(d.session().chooser().chosen().size() == top.faces);
  d.click_at(d.job().world_of(box) * front.place, Qt::ShiftModifier);
  CHECK(d.session().chooser().chosen().size() == top.faces + front.faces);
  d.session().chooser().stop();
  d.key(Qt::Key_O, Qt::AltModifier);
  CHECK(d.session().region_look().drawable(box) == nullptr);
  // Reduced to a hundredth, the box has its six sides still.
  d.session().select({box});
  d.key(Qt::Key_K, Qt::AltModifier | Qt::ShiftModifier);
  d.settle();
  type_in(d, box, "keep", 0.02);
  CHECK(d.session().result(box).report->sound);
  CHECK(d.volume(box) == Approx(whole).epsilon(0.02));
  const Mesh& reduced = *d.session().result(box).evaluated->mesh;
  CHECK(*std::max_element(reduced.regions.begin(), reduced.regions.end()) == 6);
  CHECK(reduced.face_count() < numbers.size() / 20);
  // One face chosen stands for its side.
  d.session().select({box});
  d.key(Qt::Key_4, Qt::ControlModifier);
  d.session().chooser().start(ElementKind::faces);
  d.session().chooser().choose({ElementKind::faces, {0}});
  d.key(Qt::Key_R, Qt::AltModifier);
  const Elements chosen = d.session().chooser().chosen();
  CHECK(chosen.size() == static_cast<std::size_t>(std::count(reduced.regions.begin(), reduced.regions.end(), reduced.regions[0])));
}
