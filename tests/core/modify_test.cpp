// SPDX-License-Identifier: GPL-3.0-or-later
// Choosing elements, editing them, and finding them again. CGAL and counts of vertices, edges and faces judge.
#include <catch2/catch.hpp>
#include <set>

#include "core/mesh/sub_mesh.h"
#include "core/modify/choose.h"
#include "core/modify/edits.h"
#include "core/modify/find_again.h"
#include "core/modify/measure.h"
#include "core/modify/subdivide.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Elements faces(std::vector<Index> list) { return {ElementKind::faces, std::move(list)}; }
Elements edges(std::vector<Index> list) { return {ElementKind::edges, std::move(list)}; }
Elements vertices(std::vector<Index> list) { return {ElementKind::vertices, std::move(list)}; }

/// An n × n grid of unit squares in z = 0, n + 1 vertices a row.
Mesh grid(Index n) {
  Mesh mesh;
  for (Index y = 0; y <= n; ++y)
    for (Index x = 0; x <= n; ++x) mesh.add_vertex({double(x), double(y), 0});
  for (Index y = 0; y < n; ++y)
    for (Index x = 0; x < n; ++x) {
      const Index v = y * (n + 1) + x;
      mesh.add_face({v, v + 1, v + n + 2, v + n + 1});
    }
  return mesh;
}

Index vertex_at(const Mesh& mesh, const Vec3& p) {
  for (Index v = 0; v < mesh.positions.size(); ++v)
    if ((mesh.positions[v] - p).norm() < 1e-9) return v;
  FAIL("no vertex at " << p.transpose());
  return 0;
}
Index edge_at(const Mesh& mesh, const Topology& t, const Vec3& a, const Vec3& b) {
  const Index e = t.edge_between(vertex_at(mesh, a), vertex_at(mesh, b));
  REQUIRE(e != no_index);
  return e;
}
Index face_towards(const Mesh& mesh, const Vec3& way) {
  for (Index f = 0; f < mesh.face_count(); ++f)
    if (newell_normal(mesh.positions, mesh.face(f)).normalized().dot(way) > 0.999) return f;
  FAIL("no face looks that way");
  return 0;
}
std::set<std::set<Index>> rings(const Mesh& mesh) {
  std::set<std::set<Index>> all;
  for (Index f = 0; f < mesh.face_count(); ++f) all.insert({mesh.face(f).begin(), mesh.face(f).end()});
  return all;
}
/// V − E + F.
long euler(const Mesh& mesh) {
  return static_cast<long>(mesh.positions.size()) - static_cast<long>(build_edges(mesh).size()) + static_cast<long>(mesh.face_count());
}
/// Faces that were there before are there with the same corners at the same places.
void check_untouched(const Mesh& before, const EditedMesh& after, const std::set<Index>& but) {
  std::size_t seen = 0;
  for (Index f = 0; f < after.mesh.face_count(); ++f) {
    const Index old = after.source[f];
    if (old == no_index || but.count(old) > 0) continue;
    ++seen;
    REQUIRE(after.mesh.face(f).size() == before.face(old).size());
    for (std::size_t k = 0; k < before.face(old).size(); ++k) REQUIRE(after.mesh.positions[after.mesh.face(f)[k]] == before.positions[before.face(old)[k]]);
  }
  CHECK(seen == before.face_count() - but.size());
}

}  // namespace

TEST_CASE("a choice grows, shrinks, turns round and fills its shell") {
  const Mesh mesh = grid(5);
  const Topology t(mesh);
  const Index middle = 12;  // of 25 squares
  CHECK(grown(mesh, t, faces({middle})).size() == 9);
  CHECK(grown(mesh, t, grown(mesh, t, faces({middle}))).size() == 25);
  CHECK(shrunk(mesh, t, grown(mesh, t, faces({middle}))).list == std::vector<Index>{middle});
  CHECK(grown(mesh, t, vertices({14})).size() == 5);
  CHECK(grown(mesh, t, edges({edge_at(mesh, t, {2, 2, 0}, {3, 2, 0})})).size() == 7);
  const Elements other = inverted(mesh, t, faces({middle}));
  CHECK(other.size() == 24);
  CHECK(inverted(mesh, t, other).list == std::vector<Index>{middle});
  Mesh two = grid(2);
  append(two, placed(grid(3), {10, 0, 0}));
  const Topology tt(two);
  CHECK(connected(two, tt, faces({0})).size() == 4);
  CHECK(connected(two, tt, faces({5})).size() == 9);
  CHECK(connected(two, tt, vertices({0})).size() == 9);
}

TEST_CASE("loops go around a cylinder, along a boundary, across quads and along the rim of a wall") {
  const Mesh tube = stock("cylinder", {10, 30, 16});
  const Topology t(tube);
  Index rim = no_index;
  for (Index e = 0; e < t.edges.size(); ++e)
    if (std::abs(place_of(tube, t, ElementKind::edges, e).z() - 15) < 1e-9) rim = e;
  REQUIRE(rim != no_index);
  // The rim's vertices have three edges: the loop goes straight on, turning by 360/16 degrees.
  CHECK(edge_loop(tube, t, edges({rim})).size() == 16);
  const Mesh flat = grid(5);
  const Topology ft(flat);
  CHECK(edge_loop(flat, ft, edges({edge_at(flat, ft, {2, 2, 0}, {3, 2, 0})})).size() == 5);
  CHECK(edge_loop(flat, ft, edges({edge_at(flat, ft, {0, 0, 0}, {1, 0, 0})})).size() == 20);
  CHECK(boundary_loop(flat, ft, edges({edge_at(flat, ft, {0, 0, 0}, {1, 0, 0})})).size() == 20);
  CHECK(boundary_loop(flat, ft, vertices({0})).size() == 20);
  CHECK(boundary_loop(flat, ft, edges({edge_at(flat, ft, {2, 2, 0}, {3, 2, 0})})).empty());
  CHECK(boundary_loop(flat, ft, faces({12})).size() == 4);
  CHECK(boundary_loop(flat, ft, grown(flat, ft, faces({12}))).size() == 12);
  // A part mirrored across its own face with the wall left in: the rim of the wall has three faces at each edge.
  Mesh mirrored = cube();
  Mesh other = placed(cube(), {2, 0, 0});
  append(mirrored, other);
  Mesh joined = mirrored;
  for (Index& v : joined.corners)
    for (Index w = 0; w < v; ++w)
      if (joined.positions[w] == joined.positions[v]) {
        v = w;
        break;
      }
  joined = without_faces(joined, {face_towards(joined, {-1, 0, 0}) + 6});
  const Topology jt(joined);
  const Elements seam = edge_loop(joined, jt, edges({edge_at(joined, jt, {1, -1, -1}, {1, 1, -1})}));
  CHECK(seam.size() == 4);
  const FamilyReport walls = check_soundness(joined).of(families::inner_walls);
  const Elements wall = of_defects(joined, jt, walls, ElementKind::faces);
  CHECK(wall.size() == 1);
  // Without the wall the same loop can be walked all around.
  const Mesh open = delete_faces(joined, wall.list).mesh.mesh;
  const Topology ot(open);
  CHECK(judge(open).sound());
  CHECK(edge_loop(open, ot, edges({edge_at(open, ot, {1, -1, -1}, {1, 1, -1})})).size() == 4);
}

TEST_CASE("a region by angle stops at creases; sharp edges are those creases; choices turn into other kinds") {
  const Mesh tube = stock("cylinder", {10, 30, 16});
  const Topology t(tube);
  const Index side = face_towards(tube, newell_normal(tube.positions, tube.face(2)).normalized());
  Index wall = 0;
  for (Index f = 0; f < tube.face_count(); ++f)
    if (tube.face(f).size() == 4) wall = f;
  CHECK(smooth_region(tube, t, faces({wall}), 30).size() == 16);
  CHECK(smooth_region(tube, t, faces({wall}), 10).size() == 1);
  CHECK(smooth_region(tube, t, faces({side}), 91).size() == 18);
  CHECK(sharp_edges(tube, t, 30).size() == 32);
  CHECK(sharp_edges(tube, t, 10).size() == 48);
  CHECK(converted(tube, t, faces({wall}), ElementKind::edges).size() == 4);
  CHECK(converted(tube, t, faces({wall}), ElementKind::vertices).size() == 4);
  CHECK(converted(tube, t, converted(tube, t, faces({wall}), ElementKind::edges), ElementKind::faces).list == std::vector<Index>{wall});
  // A patch that is turned over is no crease.
  const Mesh flat = grid(3);
  const Mesh turned = turn_faces(flat, std::vector<Index>{4}).mesh.mesh;
  CHECK(smooth_region(turned, Topology(turned), faces({0}), 5).size() == 9);
}

TEST_CASE("faces taken away leave everything else as it was; what is detached and joined again is the old part") {
  const Mesh part = stock("cylinder", {10, 30, 16});
  const Index lid = face_towards(part, {0, 0, 1});
  const Edited open = delete_faces(part, std::vector<Index>{lid});
  CHECK(open.done == 1);
  check_untouched(part, open.mesh, {lid});
  CHECK_FALSE(judge(open.mesh.mesh).closed);
  std::vector<Index> group(part.face_count(), no_index);
  group[lid] = 0;
  const Mesh cap = take_apart(part, group, 1)[0].mesh;
  const Mesh* both[] = {&open.mesh.mesh, &cap};
  const Joined whole = join(both, 0);
  CHECK(whole.welded == 16);
  CHECK(whole.mesh.positions.size() == part.positions.size());
  CHECK(judge(whole.mesh).sound());
  CHECK(judge(whole.mesh).volume == Approx(judge(part).volume).epsilon(1e-14));
  CHECK(whole.sources.input.back() == 1);
  // Apart by more than it may be, and by less.
  const Mesh away = placed(cap, {0, 0, 0.01});
  const Mesh* apart[] = {&open.mesh.mesh, &away};
  CHECK(join(apart, 0).welded == 0);
  CHECK(join(apart, 0.005).welded == 0);
  const Joined near = join(apart, 0.02);
  CHECK(near.welded == 16);
  CHECK(judge(near.mesh).sound());
}

TEST_CASE("vertices weld in the middle or at the last, slide along an edge and nowhere else") {
  const Mesh flat = grid(2);
  const Topology t(flat);
  const auto middle = weld_chosen(flat, std::vector<Index>{0, 1}, WeldTo::middle);
  REQUIRE(middle);
  CHECK(middle->mesh.mesh.positions.size() == 8);
  CHECK(vertex_at(middle->mesh.mesh, {0.5, 0, 0}) < 8);
  check_untouched(flat, middle->mesh, {0, 1});
  CHECK(middle->mesh.mesh.face(0).size() == 3);
  const auto last = weld_chosen(flat, std::vector<Index>{0, 1}, WeldTo::last);
  CHECK(vertex_at(last->mesh.mesh, {1, 0, 0}) < 8);
  CHECK_FALSE(weld_chosen(flat, std::vector<Index>{3}, WeldTo::middle));
  const auto slid = slide_vertex(flat, t, 4, 5, 0.25);
  REQUIRE(slid);
  CHECK(slid->mesh.mesh.positions[4] == Vec3(1.25, 1, 0));
  CHECK(slid->mesh.mesh.corners == flat.corners);
  CHECK_FALSE(slide_vertex(flat, t, 0, 8, 0.5));
  CHECK(slide_vertex(flat, t, 0, 8, 0.5).issue().places.size() == 2);
}

TEST_CASE("an edge split in a solid keeps it sound, and its new vertices can be connected and taken out again") {
  const Mesh box = cube();
  const Topology t(box);
  const Index e = edge_at(box, t, {-1, -1, 1}, {1, -1, 1}), far = edge_at(box, t, {-1, 1, 1}, {1, 1, 1});
  const Edited split = split_edges(box, t, std::vector<Index>{e, far}, 3);
  CHECK(split.done == 2);
  const Mesh& cut = split.mesh.mesh;
  CHECK(cut.positions.size() == 12);
  CHECK(euler(cut) == 2);
  CHECK(judge(cut).sound());
  const Topology ct(cut);
  const Index a = vertex_at(cut, {-1 + 2.0 / 3, -1, 1}), b = vertex_at(cut, {-1 + 2.0 / 3, 1, 1});
  const auto connected = connect_vertices(cut, ct, std::vector<Index>{a, b});
  REQUIRE(connected);
  const Mesh& seven = connected->mesh.mesh;
  CHECK(seven.face_count() == 7);
  CHECK(euler(seven) == 2);
  CHECK(judge(seven).sound());
  // The new edge out again, then the new vertices: the old box, but for the order.
  const Topology st(seven);
  const auto merged = take_out_edges(seven, st, std::vector<Index>{st.edge_between(a, b)});
  REQUIRE(merged);
  CHECK(merged->mesh.mesh.face_count() == 6);
  CHECK(merged->mesh.mesh.positions.size() == 12);
  const Topology mt(merged->mesh.mesh);
  const auto clean = take_out_vertices(merged->mesh.mesh, mt, std::vector<Index>{8, 9, 10, 11});
  REQUIRE(clean);
  CHECK(clean->done == 4);
  CHECK(rings(clean->mesh.mesh) == rings(box));
  CHECK(judge(clean->mesh.mesh).volume == 8);
}

TEST_CASE("connecting refuses a line outside of the face, along an edge, or between faces") {
  Mesh ell;  // an L, concave at (1, 1)
  for (const auto& [x, y] : {std::pair(0, 0), {2, 0}, {2, 1}, {1, 1}, {1, 2}, {0, 2}}) ell.add_vertex({double(x), double(y), 0});
  ell.add_face({0, 1, 2, 3, 4, 5});
  const Topology t(ell);
  CHECK_FALSE(connect_vertices(ell, t, std::vector<Index>{2, 4}));  // outside
  CHECK_FALSE(connect_vertices(ell, t, std::vector<Index>{1, 4}));  // crosses the notch
  CHECK_FALSE(connect_vertices(ell, t, std::vector<Index>{0, 1}));  // an edge
  const auto good = connect_vertices(ell, t, std::vector<Index>{0, 3});
  REQUIRE(good);
  CHECK(surface_area(good->mesh.mesh) == Approx(3));
  // Three in a row cut twice.
  const auto twice = connect_vertices(ell, t, std::vector<Index>{5, 3, 1});
  REQUIRE(twice);
  CHECK(twice->done == 2);
  CHECK(twice->mesh.mesh.face_count() == 3);
  CHECK(surface_area(twice->mesh.mesh) == Approx(3));
  CHECK_FALSE(connect_vertices(grid(2), Topology(grid(2)), std::vector<Index>{0, 8}));
}

TEST_CASE("faces around an edge or a vertex become one; a ring, an open edge and a wall are left with the reason") {
  const Mesh flat = grid(3);
  const Topology t(flat);
  const auto one = take_out_vertices(flat, t, std::vector<Index>{5});
  REQUIRE(one);
  CHECK(one->mesh.mesh.face_count() == 6);
  CHECK(one->mesh.mesh.positions.size() == 15);
  CHECK(surface_area(one->mesh.mesh) == Approx(9));
  check_untouched(flat, one->mesh, {0, 1, 3, 4});
  // All edges between the outer eight squares: they would become a ring around the middle one.
  std::vector<Index> around;
  for (Index e = 0; e < t.edges.size(); ++e) {
    const auto on = t.faces_on(e);
    if (on.size() == 2 && on[0] != 4 && on[1] != 4) around.push_back(e);
  }
  CHECK(around.size() == 8);
  const auto ring = take_out_edges(flat, t, around);
  REQUIRE_FALSE(ring);
  CHECK(ring.issue().what.find("ring") != std::string::npos);
  CHECK(ring.issue().places.size() == 8);
  const auto open = take_out_edges(flat, t, std::vector<Index>{edge_at(flat, t, {0, 0, 0}, {1, 0, 0}), edge_at(flat, t, {1, 1, 0}, {2, 1, 0})});
  REQUIRE(open);
  CHECK(open->done == 1);
  CHECK(open->left.size() == 1);
  CHECK(open->mesh.mesh.face_count() == 8);
  // A tetrahedron without one vertex would have nothing but two faces back to back.
  Mesh four;
  for (const Vec3& p : {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(0, 0, 1)}) four.add_vertex(p);
  four.add_face({0, 2, 1});
  four.add_face({0, 1, 3});
  four.add_face({1, 2, 3});
  four.add_face({2, 0, 3});
  const auto pair = take_out_vertices(four, Topology(four), std::vector<Index>{3});
  REQUIRE(pair);
  CHECK(pair->mesh.mesh.face_count() == 2);
  CHECK_FALSE(check_soundness(pair->mesh.mesh).sound);
  CHECK_FALSE(take_out_vertices(four, Topology(four), std::vector<Index>{2, 3}));
  // In a sphere of triangles a vertex goes and the rest stays closed.
  const Mesh ball = stock("icosphere", {20, 2});
  const auto less = take_out_vertices(ball, Topology(ball), std::vector<Index>{7});
  REQUIRE(less);
  CHECK(judge(less->mesh.mesh).sound());
  CHECK(euler(less->mesh.mesh) == 2);
}

TEST_CASE("holes chosen by one edge are filled flat or smooth, and corners by a face turned as its neighbours") {
  const Mesh box = cube();
  const Mesh open = delete_faces(box, std::vector<Index>{face_towards(box, {0, 0, 1})}).mesh.mesh;
  const Topology t(open);
  const Index rim = edge_at(open, t, {-1, -1, 1}, {1, -1, 1});
  for (const FillShape shape : {FillShape::fitting, FillShape::flat}) {
    const auto filled = fill_holes(open, t, std::vector<Index>{rim}, shape);
    REQUIRE(filled);
    CHECK(filled->done == 1);
    CHECK(judge(filled->mesh.mesh).sound());
    CHECK(judge(filled->mesh.mesh).volume == 8);
  }
  CHECK_FALSE(fill_holes(open, t, std::vector<Index>{edge_at(open, t, {-1, -1, -1}, {1, -1, -1})}, FillShape::fitting));
  // The corners in any order.
  std::vector<Index> corners{vertex_at(open, {-1, -1, 1}), vertex_at(open, {1, 1, 1}), vertex_at(open, {1, -1, 1}), vertex_at(open, {-1, 1, 1})};
  std::sort(corners.begin(), corners.end());
  do {
    const auto between = fill_between(open, t, corners);
    REQUIRE(between);
    CHECK(judge(between->mesh.mesh).sound());
    CHECK(judge(between->mesh.mesh).volume == 8);
  } while (std::next_permutation(corners.begin(), corners.end()));
  // Three corners, then the other three.
  const auto half = fill_between(open, t, std::vector<Index>{corners[0], corners[1], corners[3]});
  REQUIRE(half);
  CHECK(half->mesh.mesh.face_count() == 6);
  // A side with two faces is refused.
  CHECK_FALSE(fill_between(box, Topology(box), std::vector<Index>{0, 1, 2}));
  CHECK_FALSE(fill_between(open, t, std::vector<Index>{0, 1}));
}

TEST_CASE("a bridge across a hole leaves two holes; two boundaries become a tube; two faces a tunnel") {
  const Mesh flat = grid(5);
  Mesh slit = delete_faces(flat, std::vector<Index>{11, 12, 13}).mesh.mesh;  // a hole of three squares
  const Topology t(slit);
  const auto across = bridge(slit, t, edges({edge_at(slit, t, {2, 2, 0}, {3, 2, 0}), edge_at(slit, t, {2, 3, 0}, {3, 3, 0})}));
  REQUIRE(across);
  CHECK(across->done == 1);
  CHECK(check_soundness(across->mesh.mesh).holes() == 3);  // two, and the rim of the sheet
  CHECK(surface_area(across->mesh.mesh) == Approx(23));
  // All faces look up: the bridge is turned as its neighbours.
  for (Index f = 0; f < across->mesh.mesh.face_count(); ++f) CHECK(newell_normal(across->mesh.mesh.positions, across->mesh.mesh.face(f)).z() > 0);

  Mesh pair = cube();
  append(pair, placed(cube(), {0, 0, 5}));
  // The lower one's lid and the upper one's floor become a tube between them.
  Index lid = no_index, floor = no_index;
  for (Index f = 0; f < pair.face_count(); ++f) {
    const Vec3 middle = place_of(pair, Topology(pair), ElementKind::faces, f);
    if (middle.z() == 1) lid = f;
    if (middle.z() == 4) floor = f;
  }
  const auto tube = bridge(pair, Topology(pair), faces({lid, floor}));
  REQUIRE(tube);
  CHECK(tube->done == 4);
  CHECK(judge(tube->mesh.mesh).sound());
  CHECK(judge(tube->mesh.mesh).volume == Approx(2 * 2 * 7));
  // Two sheets become a slab by their rims, and that gets a tunnel through its middle: genus 1, so V − E + F = 0.
  Mesh sheets = placed(grid(3), {0, 0, 1});
  Mesh under = grid(3);
  reverse_faces(under);
  append(sheets, under);
  std::vector<Index> rim;
  const Topology st(sheets);
  for (Index e = 0; e < st.edges.size(); ++e)
    if (st.faces_on(e).size() == 1) rim.push_back(e);
  const auto slab = bridge(sheets, st, edges(rim));
  REQUIRE(slab);
  CHECK(judge(slab->mesh.mesh).sound());
  CHECK(judge(slab->mesh.mesh).volume == Approx(9));
  const auto tunnel = bridge(slab->mesh.mesh, Topology(slab->mesh.mesh), faces({4, 13}));
  REQUIRE(tunnel);
  CHECK(judge(tunnel->mesh.mesh).sound());
  CHECK(judge(tunnel->mesh.mesh).volume == Approx(8));
  CHECK(euler(tunnel->mesh.mesh) == 0);
  // Boundaries of 16 and 24 sides.
  const Mesh sixteen = stock("cylinder", {10, 10, 16}), twenty_four = placed(stock("cylinder", {10, 10, 24}), {0, 0, 20});
  Mesh two = sixteen;
  append(two, twenty_four);
  std::vector<Index> lids;
  for (Index f = 0; f < two.face_count(); ++f) {
    const double z = place_of(two, Topology(two), ElementKind::faces, f).z();
    if (two.face(f).size() > 4 && z > 4 && z < 16) lids.push_back(f);
  }
  REQUIRE(lids.size() == 2);
  const auto unequal = bridge(two, Topology(two), faces(lids));
  REQUIRE(unequal);
  CHECK(unequal->done == 40);
  CHECK(judge(unequal->mesh.mesh).sound());
  CHECK(euler(unequal->mesh.mesh) == 2);
  // What is no pair of open chains is refused.
  CHECK_FALSE(bridge(cube(), Topology(cube()), edges({0, 1})));
  CHECK_FALSE(bridge(slit, t, edges({edge_at(slit, t, {2, 2, 0}, {3, 2, 0})})));
}

TEST_CASE("turning over and triangulating touch the chosen faces only") {
  const Mesh tube = stock("cylinder", {10, 30, 16});
  const Index lid = face_towards(tube, {0, 0, 1});
  const Edited turned = turn_faces(tube, std::vector<Index>{lid});
  check_untouched(tube, turned.mesh, {lid});
  CHECK(newell_normal(turned.mesh.mesh.positions, turned.mesh.mesh.face(lid)).z() < 0);
  CHECK(check_soundness(turned.mesh.mesh).count(families::flipped_faces) == 1);
  const Edited cut = triangulate_faces(tube, std::vector<Index>{lid});
  CHECK(cut.mesh.mesh.face_count() == tube.face_count() + 13);
  check_untouched(tube, cut.mesh, {lid});
  CHECK(judge(cut.mesh.mesh).sound());
}

TEST_CASE("elements are found again by provenance after the part changed, and by place without it") {
  const Mesh before = stock("box", {20, 20, 20}), after = stock("box", {50, 20, 20});
  const Topology t(before), u(after);
  for (const ElementKind kind : {ElementKind::vertices, ElementKind::edges, ElementKind::faces})
    for (Index e = 0; e < t.count(before, kind); ++e) {
      INFO(name_of(kind, false) << ' ' << e);
      const std::string text = describe(before, t, {kind, {e}});
      const auto same = find_again(before, t, text);
      REQUIRE(same);
      CHECK(same->found == Elements{kind, {e}});
      const auto moved = find_again(after, u, text);
      REQUIRE(moved);
      CHECK(moved->missing.empty());
      CHECK(moved->found == Elements{kind, {e}});  // the two boxes are numbered alike
    }
  // The order of choosing is kept.
  CHECK(find_again(after, u, describe(before, t, vertices({5, 2, 7})))->found.list == std::vector<Index>{5, 2, 7});
  // Another numbering of the faces, each of its own making: by place and shape.
  Mesh shuffled;
  shuffled.positions = before.positions;
  for (Index f = 6; f-- > 0;) shuffled.add_face(before.face(f));
  for (Index f = 0; f < 6; ++f) shuffled.origins.push_back({3, no_index, 0});
  const Topology s(shuffled);
  for (Index f = 0; f < 6; ++f) CHECK(find_again(shuffled, s, describe(before, t, faces({f})))->found.list == std::vector<Index>{5 - f});
  // What is gone is said to be gone, with its place.
  const Mesh less = without_faces(before, {2});
  Mesh named = less;
  for (Index f = 0; f < 5; ++f) named.origins.push_back({0, f < 2 ? f : f + 1, no_index});
  const auto found = find_again(named, Topology(named), describe(before, t, faces({1, 2, 3})));
  REQUIRE(found);
  CHECK(found->found.list == std::vector<Index>{1, 2});
  REQUIRE(found->missing.size() == 1);
  CHECK(found->missing[0] == place_of(before, t, ElementKind::faces, 2));
}

TEST_CASE("of several pieces of one face the nearest is found, and no element is taken twice") {
  // A row of strips cut from one face, then all shifted by a third of their distance.
  const auto strips = [](double shift, Index count) {
    Mesh mesh;
    for (Index k = 0; k < count; ++k) {
      const double x = 3.0 * k + shift;
      const Index v = static_cast<Index>(mesh.positions.size());
      for (const auto& [dx, y] : {std::pair(0, 0), {2, 0}, {2, 9}, {0, 9}}) mesh.add_vertex({x + dx, double(y), 0});
      mesh.add_face({v, v + 1, v + 2, v + 3});
      mesh.origins.push_back({0, 4, 1});
    }
    return mesh;
  };
  const Mesh before = strips(0, 4), after = strips(1, 4), fewer = strips(0, 2);
  const Topology t(before);
  const std::string text = describe(before, t, faces({1, 2}));
  CHECK(find_again(after, Topology(after), text)->found.list == std::vector<Index>{1, 2});
  const auto left = find_again(fewer, Topology(fewer), describe(before, t, faces({1, 3, 2})));
  REQUIRE(left);
  CHECK(left->found.size() == 2);
  CHECK(left->missing.size() == 1);
  CHECK(left->found.list[0] == 1);
}

TEST_CASE("elements can be named by hand, and what cannot be read is refused with how to write it") {
  const Mesh box = cube();
  const Topology t(box);
  CHECK(find_again(box, t, "faces at 0,0,1")->found.list == std::vector<Index>{face_towards(box, {0, 0, 1})});
  CHECK(find_again(box, t, "edges at 0,-1,1; 0,1,1")->found.size() == 2);
  CHECK(find_again(box, t, "vertices all")->found.size() == 8);
  CHECK(find_again(box, t, "faces at 0,0,0.5")->missing.size() == 1);
  CHECK(find_again(box, t, "faces")->found.empty());
  CHECK(named_elements("edges at 0,0,1; 1,0,0")->count == 2);
  CHECK(named_elements("faces all")->count == no_index);
  for (const char* bad : {"", "all", "corners at 1,2,3", "faces at", "faces 1", "faces at 1,2", "faces at 1,2,3,", "faces at 1,2,nan", "faces at 1,2,3 from", "faces at 1,2,3 from 1",
                          "faces at 1,2,3 from -1:2", "faces at 1,2,3 with 1,,2", "faces at 1,2,3 near 4"}) {
    INFO(bad);
    const auto found = find_again(box, t, bad);
    REQUIRE_FALSE(found);
    CHECK_FALSE(found.issue().remedy.empty());
  }
}

TEST_CASE("a subdivided cube is the limit that its vertices say, and what is doubled or torn shows") {
  const Mesh box = cube();
  const Subdivided once = subdivide(box, 1), twice = subdivide(box, 2);
  CHECK(once.mesh.face_count() == 24);
  CHECK(twice.mesh.face_count() == subdivided_faces(box, 2));
  CHECK(judge(once.mesh).sound());
  CHECK(judge(twice.mesh).sound());
  // One step by the published rule: a corner of valence 3 goes to (F + 2R + 0 P) / 3 with F the mean of its face points and R
  // that of its edge middles (Catmull and Clark 1978); of a cube of side 2 that is 5/9 along each axis.
  double farthest = 0;
  for (Index v = 0; v < 8; ++v) farthest = std::max(farthest, (once.mesh.positions[v] - box.positions[v] * (5.0 / 9)).norm());
  CHECK(farthest < 1e-12);
  CHECK(twice.source[0] == 0);
  CHECK(twice.source.back() == 5);
  // A lid that hangs on vertices of its own tears off.
  Mesh torn = box;
  const Index lid = face_towards(box, {0, 0, 1});
  for (Index c = torn.face_offsets[lid]; c < torn.face_offsets[lid + 1]; ++c) torn.corners[c] = torn.add_vertex(torn.positions[torn.corners[c]]);
  CHECK_FALSE(judge(subdivide(torn, 2).mesh).closed);
  // The same lid extruded by nothing: four walls without extent hold its rim back, and the volume grows.
  Mesh extruded = torn;
  for (Index k = 0; k < 4; ++k) {
    const Index c = box.face_offsets[lid] + k, d = box.face_offsets[lid] + (k + 1) % 4;
    extruded.add_face({box.corners[c], box.corners[d], extruded.corners[d], extruded.corners[c]});
  }
  CHECK(signed_volume(subdivide(extruded, 2).mesh) > 1.1 * signed_volume(twice.mesh));
  // What cannot be subdivided is counted.
  Mesh bad = box;
  bad.add_face({0, 1, 0});
  CHECK(subdivide(bad, 1).left_out == 1);
  CHECK(subdivide(Mesh{}, 1).mesh.empty());
}

TEST_CASE("lengths, areas, distances and angles of chosen elements, where the part stands") {
  // Of a box of 2 × 2 × 2 by elementary geometry.
  const Mesh box = cube();
  const Topology t(box);
  const Affine here = Affine::Identity();
  Affine twice = Affine::Identity();
  twice.linear() *= 2;
  const auto at = [&](double x, double y, double z) { return vertex_at(box, {x, y, z}); };
  CHECK(*measure(box, t, vertices({at(-1, -1, -1), at(1, 1, 1)}), here).distance == Approx(std::sqrt(12.0)));
  CHECK(*measure(box, t, vertices({at(-1, -1, -1), at(1, -1, -1), at(1, 1, 1)}), here).angle == Approx(90));
  const Index x = edge_at(box, t, {-1, -1, -1}, {1, -1, -1}), y = edge_at(box, t, {1, 1, 1}, {1, -1, 1});
  CHECK(*measure(box, t, edges({x, y}), here).length == Approx(4));
  CHECK(*measure(box, t, edges({x, y}), here).angle == Approx(90));
  CHECK(*measure(box, t, edges({x, y}), twice).length == Approx(8));
  const Index up = face_towards(box, {0, 0, 1}), down = face_towards(box, {0, 0, -1}), right = face_towards(box, {1, 0, 0});
  CHECK(*measure(box, t, faces({up, right}), here).angle == Approx(90));
  CHECK(*measure(box, t, faces({up, down}), here).angle == Approx(180));
  CHECK(*measure(box, t, faces({up, down}), here).distance == Approx(2));
  CHECK(*measure(box, t, faces({up, down}), twice).area == Approx(32));
  CHECK_FALSE(measure(box, t, faces({up}), here).angle);
  CHECK_FALSE(measure(box, t, faces({}), here).area);
}

TEST_CASE("a large choice of faces that a step made anew, all in one plane, is found again in a moment") {
  Mesh flat = grid(200);
  for (Vec3& p : flat.positions) p = Vec3(5, p.x(), p.y());  // one x for all
  for (Index f = 0; f < flat.face_count(); ++f) flat.origins.push_back({0, no_index, 0});
  const Topology t(flat);
  Elements all{ElementKind::faces, {}};
  for (Index f = 0; f < flat.face_count(); ++f) all.list.push_back(f);
  const auto found = find_again(flat, t, describe(flat, t, all));
  REQUIRE(found);
  CHECK(found->found == all);
  // Shifted, none of them can be told from another.
  Mesh away = flat;
  for (Vec3& p : away.positions) p.z() += 0.4;
  CHECK(find_again(away, Topology(away), describe(flat, t, all))->missing.size() == all.size());
}
