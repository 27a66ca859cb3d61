// SPDX-License-Identifier: GPL-3.0-or-later
#include <set>

#include "core/boolean/combine.h"
#include "core/control.h"
#include "core/mesh/weld.h"
#include "core/soundness/analysis.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

std::size_t count(const SoundnessReport& report, const Family& family) {
  return report.of(family).count;
}

/// Two boxes side by side as one mesh; `gap` along x between them.
Mesh two_boxes(double gap, const Vec3& shift = Vec3::Zero()) {
  Mesh mesh = cube();
  append(mesh, placed(cube(), Vec3(2 + gap, 0, 0) + shift));
  return mesh;
}

/// Only the families listed may have counts.
void only(const SoundnessReport& report, std::vector<const Family*> allowed) {
  CHECK(report.families.size() == family_table().size());
  for (const FamilyReport& found : report.families) {
    if (found.family->role == FamilyRole::note) continue;
    INFO(found.family->key);
    CHECK((found.count > 0) == (std::find(allowed.begin(), allowed.end(), found.family) != allowed.end()));
    if (found.count > 0) CHECK_FALSE(found.defects.empty());
  }
}

}  // namespace

TEST_CASE("a cube is sound, with the numbers of a cube") {
  const SoundnessReport report = check_soundness(cube());
  CHECK(report.sound);
  only(report, {});
  CHECK(report.vertices == 8);
  CHECK(report.triangles == 12);
  CHECK(report.polygons == 6);
  CHECK(report.shells == 1);
  CHECK(report.genus == 0);
  CHECK(report.volume == 8);
  CHECK(report.area == 24);
  CHECK(report.bounds.lo == Vec3(-1, -1, -1));
  CHECK(verdict(report) == "Sound");
}

TEST_CASE("a missing face is one hole of four open edges, and its place is where the face was") {
  const SoundnessReport report = check_soundness(without_faces(cube(), {1}));
  only(report, {&families::open_edges});
  CHECK(count(report, families::open_edges) == 4);
  CHECK(report.holes() == 1);
  REQUIRE(report.of(families::open_edges).defects.size() == 1);
  CHECK(report.of(families::open_edges).defects[0].position == Vec3(0, 0, 1));
  CHECK(report.of(families::open_edges).defects[0].edges.size() == 4);
  CHECK(verdict(report) == "Not sound: 1 hole");
  CHECK_FALSE(report.genus);
}

TEST_CASE("two holes that meet in one vertex are counted as two") {
  // Opposite faces of an octahedron share no edge; neighbours across a vertex share one vertex.
  Mesh mesh = stock("icosphere", {2, 1});
  const Index v = 0;
  std::vector<std::size_t> around;
  for (std::size_t f = 0; f < mesh.face_count(); ++f)
    for (Index w : mesh.face(f))
      if (w == v) around.push_back(f);
  REQUIRE(around.size() >= 5);
  // Take two faces around v that share no edge.
  for (std::size_t g : around) {
    std::size_t common = 0;
    for (Index a : mesh.face(around[0]))
      for (Index b : mesh.face(g)) common += a == b;
    if (common != 1) continue;
    const SoundnessReport report = check_soundness(without_faces(mesh, {around[0], g}));
    CHECK(report.holes() == 2);
    CHECK(count(report, families::open_edges) == 6);
    CHECK(count(report, families::non_manifold_vertices) == 1);
    return;
  }
  FAIL("no such pair of faces");
}

TEST_CASE("a fin is one edge with three faces and an open rim, not a hole") {
  // Common practice: a single edge extruded out of a closed mesh.
  Mesh mesh = cube();
  const Index a = mesh.add_vertex({-1, -1, 3}), b = mesh.add_vertex({1, -1, 3});
  mesh.add_face({4, 5, b, a});
  const SoundnessReport report = check_soundness(mesh);
  only(report, {&families::open_edges, &families::non_manifold_edges, &families::fins});
  CHECK(count(report, families::non_manifold_edges) == 1);
  CHECK(report.of(families::non_manifold_edges).defects[0].kind == "fin");
  CHECK(count(report, families::open_edges) == 3);
  CHECK(report.holes() == 0);
  REQUIRE(count(report, families::fins) == 1);
  CHECK(report.of(families::fins).defects[0].faces == std::vector<Index>{6});
}

TEST_CASE("two cubes that share a vertex, or an edge, are not manifold there") {
  Mesh corner = cube();
  append(corner, placed(cube(), {2, 2, 2}));
  const SoundnessReport at_vertex = check_soundness(welded(corner));
  only(at_vertex, {&families::non_manifold_vertices});
  CHECK(count(at_vertex, families::non_manifold_vertices) == 1);
  Mesh edge = cube();
  append(edge, placed(cube(), {2, 2, 0}));
  const SoundnessReport at_edge = check_soundness(welded(edge));
  only(at_edge, {&families::non_manifold_edges});
  CHECK(count(at_edge, families::non_manifold_edges) == 1);
}

TEST_CASE("the same cubes with vertices of their own are sound, and the contact is noted") {
  Mesh edge = cube();
  append(edge, placed(cube(), {2, 2, 0}));
  const SoundnessReport report = check_soundness(edge);
  CHECK(report.sound);
  CHECK(report.count(families::contact_edges) == 1);
  CHECK(report.of(families::contact_edges).defects.at(0).position == Vec3(1, 1, 0));
}

TEST_CASE("turned faces are found one by one, and a whole part inside out as all of its faces") {
  Mesh mesh = stock("icosphere", {2, 2});
  for (std::size_t f : {5u, 17u, 100u})
    std::reverse(mesh.corners.begin() + mesh.face_offsets[f] + 1,
                 mesh.corners.begin() + mesh.face_offsets[f + 1]);
  const SoundnessReport some = check_soundness(mesh);
  only(some, {&families::flipped_faces});
  CHECK(count(some, families::flipped_faces) == 3);
  Mesh inside_out = cube();
  reverse_faces(inside_out);
  const SoundnessReport all = check_soundness(inside_out);
  only(all, {&families::flipped_faces});
  CHECK(count(all, families::flipped_faces) == 6);
}

TEST_CASE("an inside-out shell inside another is a cavity; an outward one is an inner wall") {
  Mesh hollow = cube(4), core = cube(2);
  reverse_faces(core);
  append(hollow, core);
  const SoundnessReport cavity = check_soundness(hollow);
  CHECK(cavity.sound);
  CHECK(cavity.volume == 64 - 8);
  CHECK(cavity.shells == 2);
  Mesh nested = cube(4);
  append(nested, cube(2));
  const SoundnessReport wall = check_soundness(nested);
  only(wall, {&families::inner_walls});
  // A solid inside the cavity is right again.
  Mesh three = hollow;
  append(three, cube(1));
  CHECK(check_soundness(three).sound);
}

TEST_CASE("an open mesh that is inside out as a whole is seen as that") {
  Mesh mesh = without_faces(stock("icosphere", {2, 2}), {0});
  reverse_faces(mesh);
  CHECK(count(check_soundness(mesh), families::flipped_faces) == mesh.face_count());
}

TEST_CASE("crossing shells, a stabbed face and coplanar overlaps are crossings; separate ones are not") {
  CHECK(check_soundness(two_boxes(0.001)).sound);
  const SoundnessReport crossing = check_soundness(two_boxes(-0.5, {0, 0.3, 0.2}));
  only(crossing, {&families::crossing_faces});
  CHECK(crossing.of(families::crossing_faces).defects.size() == 1);
  // Flush but shifted: the touching faces overlap in their common plane.
  CHECK(count(check_soundness(two_boxes(0, {0, 0.5, 0.25})), families::crossing_faces) >= 2);
  // A vertex of one just touching the inside of the other's face counts, as it does for CGAL.
  Mesh touching = cube();
  append(touching, placed(stock("frustum", {1, 0, 1, 4}), {0, 0, -1.5}));
  CHECK(count(check_soundness(touching), families::crossing_faces) > 0);
}

TEST_CASE("crossings are judged as CGAL judges them, on random and on gridded shapes") {
  std::mt19937 random(21);
  std::uniform_real_distribution<double> any(-1, 1);
  int crossing = 0, clear = 0;
  for (int i = 0; i < 60; ++i) {
    Mesh mesh = cube();
    const bool gridded = i % 2 == 0;
    auto coordinate = [&] { return gridded ? std::round(any(random) * 4) / 2 : 3 * any(random); };
    const Vec3 at(coordinate(), coordinate(), coordinate());
    const Vec3 angles =
        gridded ? Vec3(90.0 * static_cast<double>(random() % 4), 0, 0) : Vec3(180 * any(random), 50, 20);
    append(mesh, placed(cube(), at, angles));
    const bool ours = count(check_soundness(mesh), families::crossing_faces) > 0 ||
                      count(check_soundness(mesh), families::doubled_faces) > 0;
    // CGAL counts vertices at one position as different ones, so weldable contacts are its crossings too.
    const bool theirs = crossing_pairs(mesh) > 0;
    const bool contact = check_soundness(mesh).count(families::contact_edges) > 0 ||
                         count(check_soundness(welded(mesh)), families::non_manifold_vertices) > 0;
    INFO(at.transpose());
    if (!contact) CHECK(ours == theirs);
    (theirs ? crossing : clear) += 1;
  }
  CHECK(crossing > 10);
  CHECK(clear > 10);
}

TEST_CASE("a face folded flat back over its neighbour is a crossing") {
  Mesh mesh;
  for (const Vec3& p : {Vec3(0, 0, 0), Vec3(2, 0, 0), Vec3(0, 2, 0), Vec3(1, 1, 0)}) mesh.add_vertex(p);
  mesh.add_face({0, 1, 2});
  mesh.add_face({1, 0, 3});  // shares edge 0-1 and lies on the same side of it
  CHECK(count(check_soundness(mesh), families::crossing_faces) == 2);
  mesh.positions[3] = {1, -1, 0};
  CHECK(count(check_soundness(mesh), families::crossing_faces) == 0);
}

TEST_CASE("a face folded onto itself, and a quad on two triangles, enclose nothing and are crossings") {
  // Closed and manifold by their edges alone.
  Mesh folded;
  for (const Vec3& p : {Vec3(1, 0, 0), Vec3(3, 3, 0), Vec3(2, 0, 3)}) folded.add_vertex(p);
  folded.add_face({2, 1, 2, 0});
  CHECK(count(check_soundness(folded), families::crossing_faces) == 1);
  Mesh pillow;
  for (const Vec3& p : {Vec3(0, 2, 2), Vec3(1, 3, 1), Vec3(2, 0, 1), Vec3(1, 2, 1)}) pillow.add_vertex(p);
  pillow.add_face({0, 3, 1});
  pillow.add_face({3, 2, 0, 1});
  pillow.add_face({3, 0, 2});
  CHECK(count(check_soundness(pillow), families::crossing_faces) == 3);
}

TEST_CASE("faces that meet at lines which they are only cut along are crossings: whoever cuts them so finds four triangles at one edge") {
  // Two wedges that lie edge to edge; two of the quads pass from the one to the other right through that edge.
  Mesh mesh;
  for (const Vec3& p : {Vec3(-1, 0, 0), Vec3(1, 0, 0), Vec3(0, -1, -0.5), Vec3(0, 1, 0.5), Vec3(0, 1, -0.5), Vec3(0, -1, 0.5)}) mesh.add_vertex(p);
  mesh.add_face({0, 2, 1, 3});
  mesh.add_face({0, 4, 1, 5});
  for (const Triangle& t : {Triangle{0, 5, 2}, Triangle{1, 2, 5}, Triangle{1, 4, 3}, Triangle{0, 3, 4}}) mesh.add_face(t);
  CHECK_FALSE(judge(in_triangles(mesh)).manifold);
  const SoundnessReport report = check_soundness(mesh);
  CHECK_FALSE(report.sound);
  only(report, {&families::crossing_faces});
  CHECK(count(report, families::crossing_faces) == 2);
  CHECK_FALSE(is_sound(mesh, {}, 1));
  const std::vector<char> first{1, 0, 0, 0, 0, 0}, last{0, 0, 0, 0, 0, 1};
  CHECK_FALSE(is_sound(mesh, {}, 1, {}, first));
  CHECK(is_sound(mesh, {}, 1, {}, last));
  // The engine takes them apart.
  CombineSettings settings;
  settings.resolve = true;
  const auto resolved = combine({{shared(mesh), "wedges"}}, {}, settings);
  REQUIRE(resolved);
  CHECK(check_soundness(resolved->mesh).sound);
  CHECK(judge(in_triangles(resolved->mesh)).sound());
  CHECK(signed_volume(resolved->mesh) == Approx(2.0 / 3));  // two tetrahedra
  // In triangles, or with the other diagonal, it is what anybody sees: not manifold, or crossing.
  CHECK(count(check_soundness(in_triangles(mesh)), families::non_manifold_edges) > 0);
}

TEST_CASE("extruding faces by zero leaves zero-length edges and doubled faces") {
  // Common practice: it looks right until it is smoothed. Here the top of a cube, extruded by nothing.
  Mesh mesh = without_faces(cube(), {1});
  std::array<Index, 4> top{4, 5, 7, 6}, copy{};
  for (std::size_t k = 0; k < 4; ++k) copy[k] = mesh.add_vertex(mesh.positions[top[k]]);
  for (std::size_t k = 0; k < 4; ++k) mesh.add_face({top[k], top[(k + 1) % 4], copy[(k + 1) % 4], copy[k]});
  mesh.add_face({copy[0], copy[1], copy[2], copy[3]});
  const SoundnessReport report = check_soundness(mesh);
  CHECK(count(report, families::zero_length_edges) == 4);
  CHECK(count(report, families::zero_area_faces) == 4);
  CHECK_FALSE(report.sound);
}

TEST_CASE("zero area is exact: a needle of one ulp is a face, a straight one is not") {
  auto needle = [](double top) {
    Mesh mesh = cube();
    const Index a = mesh.add_vertex({5, 5, 5}), b = mesh.add_vertex({7, 5, 5}),
                c = mesh.add_vertex({6, 5, top});
    mesh.add_face({a, b, c});
    return count(check_soundness(mesh), families::zero_area_faces);
  };
  CHECK(needle(5) == 1);
  CHECK(needle(std::nextafter(5.0, 6.0)) == 0);
}

TEST_CASE("a vertex that is nowhere leaves its faces without area") {
  for (const double nowhere : {std::numeric_limits<double>::quiet_NaN(), std::numeric_limits<double>::infinity()})
    for (int axis = 0; axis < 3; ++axis) {
      Mesh mesh = in_triangles(cube());
      mesh.positions[3][axis] = nowhere;
      std::size_t around = 0;
      for (Index f = 0; f < mesh.face_count(); ++f)
        for (Index v : mesh.face(f)) around += v == 3;
      const SoundnessReport report = check_soundness(mesh);
      CHECK_FALSE(report.sound);
      CHECK_FALSE(is_sound(mesh, {}, 1));
      CHECK(report.count(families::zero_area_faces) == around);
    }
}

TEST_CASE("a face that names a vertex twice in a row is a zero-length edge") {
  Mesh mesh = cube();
  mesh.add_face({0, 1, 1});
  const SoundnessReport report = check_soundness(mesh);
  CHECK(count(report, families::zero_length_edges) == 1);
  CHECK(count(report, families::zero_area_faces) == 1);
}

TEST_CASE("doubled faces are found either way round, whether they share vertices or not") {
  for (const bool share : {true, false})
    for (const bool turned : {true, false}) {
      Mesh mesh = cube();
      std::vector<Index> ring(mesh.face(3).begin(), mesh.face(3).end());
      std::rotate(ring.begin(), ring.begin() + 1, ring.end());
      if (turned) std::reverse(ring.begin(), ring.end());
      if (!share)
        for (Index& v : ring) v = mesh.add_vertex(Vec3(mesh.positions[v]));
      mesh.add_face(ring);
      const SoundnessReport report = check_soundness(mesh);
      CHECK(count(report, families::doubled_faces) == 1);
      CHECK(count(report, families::crossing_faces) == 0);
      CHECK(count(report, families::non_manifold_edges) == (share ? 4 : 0));
    }
}

TEST_CASE("mirroring a part across its own face and welding leaves a wall inside") {
  // Common practice. The wall itself is one face with both halves' material around it.
  Mesh mesh = two_boxes(0);
  Mesh one_wall = welded(mesh);
  const SoundnessReport twice = check_soundness(one_wall);
  CHECK(count(twice, families::doubled_faces) == 1);
  CHECK(count(twice, families::non_manifold_edges) == 4);
  CHECK(count(twice, families::inner_walls) >= 1);
  // Without the doubled one, a single wall stays: four edges of three faces.
  std::size_t wall = 0;
  for (std::size_t f = 0; f < one_wall.face_count(); ++f) {
    bool at_one = true;
    for (Index v : one_wall.face(f)) at_one = at_one && one_wall.positions[v].x() == 1;
    if (at_one) wall = f;
  }
  const SoundnessReport once = check_soundness(without_faces(one_wall, {wall}));
  only(once, {&families::non_manifold_edges, &families::inner_walls});
  CHECK(count(once, families::inner_walls) == 1);
  CHECK(once.of(families::inner_walls).defects[0].position == Vec3(1, 0, 0));
}

TEST_CASE("a seam that was never welded shows as open edges and unwelded vertices") {
  Mesh mesh;
  const Mesh closed = cube();
  for (std::size_t f = 0; f < closed.face_count(); ++f) {
    std::vector<Index> ring;
    for (Index v : closed.face(f)) ring.push_back(mesh.add_vertex(closed.positions[v]));
    mesh.add_face(ring);
  }
  const SoundnessReport report = check_soundness(mesh);
  only(report, {&families::open_edges, &families::unwelded_vertices});
  CHECK(count(report, families::unwelded_vertices) == 24 - 8);
  CHECK(check_soundness(welded(mesh)).sound);
}

TEST_CASE("a crumb beside the part is a stray shell and does not make it unsound") {
  Mesh mesh = cube(100);
  append(mesh, placed(cube(1), {80, 0, 0}));
  const SoundnessReport report = check_soundness(mesh);
  CHECK(count(report, families::stray_shells) == 1);
  CHECK(report.sound);
  CHECK(verdict(report) == "Sound, with 1 stray shell");
}

TEST_CASE("genus follows Euler and Poincare: torus 1, two tori 2") {
  Mesh mesh = stock("torus", {40, 10, 24, 12});
  CHECK(check_soundness(mesh).genus == 1);
  append(mesh, placed(mesh, {100, 0, 0}));
  CHECK(check_soundness(mesh).genus == 2);
}

TEST_CASE("an empty mesh is not called sound") {
  const SoundnessReport report = check_soundness(Mesh{});
  CHECK_FALSE(report.sound);
  CHECK(verdict(report) == "Empty: there are no faces");
}

TEST_CASE("the same mesh gives the same report, and a stop request ends the check") {
  const Mesh mesh = two_boxes(-0.5, {0, 0.3, 0.2});
  const SoundnessReport a = check_soundness(mesh), b = check_soundness(mesh);
  CHECK(a.of(families::crossing_faces).defects[0].faces == b.of(families::crossing_faces).defects[0].faces);
  std::stop_source source;
  source.request_stop();
  CHECK_THROWS_AS(check_soundness(mesh, source.get_token()), Stopped);
}

TEST_CASE("random soups of faces on a coarse grid: never a crash, and sound only when CGAL agrees") {
  std::mt19937 random(1234);
  auto coarse = [&] { return static_cast<double>(random() % 3); };
  int sound = 0;
  for (int i = 0; i < 400; ++i) {
    Mesh mesh;
    const auto vertices = 4 + random() % 8;
    for (std::size_t v = 0; v < vertices; ++v) mesh.add_vertex(Vec3(coarse(), coarse(), coarse()));
    for (auto f = 4 + random() % 10; f > 0; --f)
      mesh.add_face({static_cast<Index>(random() % vertices), static_cast<Index>(random() % vertices),
                     static_cast<Index>(random() % vertices)});
    if (i % 4 == 0) {  // a tetrahedron now and then, so that both answers occur
      mesh = Mesh{};
      for (int v = 0; v < 4; ++v) mesh.add_vertex(Vec3(coarse(), coarse(), coarse()));
      for (const Triangle& t : {Triangle{0, 2, 1}, Triangle{0, 1, 3}, Triangle{1, 2, 3}, Triangle{2, 0, 3}})
        mesh.add_face(t);
    }
    const SoundnessReport report = check_soundness(mesh);
    if (report.sound) {
      ++sound;
      REQUIRE(judge(mesh).sound());
    } else if (judge(mesh).sound()) {
      FAIL("CGAL calls it sound: " << verdict(report));
    }
  }
  CHECK(sound > 10);
}

namespace {

/// A trial family: faces with more than four corners.
std::vector<Defect> find_many_cornered(const Analysis& a) {
  std::vector<Defect> defects;
  for (Index f = 0; f < a.mesh.face_count(); ++f)
    if (a.mesh.face(f).size() > 4) defects.push_back(defect_of_faces(a, families::open_edges, {f}, "a face of many corners"));
  return defects;
}
const Family many_cornered = {"many_cornered", "Faces of many corners", "face of many corners", "faces of many corners",
                              Marker::hook, FamilyRole::remark, 130, find_many_cornered};

}  // namespace

TEST_CASE("a family known only here is found, counted and told like any other") {
  std::vector<const Family*> table(family_table().begin(), family_table().end());
  table.push_back(&many_cornered);
  const SoundnessReport report = check_soundness(stock("prism", {10, 5, 6}), {}, {.families = table});
  CHECK(report.sound);
  CHECK(report.families.size() == family_table().size() + 1);
  CHECK(report.count(many_cornered) == 2);
  CHECK(verdict(report) == "Sound, with 2 faces of many corners");
  CHECK(check_soundness(stock("prism", {10, 5, 6})).count(many_cornered) == 0);
}

TEST_CASE("records of defects are complete, however large the defect") {
  // A plane of 40 × 40 quads crossed by another: one crossing of far more than 400 faces; and one hole of 160 edges.
  Mesh sheets = stock("sheet", {40, 40, 40, 40});
  const std::size_t each = sheets.face_count();
  Mesh slanted = placed(stock("sheet", {40, 40, 40, 40}), {0.3, 0.2, 0}, {1e-3, 2e-3, 0});
  append(sheets, slanted);
  const SoundnessReport report = check_soundness(sheets);
  const FamilyReport& crossing = report.of(families::crossing_faces);
  std::set<Index> faces;
  std::size_t counted = 0;
  for (const Defect& defect : crossing.defects) {
    CHECK(defect.family == &families::crossing_faces);
    CHECK(defect.count == defect.faces.size());
    counted += defect.count;
    faces.insert(defect.faces.begin(), defect.faces.end());
  }
  CHECK(counted == crossing.count);
  CHECK(faces.size() == crossing.count);
  CHECK(*faces.rbegin() >= each);
  const FamilyReport& open = report.of(families::open_edges);
  REQUIRE(open.defects.size() == 2);
  for (const Defect& hole : open.defects) {
    CHECK(hole.kind == "hole");
    CHECK(hole.edges.size() == 160);
    CHECK(hole.faces.size() == 160);
    for (const auto& [v, w] : hole.edges) CHECK((sheets.positions[v] - sheets.positions[w]).norm() == Approx(1));
  }
  // The flipped half of a large ball: every face of it is in the record.
  Mesh ball = stock("sphere", {30, 96, 48});
  std::vector<Index> turned;
  for (Index f = 0; f < ball.face_count(); ++f) {
    Vec3 centre = Vec3::Zero();
    for (Index v : ball.face(f)) centre += ball.positions[v];
    if (centre.z() < -1) {
      turned.push_back(f);
      std::reverse(ball.corners.begin() + ball.face_offsets[f] + 1, ball.corners.begin() + ball.face_offsets[f + 1]);
    }
  }
  REQUIRE(turned.size() > 2000);
  std::vector<Index> found;
  const SoundnessReport halves = check_soundness(ball);
  for (const Defect& defect : halves.of(families::flipped_faces).defects) found.insert(found.end(), defect.faces.begin(), defect.faces.end());
  std::sort(found.begin(), found.end());
  std::vector<Index> others;
  for (Index f = 0; f < ball.face_count(); ++f)
    if (!std::binary_search(turned.begin(), turned.end(), f)) others.push_back(f);
  CHECK((found == turned || found == others));
}

TEST_CASE("defects of pieces speak of the whole mesh") {
  Mesh both = stock("box", {2, 2, 2});
  append(both, placed(without_faces(stock("box", {2, 2, 2}), {1}), {5, 0, 0}));
  std::vector<Index> piece(both.face_count(), 1);
  std::fill(piece.begin(), piece.begin() + 6, 0);
  const SoundnessReport report = check_pieces(both, piece, 2);
  REQUIRE(report.of(families::open_edges).defects.size() == 1);
  const Defect& hole = report.of(families::open_edges).defects[0];
  for (Index f : hole.faces) CHECK(f >= 6);
  for (const auto& [v, w] : hole.edges) CHECK((both.positions[v].x() >= 4 && both.positions[w].x() >= 4));
}
