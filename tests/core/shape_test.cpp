// SPDX-License-Identifier: GPL-3.0-or-later
// Plane cut and mirror, against closed formulas and CGAL.
#include <boost/geometry.hpp>
#include <boost/geometry/geometries/point_xy.hpp>
#include <boost/geometry/geometries/polygon.hpp>
#include <tbb/parallel_for.h>

#include <map>
#include <random>

#include "core/io/mesh_file.h"
#include "core/mesh/edges.h"
#include "core/mesh/weld.h"
#include "core/shape/clip.h"
#include "core/shape/mirror.h"
#include "core/shape/plane_cut.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/random_shapes.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

BooleanResult cut(const Mesh& mesh, const PlaneCutSettings& settings) {
  const Result<BooleanResult> result = plane_cut(shared(mesh), "part", settings);
  REQUIRE(result);
  return *result;
}

BooleanResult cut(const Mesh& mesh, const Vec3& point, const Vec3& normal, KeepSide keep, bool cap = true) {
  PlaneCutSettings settings;
  settings.point = point;
  settings.normal = normal;
  settings.keep = keep;
  settings.cap = cap;
  return cut(mesh, settings);
}

Mirrored mirrored(const Mesh& mesh, const Vec3& point, const Vec3& normal, MirrorHow how = MirrorHow::half, double weld = 1e-3) {
  MirrorSettings settings;
  settings.point = point;
  settings.normal = normal;
  settings.how = how;
  settings.weld = weld;
  const Result<Mirrored> result = mirror(shared(mesh), "part", settings);
  REQUIRE(result);
  return *result;
}

/// Walks the edge loop that an edge is part of: at each vertex with four edges to the opposite one.
/// @return the number of edges walked until the start is met again; 0 when the loop ends anywhere
std::size_t loop_length(const Mesh& mesh, Index from, Index to) {
  const EdgeTable edges = build_edges(mesh);
  std::vector<std::vector<Index>> at(mesh.positions.size());
  for (Index e = 0; e < edges.size(); ++e)
    for (Index v : edges.vertices[e]) at[v].push_back(e);
  auto faces_of = [&](Index e) {
    std::vector<Index> faces;
    for (Index c : edges.corners_of(e)) faces.push_back(edges.corner_face[c]);
    return faces;
  };
  const Index start = from;
  for (std::size_t walked = 1; walked < mesh.positions.size() + 2; ++walked) {
    if (to == start) return walked;
    if (at[to].size() != 4) return 0;
    Index here = no_index, next = no_index;
    for (Index e : at[to])
      if (edges.vertices[e][0] == from || edges.vertices[e][1] == from) here = e;
    REQUIRE(here != no_index);
    const auto own = faces_of(here);
    for (Index e : at[to]) {
      const auto others = faces_of(e);
      const bool beside = std::any_of(others.begin(), others.end(), [&](Index f) { return std::find(own.begin(), own.end(), f) != own.end(); });
      if (!beside) next = e;
    }
    if (next == no_index) return 0;
    from = to;
    to = edges.vertices[next][0] == from ? edges.vertices[next][1] : edges.vertices[next][0];
  }
  return 0;
}

}  // namespace

TEST_CASE("a box cut by a plane gives boxes: sizes, one polygon as cap, coordinates exact") {
  const Mesh box = stock("box", {20, 30, 40});
  const BooleanResult below = cut(box, {2.5, 0, 0}, {1, 0, 0}, KeepSide::below);
  CHECK(signed_volume(below.mesh) == 12.5 * 30 * 40);
  CHECK(below.mesh.face_count() == 6);
  CHECK(bounds(below.mesh).hi.x() == 2.5);
  CHECK(judge(in_triangles(below.mesh)).sound());
  const BooleanResult above = cut(box, {2.5, 0, 0}, {1, 0, 0}, KeepSide::above);
  CHECK(signed_volume(above.mesh) == 7.5 * 30 * 40);
  CHECK(bounds(above.mesh).lo.x() == 2.5);
  // Faces that were not cut are those of the box, and the cap says that it was made anew.
  std::size_t made = 0;
  for (std::size_t f = 0; f < below.mesh.face_count(); ++f) made += below.sources.face[f] == no_index;
  CHECK(made == 1);
}

TEST_CASE("keeping both gives two pieces, each closed, that sum to the whole, at any direction") {
  const Mesh torus = stock("torus", {40, 14, 32, 16});
  std::mt19937 random(7);
  std::uniform_real_distribution<double> any(-1, 1);
  for (int i = 0; i < 25; ++i) {
    const Vec3 normal(any(random), any(random), any(random)), point(10 * any(random), 10 * any(random), 3 * any(random));
    CAPTURE(i, normal.transpose(), point.transpose());
    const BooleanResult both = cut(torus, point, normal, KeepSide::both);
    REQUIRE(both.pieces == 2);
    double sum = 0;
    for (Index piece = 0; piece < 2; ++piece) {
      const Mesh one = both.piece_mesh(piece);
      CHECK(judge(in_triangles(one)).sound());
      sum += signed_volume(one);
      // 0 lies above, 1 below.
      const HalfSpace plane(point, normal);
      for (double height : plane.heights(one)) CHECK((piece == 0 ? height > -1e-9 : height < 1e-9));
    }
    CHECK(sum == Approx(signed_volume(torus)).epsilon(1e-12));
    CHECK(signed_volume(cut(torus, point, normal, KeepSide::above).mesh) == Approx(signed_volume(both.piece_mesh(0))).epsilon(1e-12));
  }
}

TEST_CASE("a cylinder cut through its axis at a slant has the section of an ellipse, in one polygon") {
  // Volume below a plane through the middle of a right prism is half of it, whatever the slant (elementary).
  const Mesh cylinder = stock("cylinder", {20, 60, 64});
  for (const double slope : {0.0, 0.2, 0.7}) {
    const BooleanResult below = cut(cylinder, {0, 0, 0}, {slope, 0, 1}, KeepSide::below);
    CHECK(signed_volume(below.mesh) == Approx(polygon_area(64, 10) * 30).epsilon(1e-12));
    CHECK(below.mesh.face_count() == 66);
    std::size_t largest = 0;
    for (std::size_t f = 0; f < below.mesh.face_count(); ++f)
      if (below.sources.face[f] == no_index) largest = std::max(largest, below.mesh.face(f).size());
    CHECK(largest == 64);
  }
}

TEST_CASE("a cut along a flat side takes nothing away and leaves nothing behind") {
  const Mesh box = stock("box", {20, 20, 20});
  for (const double off : {0.0, 1e-12, -1e-12, 1e-7, -1e-7}) {
    CAPTURE(off);
    const BooleanResult below = cut(box, {0, 0, 10 + off}, {0, 0, 1}, KeepSide::below);
    CHECK(below.mesh.positions == box.positions);
    CHECK(below.mesh.corners == box.corners);
    const BooleanResult above = cut(box, {0, 0, 10 + off}, {0, 0, 1}, KeepSide::above);
    CHECK(above.mesh.empty());
    CHECK(above.report.empty_reason.find("below the plane") != std::string::npos);
    CHECK(cut(box, {0, 0, 10 + off}, {0, 0, 1}, KeepSide::both).pieces == 1);
  }
  // A step whose tread lies in the plane: the riser is cut off there, and the tread stays one face with the cap.
  Mesh steps = stock("box", {20, 20, 10});
  const auto two = combine({{shared(steps), "low", Operation::unite, Affine::Identity()},
                            {shared(placed(stock("box", {10, 20, 20}), {-5, 0, 5})), "high", Operation::unite, Affine::Identity()}});
  REQUIRE(two);
  const BooleanResult low = cut(two->mesh, {0, 0, 5}, {0, 0, 1}, KeepSide::below);
  CHECK(signed_volume(low.mesh) == Approx(20 * 20 * 10).epsilon(1e-12));
  CHECK(judge(in_triangles(low.mesh)).sound());
  CHECK(bounds(low.mesh).hi.z() == 5);
}

TEST_CASE("left open, the rim of the cut is the only opening; sheets are cut face by face") {
  const Mesh torus = stock("torus", {40, 14, 32, 16});
  const BooleanResult open = cut(torus, {0, 0, 1}, {0.1, 0.2, 1}, KeepSide::below, false);
  CHECK(open.open_on_purpose);
  const SoundnessReport report = check_soundness(open.mesh);
  CHECK(report.holes() == 2);
  CHECK(report.count(families::crossing_faces) == 0);
  const HalfSpace plane({0, 0, 1}, {0.1, 0.2, 1});
  for (const Defect& hole : report.of(families::open_edges).defects)
    for (const auto& [v, w] : hole.edges) CHECK(std::abs(plane.height(open.mesh.positions[v])) < 1e-9);
  CHECK(cut(torus, {0, 0, 1}, {0.1, 0.2, 1}, KeepSide::both, false).pieces == 2);

  const Mesh sheet = stock("sheet", {60, 40, 6, 4});
  const double slope = 0.3;
  const BooleanResult half = cut(sheet, {5, 0, 0}, {1, slope, 0}, KeepSide::below, false);
  // Left of the line x = 5 − 0.3 y: its mean place is x = 5, so 35 of 60 in width (elementary).
  CHECK(surface_area(half.mesh) == Approx(35 * 40).epsilon(1e-12));
  CHECK(check_soundness(half.mesh).holes() == 1);  // no gap has opened along the cut
  PlaneCutSettings capped;
  capped.normal = {1, 0, 0};
  const auto refused = plane_cut(shared(sheet), "sheet", capped);
  REQUIRE_FALSE(refused);
  CHECK(refused.issue().what.find("bounds nothing") != std::string::npos);
}

TEST_CASE("clipping a concave polygon keeps its area on both sides and shares the new vertices") {
  // A comb: one concave face that the line crosses many times.
  Mesh comb;
  std::vector<Index> ring;
  for (int tooth = 0; tooth < 6; ++tooth)
    for (const auto& [x, y] : {std::pair(0.0, 0.0), std::pair(0.0, 10.0), std::pair(1.0, 10.0), std::pair(1.0, 2.0)})
      ring.push_back(comb.add_vertex({2.0 * tooth + x, tooth == 0 || y > 0 ? y : 2.0, 0}));
  ring.push_back(comb.add_vertex({11, 0, 0}));
  std::reverse(ring.begin(), ring.end());
  comb.add_face(ring);
  const double whole = surface_area(comb);
  const Clipped parts = clip(comb, HalfSpace({0, 5, 0}, {0, 1, 0}), 1e-9);
  CHECK(surface_area(parts.above) == Approx(6 * 5).epsilon(1e-12));
  CHECK(surface_area(parts.above) + surface_area(parts.below) == Approx(whole).epsilon(1e-12));
  CHECK(parts.above.face_count() == 6);
  CHECK(parts.below.face_count() == 1);
  CHECK(parts.above_face == std::vector<Index>(6, 0));
}

TEST_CASE("a box across the mirror plane is doubled: one shell, no wall, twice the half to 1e-12") {
  const Mesh box = stock("box", {20, 30, 40});
  for (const Vec3& normal : {Vec3(1, 0, 0), Vec3(0, -1, 0), Vec3(1, 2, 3), Vec3(0.3, 0, -1)}) {
    CAPTURE(normal.transpose());
    const Vec3 point(1, 2, 3);
    const double half = signed_volume(cut(box, point, normal, KeepSide::below).mesh);
    const Mirrored result = mirrored(box, point, normal);
    CHECK(result.soundness.sound);
    CHECK(result.soundness.shells == 1);
    CHECK(result.soundness.count(families::inner_walls) == 0);
    CHECK(std::abs(signed_volume(result.result.mesh) / (2 * half) - 1) < 1e-12);
    CHECK(judge(in_triangles(result.result.mesh)).sound());
    CHECK(told(result.result.report, "walls_left_out"));
    // Seam vertices exist once: no two vertices at one place.
    CHECK(weld_equal(result.result.mesh.positions).first.size() == result.result.mesh.positions.size());
    // Every vertex has its image.
    const HalfSpace plane(point, normal);
    for (const Vec3& p : result.result.mesh.positions) {
      double nearest = 1e9;
      for (const Vec3& q : result.result.mesh.positions) nearest = std::min(nearest, (plane.reflected(p) - q).norm());
      CHECK(nearest < 1e-12 * 60);
    }
  }
}

TEST_CASE("an edge loop can be walked all around across the seam") {
  // Half a faceted tube wall along x, closed at the mirror plane x = 0, as a grid of quads: a solid bar of 5 × 4 × 3
  // cells whose long edges must run on into the image.
  const Mesh bar = stock("box", {10, 4, 4});
  // Rows of quads around the bar, so that loops along it have vertices of four edges: cut it into slices first.
  Mesh sliced = bar;
  for (const double x : {-3.0, -1.0, 1.0, 3.0}) {
    const auto scored = combine({{shared(sliced), "bar", Operation::unite, Affine::Identity()},
                                 {shared(placed(stock("sheet", {30, 30, 1, 1}), {x, 0, 0}, {0, 90, 0})), "sheet", Operation::score, Affine::Identity()}});
    REQUIRE(scored);
    sliced = scored->mesh;
  }
  // The mirror plane at its end x = 5: the end face is the wall that must go.
  const Mirrored result = mirrored(sliced, {5, 0, 0}, {1, 0, 0});
  CHECK(result.soundness.sound);
  CHECK(signed_volume(result.result.mesh) == Approx(2 * 10 * 4 * 4).epsilon(1e-12));
  REQUIRE(result.result.fresh_edges.size() == 4);  // the seam
  // Around the seam itself: four edges.
  const auto [v, w] = result.result.fresh_edges[0];
  CHECK(loop_length(result.result.mesh, v, w) == 4);
  // No vertex of the seam is doubled, and each has four edges: two of the seam, one to either side.
  const EdgeTable edges = build_edges(result.result.mesh);
  std::map<Index, int> valence;
  for (const auto& edge : edges.vertices)
    for (Index end : edge) ++valence[end];
  for (const auto& edge : result.result.fresh_edges)
    for (Index end : edge) CHECK(valence[end] == 4);
}

TEST_CASE("a half that misses the plane by less than the weld distance is put onto it, by more it stays a shell of its own") {
  const Mesh box = placed(stock("box", {10, 10, 10}), {-5.0005, 0, 0});  // ends at x = −0.0005
  const Mirrored near = mirrored(box, Vec3::Zero(), {1, 0, 0}, MirrorHow::half, 1e-3);
  CHECK(near.soundness.shells == 1);
  CHECK(near.soundness.sound);
  CHECK(told(near.result.report, "put_on_plane"));
  CHECK(signed_volume(near.result.mesh) == Approx(2 * 10 * 10 * 10.0005).epsilon(1e-12));
  const Mirrored apart = mirrored(box, Vec3::Zero(), {1, 0, 0}, MirrorHow::half, 1e-4);
  CHECK(apart.soundness.shells == 2);
  CHECK(apart.soundness.sound);
  CHECK(signed_volume(apart.result.mesh) == Approx(2000).epsilon(1e-12));
}

TEST_CASE("a copy across the plane is united with the part, beside it welded, touching along an edge kept apart") {
  // Across: a box from −5 to 15 and its image from −15 to 5 make one from −15 to 15.
  const Mirrored across = mirrored(placed(stock("box", {20, 10, 10}), {5, 0, 0}), Vec3::Zero(), {1, 0, 0}, MirrorHow::copy);
  CHECK(across.soundness.sound);
  CHECK(signed_volume(across.result.mesh) == Approx(30 * 100).epsilon(1e-12));
  // Beside: from 0 to 20, so −20 to 20 without a wall.
  const Mirrored beside = mirrored(placed(stock("box", {20, 10, 10}), {10, 0, 0}), Vec3::Zero(), {1, 0, 0}, MirrorHow::copy);
  CHECK(beside.soundness.shells == 1);
  CHECK(signed_volume(beside.result.mesh) == Approx(40 * 100).epsilon(1e-12));
  CHECK(beside.result.mesh.face_count() == 10);
  // A prism with one edge in the plane: the images touch along it.
  const Mirrored edge = mirrored(placed(stock("prism", {10, 8, 4}), {5, 0, 0}), Vec3::Zero(), {1, 0, 0}, MirrorHow::copy);
  CHECK(edge.soundness.sound);
  CHECK(edge.soundness.count(families::contact_edges) == 1);
  CHECK(signed_volume(edge.result.mesh) == Approx(2 * polygon_area(4, 5) * 8).epsilon(1e-12));
}

TEST_CASE("mirroring keeps what it can of sheets, and says when nothing is left") {
  const Mesh sheet = stock("sheet", {60, 40, 6, 4});
  const Mirrored doubled = mirrored(sheet, {10, 0, 0}, {1, 0, 0});
  CHECK(surface_area(doubled.result.mesh) == Approx(2 * 40 * 40).epsilon(1e-12));
  CHECK(check_soundness(doubled.result.mesh).holes() == 1);
  const Mirrored nothing = mirrored(stock("box", {10, 10, 10}), {-5, 0, 0}, {1, 0, 0});
  CHECK(nothing.result.mesh.empty());
  CHECK(nothing.result.report.empty_reason.find("turn the plane over") != std::string::npos);
}

TEST_CASE("200 random solids, cut and mirrored at random planes, stay sound for CGAL and keep their volume") {
  // A share of tests/core/shape_fuzz.cpp, side by side: each is small.
  std::vector<std::string> wrong(200);
  tbb::parallel_for(std::size_t{0}, wrong.size(), [&](std::size_t k) { wrong[k] = what_is_wrong_with_shapes(static_cast<unsigned>(k + 1)); });
  for (std::size_t k = 0; k < wrong.size(); ++k) {
    INFO("seed " << k + 1);
    CHECK(wrong[k] == "");
  }
}

namespace {

/// Area of the faces that come from none of the part's, across z: by the sum over their edges (the shoelace formula).
double cap_area(const BooleanResult& result) {
  double area = 0;
  for (std::size_t f = 0; f < result.mesh.face_count(); ++f) {
    if (result.sources.face[f] != no_index) continue;
    const auto ring = result.mesh.face(f);
    double twice = 0;
    for (std::size_t k = 0; k < ring.size(); ++k) {
      const Vec3 &p = result.mesh.positions[ring[k]], &q = result.mesh.positions[ring[(k + 1) % ring.size()]];
      twice += p.x() * q.y() - q.x() * p.y();
    }
    area += std::abs(twice) / 2;
  }
  return area;
}

}  // namespace

TEST_CASE("the section of a cut has the area that Boost.Geometry finds for the sliced outline") {
  // The cap of a cut across z is the polygon of the slice; Boost.Geometry knows nothing of our meshes.
  namespace bg = boost::geometry;
  using Point = bg::model::d2::point_xy<double>;
  using Polygon = bg::model::polygon<Point, false>;
  const Mesh star = stock("star-prism", {40, 20, 30, 7});
  const Mesh torus = stock("torus", {40, 14, 48, 24});
  for (const double z : {-3.0, 0.5, 2.0}) {
    Polygon outline;
    for (Index v : star.face(14)) bg::append(outline.outer(), Point(star.positions[v].x(), star.positions[v].y()));
    bg::correct(outline);
    const BooleanResult cut_star = cut(star, {0, 0, z}, {0, 0, 1}, KeepSide::below);
    CHECK(cap_area(cut_star) == Approx(bg::area(outline)).epsilon(1e-12));
    // A ring: the outer outline less the inner one.
    const BooleanResult cut_torus = cut(torus, {0, 0, z}, {0, 0, 1}, KeepSide::below);
    Polygon outer, inner;
    std::vector<std::pair<double, Point>> points;
    for (const Vec3& p : cut_torus.mesh.positions)
      if (std::abs(p.z() - z) < 1e-9) points.emplace_back(std::atan2(p.y(), p.x()), Point(p.x(), p.y()));
    std::sort(points.begin(), points.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    for (const auto& [angle, p] : points) bg::append((std::hypot(p.x(), p.y()) > 20 ? outer : inner).outer(), p);
    bg::correct(outer);
    bg::correct(inner);
    CHECK(cap_area(cut_torus) == Approx(bg::area(outer) - bg::area(inner)).epsilon(1e-9));
  }
}

TEST_CASE("cuts and mirrors one after the other come back to what they began with") {
  // A symmetric body, cut in half and mirrored along each axis in turn, is itself again (elementary).
  for (const Mesh& body : {stock("torus", {40, 14, 32, 16}), stock("box", {20, 30, 40}), stock("cylinder", {20, 40, 32}), stock("icosphere", {30, 3})}) {
    Mesh now = body;
    for (int axis = 0; axis < 3; ++axis) {
      const Mirrored result = mirrored(now, Vec3::Zero(), Vec3::Unit(axis), MirrorHow::half, 0);
      REQUIRE(result.soundness.sound);
      now = result.result.mesh;
      CHECK(signed_volume(now) == Approx(signed_volume(body)).epsilon(1e-9));
      CHECK(bounds(now).lo.isApprox(bounds(body).lo, 1e-9));
    }
    CHECK(judge(in_triangles(now)).shells == 1);
  }
  // A box cut n times by planes through one edge of its middle falls into wedges that sum to it.
  const Mesh box = stock("box", {20, 20, 10});
  double sum = 0;
  for (int k = 0; k < 6; ++k) {
    const double a = k * std::numbers::pi / 3, b = (k + 1) * std::numbers::pi / 3;
    const BooleanResult first = cut(box, Vec3::Zero(), {-std::sin(a), std::cos(a), 0}, KeepSide::above);
    sum += signed_volume(cut(first.mesh, Vec3::Zero(), {-std::sin(b), std::cos(b), 0}, KeepSide::below).mesh);
  }
  CHECK(sum == Approx(20 * 20 * 10).epsilon(1e-12));
}

TEST_CASE("the demo's own parts are cut and mirrored soundly") {
  for (const char* name : {"gauge-board.off"}) {
    const auto board = read_mesh(std::filesystem::path(DEMO_DATA) / name);
    REQUIRE(board);
    for (const Vec3& normal : {Vec3(0, 1, 0), Vec3(0, 1, 0.25), Vec3(1, 0.1, 0), Vec3(0, 0, 1)}) {
      CAPTURE(normal.transpose());
      const BooleanResult both = cut(board->mesh, bounds(board->mesh).centre(), normal, KeepSide::both);
      REQUIRE(both.pieces == 2);
      double sum = 0;
      for (Index k = 0; k < 2; ++k) {
        CHECK(judge(in_triangles(both.piece_mesh(k))).sound());
        sum += signed_volume(both.piece_mesh(k));
      }
      CHECK(sum == Approx(signed_volume(board->mesh)).epsilon(1e-12));
      const Mirrored doubled = mirrored(board->mesh, bounds(board->mesh).centre(), normal);
      CHECK(doubled.soundness.sound);
      CHECK(judge(in_triangles(doubled.result.mesh)).sound());
    }
  }
  // The float housing is damaged: what can be cut of it is, and the rest says why not.
  const auto housing = read_mesh(std::filesystem::path(DEMO_DATA) / "float-housing.obj");
  REQUIRE(housing);
  const auto result = plane_cut(shared(housing->mesh), "housing", {{0, 0, 40}, {0, 0, 1}, KeepSide::below});
  REQUIRE(result);
  CHECK(check_soundness(result->mesh).sound);
  CHECK(bounds(result->mesh).hi.z() == 40);
  CHECK(told(result->report, "holes_closed"));
}
