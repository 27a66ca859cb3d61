// SPDX-License-Identifier: GPL-3.0-or-later
// Sharp edges mended by hand: chosen with the mouse, led on, evened out, brought together and rebuilt by keys.
#include "core/modify/elements.h"
#include "core/soundness/check.h"
#include "tests/app/driver.h"

using namespace anvil;
using namespace anvil::test;

namespace {

const Mesh& shown(Driver& d, PartId part) { return *d.session().result(part).evaluated->mesh; }

/// A box re-skinned, with its edges sharp or rounded by the grid, seen from the corner in the Mend station.
PartId recast_box(Driver& d, bool sharp) {
  d.key(Qt::Key_B);
  d.settle();
  const PartId box = d.session().chosen();
  d.key(Qt::Key_5, Qt::ControlModifier);
  d.key(Qt::Key_K);
  d.settle();
  if (!sharp) d.click(d.widget<QWidget>(QStringLiteral("field_%1_sharp").arg(last_step(d, box).id)));
  d.settle();
  d.session().select({box});
  d.key(Qt::Key_4, Qt::ControlModifier);
  d.view().fit_selection();
  QTest::qWait(600);
  return box;
}
Vec3 vertex_near(const Mesh& mesh, const Vec3& place) {
  return *std::min_element(mesh.positions.begin(), mesh.positions.end(), [&](const Vec3& a, const Vec3& b) { return (a - place).norm() < (b - place).norm(); });
}
/// Clicks a place of the part's own frame.
void click_on(Driver& d, PartId part, const Vec3& place, Qt::KeyboardModifiers m = {}) { d.click_at(d.job().world_of(part) * place, m); }
/// How much of a straight line from a to b has an edge of the mesh on it at which the surface turns by more than 80 degrees.
double sharp_share(const Mesh& mesh, const Vec3& a, const Vec3& b, double within) {
  const Topology t(mesh);
  double length = 0;
  const Vec3 way = (b - a).normalized();
  for (Index e = 0; e < t.edges.size(); ++e) {
    const std::vector<Index> faces = t.faces_on(e);
    if (faces.size() != 2) continue;
    const Vec3 m = newell_normal(mesh.positions, mesh.face(faces[0])).normalized(), n = newell_normal(mesh.positions, mesh.face(faces[1])).normalized();
    if (m.dot(n) > 0.17) continue;
    const Vec3 &p = mesh.positions[t.edges.vertices[e][0]], &q = mesh.positions[t.edges.vertices[e][1]];
    const auto off = [&](const Vec3& v) { return (v - a - (v - a).dot(way) * way).norm(); };
    if (off(p) < within && off(q) < within) length += std::abs((q - p).dot(way));
  }
  return length / (b - a).norm();
}

}  // namespace

TEST_CASE("a rounded edge is led on by hand from vertex to vertex until it is sharp, then the part is reduced") {
  Driver d;
  const PartId box = recast_box(d, false);
  const Box3 size = bounds(shown(d, box));
  const Vec3 from(size.lo.x() + 6, size.lo.y(), size.hi.z()), to(size.hi.x() - 6, size.lo.y(), size.hi.z());
  const double before = d.volume(box);
  CHECK(sharp_share(shown(d, box), from, to, 0.05) < 0.1);
  // By the mouse: where it begins, and with Shift what it passes and where it goes to.
  d.key(Qt::Key_C);
  click_on(d, box, vertex_near(shown(d, box), from));
  REQUIRE(d.session().chooser().chosen().size() == 1);
  click_on(d, box, vertex_near(shown(d, box), (from + to) / 2), Qt::ShiftModifier);
  click_on(d, box, vertex_near(shown(d, box), to), Qt::ShiftModifier);
  REQUIRE(d.session().chooser().chosen().size() == 3);
  d.key(Qt::Key_L, Qt::AltModifier);
  d.settle();
  REQUIRE(last_step(d, box).kind->key == "lead-edge");
  REQUIRE(d.session().result(box).trouble() == nullptr);
  CHECK(d.session().result(box).report->sound);
  CHECK(d.volume(box) > before);
  CHECK(sharp_share(shown(d, box), from, to, 0.05) > 0.9);
  // Without its sides it only lies on the surface as that is.
  d.open_card(QStringLiteral("Lead on"));
  d.click(d.widget<QWidget>(QStringLiteral("field_%1_to-sides").arg(last_step(d, box).id)));
  d.settle();
  CHECK(d.session().result(box).report->sound);
  CHECK(sharp_share(shown(d, box), from, to, 0.05) < 0.5);
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  d.session().select({box});
  d.key(Qt::Key_K, Qt::AltModifier | Qt::ShiftModifier);
  d.settle();
  CHECK(d.session().result(box).report->sound);
  CHECK(sharp_share(shown(d, box), from, to, 0.05) > 0.9);
}

TEST_CASE("a spoiled patch on an edge is rebuilt, strays are brought together, and a run that is even already stays when evened out, by mouse and keys") {
  Driver d;
  const PartId box = recast_box(d, true);
  const Box3 size = bounds(shown(d, box));
  const double whole = d.volume(box);
  const Vec3 from(size.lo.x(), size.lo.y(), size.hi.z()), to(size.hi.x(), size.lo.y(), size.hi.z()), middle = (from + to) / 2;
  // A vertex of the edge is pulled aside.
  d.key(Qt::Key_C);
  const Vec3 on_edge = vertex_near(shown(d, box), middle);
  click_on(d, box, on_edge);
  click_on(d, box, vertex_near(shown(d, box), middle + Vec3(0, 3, 0)), Qt::ShiftModifier);
  REQUIRE(d.session().chooser().chosen().size() == 2);
  d.key(Qt::Key_W);  // welded in the middle: the edge has a notch
  d.settle();
  REQUIRE(last_step(d, box).kind->key == "weld");
  const double spoiled = d.volume(box);
  CHECK(spoiled < whole - 0.1);
  // The faces around it, chosen by a brush, anew.
  d.key(Qt::Key_A);
  click_on(d, box, vertex_near(shown(d, box), middle + Vec3(0, 1.5, 0)) + Vec3(0, 0.1, 0));
  for (int k = 0; k < 3; ++k) d.key(Qt::Key_G, Qt::ShiftModifier);
  REQUIRE(d.session().chooser().chosen().size() > 8);
  d.key(Qt::Key_P, Qt::AltModifier);
  d.settle();
  REQUIRE(last_step(d, box).kind->key == "rebuild-patch");
  REQUIRE(d.session().result(box).trouble() == nullptr);
  CHECK(d.session().result(box).report->sound);
  CHECK(d.volume(box) == Approx(whole).epsilon(1e-4));
  CHECK(sharp_share(shown(d, box), from, to, 0.05) > 0.95);
  for (int k = 0; k < 2; ++k) d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  REQUIRE(d.volume(box) == Approx(whole));
  // Strays: two vertices that an edge joins become one.
  d.key(Qt::Key_C);
  const Vec3 one = vertex_near(shown(d, box), Vec3(0, 0, size.hi.z())), other = vertex_near(shown(d, box), one + Vec3(0.6, 0, 0));
  const std::size_t vertices = shown(d, box).positions.size();
  click_on(d, box, one);
  click_on(d, box, other, Qt::ShiftModifier);
  REQUIRE(d.session().chooser().chosen().size() == 2);
  d.key(Qt::Key_B, Qt::AltModifier);
  d.settle();
  REQUIRE(last_step(d, box).kind->key == "bring-together");
  REQUIRE(d.session().result(box).trouble() == nullptr);
  CHECK(shown(d, box).positions.size() == vertices - 1);
  CHECK(d.session().result(box).report->sound);
  CHECK(d.volume(box) == Approx(whole).epsilon(1e-9));
  d.key(Qt::Key_Z, Qt::ControlModifier);
  d.settle();
  // An edge's run, all around the top, evened out where it is even already, stays, corners and all.
  d.key(Qt::Key_E);
  const Vec3 end = vertex_near(shown(d, box), middle), next = vertex_near(shown(d, box), end + Vec3(0.6, 0, 0));
  click_on(d, box, (end + next) / 2);
  REQUIRE(d.session().chooser().chosen().size() == 1);
  d.key(Qt::Key_R);
  REQUIRE(d.session().chooser().chosen().size() > 10);
  d.key(Qt::Key_V, Qt::AltModifier);
  d.settle();
  REQUIRE(last_step(d, box).kind->key == "even-out");
  CHECK(d.session().result(box).report->sound);
  CHECK(d.volume(box) == Approx(whole).epsilon(1e-9));
}
