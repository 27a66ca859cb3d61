// SPDX-License-Identifier: GPL-3.0-or-later
// Cameras, picking and dragging as plain geometry, without events; the window tests do the same by hand.
#include <QScrollBar>

#include "app/cards/recipe_card.h"
#include "app/view/camera_rig.h"
#include "app/view/drag.h"
#include "app/view/pick.h"
#include "app/view/plane_drag.h"
#include "app/view/work_plane.h"
#include "job/edit.h"
#include "job/step.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

const QSizeF size(800, 600);

/// Where the camera shows a point.
QPointF pixel(const Camera& camera, const Vec3& point) {
  QPointF at;
  REQUIRE(camera.project(point, size, at));
  return at;
}

/// A box of 40 × 40 × 20 on the ground, looked at from the front.
PartId box_from_the_front(Driver& d) {
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_1);
  QTest::qWait(600);  // the flight
  return d.job().parts[0]->id;
}

/// That box with a plane cut across x through its middle.
StepId cut_across_x(Driver& d, PartId box) {
  StepId id = 0;
  const Result<Job> job = edit::add_step(d.job(), box, new_step(steps::plane_cut), &id);
  REQUIRE(job);
  const Result<Job> turned = edit::change_step(*job, id, [](Step& s) {
    s.fields[*field_place(s.kind->fields, "normal")] = Vec3(1, 0, 0);
    s.fields[*field_place(s.kind->fields, "point")] = Vec3(0, 0, 0);
  });
  REQUIRE(turned);
  d.session().commit(QStringLiteral("cut"), *turned);
  d.session().set_active_step(id);
  d.settle();
  return id;
}

}  // namespace

TEST_CASE("a camera shows a point where the ray through that pixel runs, parallel or not, from everywhere") {
  for (const bool parallel : {false, true})
    for (const Direction from : {Direction::front, Direction::back, Direction::left, Direction::right, Direction::top, Direction::bottom, Direction::corner}) {
      Camera camera;
      camera.parallel = parallel;
      camera.look(from);
      for (const Vec3& point : {Vec3(0, 0, 0), Vec3(30, -20, 10), Vec3(-40, 5, 25)}) {
        const Ray ray = camera.ray(pixel(camera, point), size);
        const double beside = (point - ray.origin).cross(ray.direction).norm();
        CHECK(beside < 1e-6);
        CHECK(ray.direction.norm() == Approx(1));
      }
      CHECK(camera.forward().dot(camera.right()) == Approx(0).margin(1e-12));
      CHECK(camera.right().cross(camera.forward()).dot(camera.up()) == Approx(1));
    }
}

TEST_CASE("orbit and zoom and pan leave the point they are about under the pointer") {
  const Vec3 about(17, -9, 12);
  for (const bool parallel : {false, true}) {
    Camera camera;
    camera.parallel = parallel;
    QPointF before = pixel(camera, about);
    camera.orbit(about, 33, -14);
    CHECK(QLineF(before, pixel(camera, about)).length() < 1e-6);
    camera.zoom(about, 0.37);
    CHECK(QLineF(before, pixel(camera, about)).length() < 1e-6);
    camera.pan(about, {25, -40}, size);
    CHECK(QLineF(before + QPointF(25, -40), pixel(camera, about)).length() < 1e-6);
    // Lengths in pixels are those of the picture.
    const double mm = camera.pixel_length(about, size);
    before = pixel(camera, about);
    CHECK(QLineF(before, pixel(camera, about + 10 * mm * camera.right())).length() == Approx(10).epsilon(0.01));
  }
}

TEST_CASE("fit shows all corners of a box and wastes little of the picture") {
  Box3 box;
  box.add({-10, -5, 0});
  box.add({50, 25, 8});
  for (const Direction from : {Direction::front, Direction::top, Direction::corner}) {
    Camera camera;
    camera.look(from);
    camera.fit(box, size);
    QRectF shown(pixel(camera, box.centre()), QSizeF(0, 0));
    for (int k = 0; k < 8; ++k) {
      const QPointF at = pixel(camera, {k & 1 ? box.hi.x() : box.lo.x(), k & 2 ? box.hi.y() : box.lo.y(), k & 4 ? box.hi.z() : box.lo.z()});
      CHECK(QRectF(QPointF(0, 0), size).contains(at));
      shown = QRectF(QPointF(std::min(shown.left(), at.x()), std::min(shown.top(), at.y())),
                     QPointF(std::max(shown.right(), at.x()), std::max(shown.bottom(), at.y())));
    }
    CHECK(std::max(shown.width() / size.width(), shown.height() / size.height()) > 0.4);
  }
}

TEST_CASE("four pictures share the widget without gap or overlap, and each pixel belongs to the one it lies in") {
  CameraRig rig(nullptr);
  rig.set_size(size);
  CHECK(rig.count() == 1);
  CHECK(rig.area(0) == QRectF(QPointF(0, 0), size));
  Box3 scene;
  scene.add({0, 0, 0});
  scene.add({10, 10, 10});
  rig.set_four(true, scene);
  REQUIRE(rig.count() == 4);
  double covered = 0;
  for (std::size_t k = 0; k < 4; ++k) {
    covered += rig.area(k).width() * rig.area(k).height();
    CHECK(rig.at(rig.area(k).center()) == k);
    for (std::size_t other = 0; other < k; ++other) CHECK_FALSE(rig.area(k).adjusted(1, 1, -1, -1).intersects(rig.area(other)));
    QPointF at;
    CHECK(rig.picture(k).at(scene.centre(), at));
    CHECK(rig.area(k).contains(at));
  }
  CHECK(covered == Approx(size.width() * size.height()));
}

TEST_CASE("a ray meets lines and planes where geometry says, or not at all") {
  const Ray down{{3, 4, 10}, {0, 0, -1}};
  CHECK(*along_axis(down, {0, 4, 0}, {1, 0, 0}) == Approx(3));
  CHECK(*along_axis(down, {0, 0, 0}, {1, 0, 0}) == Approx(3));   // passes 4 beside it
  CHECK_FALSE(along_axis(down, {0, 0, 0}, {0, 0, 1}));           // seen end-on
  CHECK((*on_plane(down, {0, 0, 2}, {0, 0, 1}) - Vec3(3, 4, 2)).norm() < 1e-12);
  CHECK((*on_plane(down, {0, 0, 0}, Vec3(1, 0, 1).normalized()) - Vec3(3, 4, -3)).norm() < 1e-12);
  CHECK_FALSE(on_plane(down, {0, 0, 0}, {1, 0, 0}));             // seen edge-on
}

TEST_CASE("the nearest face is picked, with its polygon and normal, and catching takes vertex, middle or face") {
  Driver d;
  const PartId box = box_from_the_front(d);
  const auto among = targets(d.session(), {box});
  REQUIRE(among.size() == 1);
  const Camera& camera = d.view().camera(0);
  const auto hit = pick(among, camera.ray(pixel(camera, {5, -20, 8}), size));
  REQUIRE(hit);
  CHECK(hit->target.part == box);
  CHECK((hit->point - Vec3(5, -20, 8)).norm() < 1e-6);
  CHECK((hit->normal() - Vec3(0, -1, 0)).norm() < 1e-12);
  CHECK(hit->polygon().size() == 4);
  CHECK_FALSE(pick(among, camera.ray(pixel(camera, {60, -20, 8}), size)));

  auto caught = [&](const Vec3& aim, bool vertices, bool middles, bool faces) {
    SnapSettings snap;
    snap.on = true;
    snap.vertices = vertices;
    snap.edge_middles = middles;
    snap.faces = faces;
    const QPointF at = pixel(camera, aim);
    return catch_on(*pick(among, camera.ray(at, size)), snap, camera, at, size);
  };
  CHECK((*caught({19.7, -20, 19.7}, true, true, true) - Vec3(20, -20, 20)).norm() < 1e-9);
  CHECK((*caught({0.3, -20, 19.7}, true, true, true) - Vec3(0, -20, 20)).norm() < 1e-9);
  CHECK((*caught({7, -20, 9}, true, true, true) - Vec3(7, -20, 9)).norm() < 1e-6);
  CHECK_FALSE(caught({7, -20, 9}, true, true, false));
  CHECK_FALSE(caught({19.7, -20, 19.7}, false, false, false));
}

TEST_CASE("exact amounts move, turn and scale parts about their pivot") {
  Driver d;
  const PartId box = box_from_the_front(d);
  auto after = [&](HandleMode mode, int axis, double amount) {
    PartDrag drag(d.session(), {box}, mode, axis, Vec3(0, 0, 10), Vec3(0, 0, 10));
    CHECK_FALSE(drag.idle());
    const Result<Job> job = drag.exact(amount);
    REQUIRE(job);
    Box3 out;
    const Mesh mesh = *d.session().result(box).evaluated->mesh;
    for (const Vec3& p : mesh.positions) out.add(job->world_of(box) * p);
    return out;
  };
  const Box3 moved = after(HandleMode::move, 0, 12.5), turned = after(HandleMode::turn, 0, 90), scaled = after(HandleMode::scale, 2, 3);
  CHECK((moved.lo - Vec3(-7.5, -20, 0)).norm() < 1e-9);
  CHECK((moved.hi - Vec3(32.5, 20, 20)).norm() < 1e-9);
  CHECK((turned.lo - Vec3(-20, -10, -10)).norm() < 1e-9);
  CHECK((turned.hi - Vec3(20, 10, 30)).norm() < 1e-9);
  CHECK((scaled.hi - scaled.lo - Vec3(40, 40, 60)).norm() < 1e-9);
  CHECK(scaled.centre().z() == Approx(10));
  // What cannot be had says why, and the job stays.
  PartDrag flat(d.session(), {box}, HandleMode::scale, 0, Vec3(0, 0, 10), Vec3(0, 0, 10));
  const Result<Job> refused = flat.exact(0);
  CHECK_FALSE(refused);
  CHECK_FALSE(refused.issue().message().empty());
}

TEST_CASE("the plane of a step lies where its numbers say, wherever its part stands, and drags to exact ones") {
  Driver d;
  const PartId box = box_from_the_front(d);
  const StepId step = cut_across_x(d, box);
  const Result<Job> turned = edit::change_unlocked(d.job(), box, [](Part& p) {
    p.placement.position += Vec3(100, 0, 0);
    p.placement.angles = Vec3(0, 0, 90);
  });
  REQUIRE(turned);
  d.session().commit(QStringLiteral("turn"), *turned);
  d.settle();
  const auto plane = work_plane(d.session());
  REQUIRE(plane);
  CHECK(plane->part == box);
  CHECK(plane->step == step);
  CHECK((plane->normal - Vec3(0, 1, 0)).norm() < 1e-9);  // x of the part, which has been turned
  CHECK(std::abs((plane->middle - plane->point).dot(plane->normal)) < 1e-9);
  CHECK(plane->u.cross(plane->v).norm() == Approx(1));
  CHECK(plane->half_u > 0);

  auto value = [&](const Job& job, const char* field) {
    const Step& s = job.at(box).recipe.back();
    return std::get<Vec3>(s.fields[*field_place(s.kind->fields, field)]);
  };
  PlaneDrag along(d.session(), *plane, PlaneDrag::shift);
  const Result<Job> moved = along.exact(7.5);
  REQUIRE(moved);
  CHECK(value(*moved, "point").x() == Approx(7.5));
  CHECK((value(*moved, "normal") - Vec3(1, 0, 0)).norm() < 1e-9);
  PlaneDrag tilt(d.session(), *plane, PlaneDrag::turn_u);
  const Result<Job> tilted = tilt.exact(30);
  REQUIRE(tilted);
  CHECK(value(*tilted, "normal").normalized().dot(Vec3(1, 0, 0)) == Approx(std::cos(std::numbers::pi / 6)));
  const Result<Job> elsewhere = with_plane(d.job(), *plane, Vec3(100, 5, 3), Vec3(0, 0, 2));
  REQUIRE(elsewhere);
  CHECK((value(*elsewhere, "normal").normalized() - Vec3(0, 0, 1)).norm() < 1e-9);
  CHECK(value(*elsewhere, "point").z() + d.job().at(box).placement.position.z() == Approx(3));
}

TEST_CASE("the card of a step is in sight when it is added below many others, until the user scrolls away") {
  Driver d;
  const PartId box = box_from_the_front(d);
  for (int k = 0; k < 6; ++k) {
    d.key(Qt::Key_A);
    d.settle();
  }
  REQUIRE(d.job().at(box).recipe.size() == 6);
  const StepId last = d.job().at(box).recipe.back().id;
  REQUIRE(d.session().active_step() == last);
  auto card = [&]() -> RecipeCard* {
    for (RecipeCard* one : d.window.findChildren<RecipeCard*>())
      if (one->isVisible() && one->id().step == last) return one;
    return nullptr;
  };
  auto in_sight = [&] { return card() != nullptr && !card()->visibleRegion().isEmpty() && card()->visibleRegion().boundingRect().bottom() >= card()->height() - 2; };
  CHECK(Driver::until(in_sight));
  QScrollArea* area = nullptr;
  for (QWidget* up = card()->parentWidget(); area == nullptr; up = up->parentWidget()) area = qobject_cast<QScrollArea*>(up);
  area->verticalScrollBar()->triggerAction(QAbstractSlider::SliderToMinimum);
  d.settle();
  CHECK(area->verticalScrollBar()->value() == 0);
  CHECK_FALSE(in_sight());
}
