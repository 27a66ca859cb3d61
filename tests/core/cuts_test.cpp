// SPDX-License-Identifier: GPL-3.0-or-later
// Ramps, pushes, stencils, rows and letters against closed formulas, and a share of the long random runs.
#include <catch2/catch.hpp>

#include "core/lettering.h"
#include "core/mesh/edge_rule.h"
#include "core/shape/array.h"
#include "core/shape/curtain.h"
#include "core/shape/path_cut.h"
#include "core/shape/push.h"
#include "core/shape/ramp.h"
#include "core/shape/scatter.h"
#include "core/shape/stencil.h"
#include "core/soundness/check.h"
#include "core/turn.h"
#include "tests/support/meshes.h"
#include "tests/support/random_cuts.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Workpiece part_of(const Mesh& mesh) { return {shared(mesh), "part", true, nullptr}; }
double volume(const BooleanResult& result) { return signed_volume(result.mesh); }

}  // namespace

TEST_CASE("ramps: a corner's wedge goes, a concave one is filled, one stands on a face, a twisted one says so") {
  const Mesh box = stock("box", {40, 30, 20});
  const EdgeTable edges = build_edges(box);
  Index top = no_index;
  for (Index e = 0; e < edges.size(); ++e)
    if (((box.positions[edges.vertices[e][0]] + box.positions[edges.vertices[e][1]]) / 2 - Vec3(20, 0, 10)).norm() < 1e-9) top = e;
  REQUIRE(top != no_index);
  const Result<StraightEdge> edge = straight_edge(box, edges, std::vector<Index>{top});
  REQUIRE(edge);
  CHECK(edge->convex);
  RampSettings settings;
  settings.first = 6, settings.second = 3;
  CHECK(volume(*ramp_cut(part_of(box), *edge, settings)) == Approx(40 * 30 * 20 - 30 * 9).epsilon(1e-9));
  CHECK(ramp_wedge(*edge, settings, bounds(box))->is_flat);
  settings.add = true;
  settings.runs_out = false;
  CHECK(volume(*ramp_cut(part_of(box), *edge, settings)) == Approx(40 * 30 * 20 + 30 * 9).epsilon(1e-9));
  settings.add = false;
  settings.tapered = true;
  settings.first_end = 2, settings.second_end = 5;
  CHECK_FALSE(ramp_wedge(*edge, settings, bounds(box))->is_flat);
  settings.first_end = 0, settings.second_end = 0;
  // A pyramid on the triangle.
  CHECK(volume(*ramp_cut(part_of(box), *edge, settings)) == Approx(40 * 30 * 20 - 30 * 9 / 3.0).epsilon(1e-9));
  CHECK_FALSE(straight_edge(box, edges, std::vector<Index>{0, 5, 9}).ok());
}

TEST_CASE("a pushed region takes its prism away, flush with the other side it leaves an opening and nothing thin") {
  const Mesh split = combine({{shared(stock("box", {40, 40, 10})), "plate", Operation::unite}, {shared(stock("prism", {16, 40, 6})), "line", Operation::score}})->mesh;
  PushSettings settings;
  for (Index f = 0; f < split.face_count(); ++f)
    if (split.face(f).size() == 6 && newell_normal(split.positions, split.face(f)).z() > 0) settings.faces.push_back(f);
  REQUIRE(settings.faces.size() == 1);
  const double area = polygon_area(6, 8);
  settings.direction = mean_direction(split, settings.faces);
  settings.depth = 4;
  CHECK(volume(*push(part_of(split), settings)) == Approx(16000 - 4 * area).epsilon(1e-9));
  settings.depth = -3;
  CHECK(volume(*push(part_of(split), settings)) == Approx(16000 + 3 * area).epsilon(1e-9));
  for (const bool through : {false, true}) {
    settings.depth = 10;
    settings.through = through;
    const auto result = push(part_of(split), settings);
    REQUIRE(result);
    CHECK(volume(*result) == Approx(16000 - 10 * area).epsilon(1e-9));
    CHECK(check_soundness(result->mesh).genus == 1);
    CHECK_FALSE(result->fresh_edges.empty());
  }
  settings.direction = Vec3::UnitX();
  CHECK_FALSE(push(part_of(split), settings).ok());
}

TEST_CASE("faces that each go their own way keep their planes: a body with all of them pulled out is the body its planes enclose") {
  // A prism over a regular polygon by its apothem and height; a tetrahedron by its inscribed radius, as whose cube it grows (elementary).
  constexpr double out = 0.7;
  for (const double sides : {3.0, 5.0, 6.0, 9.0}) {
    const Mesh prism = stock("prism", {8, 20, sides});
    PushSettings settings;
    for (Index f = 0; f < prism.face_count(); ++f) settings.faces.push_back(f);
    settings.depth = -out;
    const double apothem = 4 * std::cos(pi / sides) + out, area = sides * apothem * apothem * std::tan(pi / sides);
    CHECK(volume(*push(part_of(prism), settings)) == Approx(area * (20 + 2 * out)).epsilon(1e-9));
    settings.depth = out;
    const double inner = apothem - 2 * out;
    CHECK(volume(*push(part_of(prism), settings)) == Approx(sides * inner * inner * std::tan(pi / sides) * (20 - 2 * out)).epsilon(1e-9));
  }
  const Mesh tetrahedron = *make_mesh({find_stock("polyhedron"), {std::string("tetrahedron"), 10.0}});
  PushSettings settings{{0, 1, 2, 3}, -out};
  const double radius = 10 * std::sqrt(6.0) / 12;
  CHECK(volume(*push(part_of(tetrahedron), settings)) == Approx(1000 / (6 * std::sqrt(2.0)) * std::pow((radius + out) / radius, 3)).epsilon(1e-9));
}

TEST_CASE("arrays have the volume of so many, rings too; copies that touch are one") {
  const Mesh block = cube(2);
  CHECK(signed_volume(repeat(part_of(block), grid_places({4, 3, 2}, {3, 3, 3}), {})->mesh) == Approx(24 * 8).epsilon(1e-12));
  CHECK(signed_volume(repeat(part_of(block), grid_places({4, 1, 1}, {2, 0, 0}), {})->mesh) == Approx(32).epsilon(1e-12));
  CHECK(check_soundness(repeat(part_of(block), grid_places({4, 1, 1}, {2, 0, 0}), {})->mesh).shells == 1);
  CHECK(signed_volume(repeat(part_of(block), ring_places({10, 0, 0}, {0, 0, 1}, 7, 360), {})->mesh) == Approx(56).epsilon(1e-9));
  CHECK(ring_places({0, 0, 0}, {0, 0, 1}, 3, 180).back().matrix().isApprox(turn_about({0, 0, 0}, {0, 0, 1}, 180).matrix()));
}

TEST_CASE("places along a chain keep their distance, and begin and end with it") {
  Mesh mesh;
  std::vector<std::array<Index, 2>> edges;
  for (Index k = 0; k < 5; ++k) mesh.add_vertex({10.0 * k, 0, 0});
  for (Index k = 0; k < 4; ++k) edges.push_back({k, k + 1});
  const std::vector<Vec3> up(5, Vec3::UnitZ());
  ChainSettings settings;
  settings.distance = 8;
  const auto places = chain_places(mesh, edges, up, settings);
  REQUIRE(places.size() == 6);
  CHECK(places[3].translation() == Vec3(24, 0, 0));
  settings.count = 5;
  CHECK(chain_places(mesh, edges, up, settings).back().translation() == Vec3(40, 0, 0));
  edges.push_back({4, 0});
  CHECK(chain_places(mesh, edges, up, settings).size() == 5);
}

TEST_CASE("scattered places lie on the faces, keep their distance, and come again by their seed") {
  const Mesh box = stock("box", {40, 30, 20});
  ScatterSettings settings;
  settings.count = 0;
  settings.distance = 3;
  const std::vector<Affine> places = scatter_places(box, {}, settings);
  CHECK(places.size() > 300);
  for (std::size_t a = 0; a < places.size(); ++a) {
    const Vec3 p = places[a].translation().cwiseAbs();
    CHECK(std::min({20 - p.x(), 15 - p.y(), 10 - p.z()}) == Approx(0).margin(1e-9));
    for (std::size_t b = a + 1; b < places.size(); ++b)
      if ((places[a].translation() - places[b].translation()).norm() < 3) FAIL("too near");
  }
  CHECK(scatter_places(box, {}, settings).back().matrix() == places.back().matrix());
  settings.seed = 2;
  CHECK(scatter_places(box, {}, settings).back().matrix() != places.back().matrix());
  settings.count = 5000;
  std::size_t left_out = 0;
  CHECK(scatter_places(box, {}, settings, &left_out).size() + left_out == 5000);
  settings.distance = 0;
  settings.share = 0.5;
  CHECK(scatter_places(box, {}, settings).size() == Approx(2500).margin(150));
}

TEST_CASE("lettering has the area of its outlines times its depth, engraved and raised") {
  LetterSettings letters;
  letters.size = 10;
  const auto loops = letter_loops("B8 %\nKestrel", letters);
  REQUIRE(loops);
  StencilSettings settings;
  settings.loops = *loops;
  // The area by Green's theorem: inner loops run the other way in the font.
  double area = 0;
  for (const Loop2& loop : *loops)
    for (std::size_t k = 0; k < loop.size(); ++k) {
      const Vec2 &a = loop[k], &b = loop[(k + 1) % loop.size()];
      area += (a.x() * b.y() - a.y() * b.x()) / 2;
    }
  area = std::abs(area);
  settings.frame = frame_seen({0, 0, 10}, {0, 0, 1}, {1, 0, 0});
  settings.from = 0, settings.to = 2;
  const Mesh plate = stock("box", {80, 60, 20});
  const auto engraved = stencil_cut(part_of(plate), settings);
  REQUIRE(engraved);
  CHECK(judge(in_triangles(engraved->mesh)).sound());
  CHECK(volume(*engraved) == Approx(80 * 60 * 20 - 2 * area).epsilon(1e-9));
  settings.from = -1.5, settings.to = 0;
  settings.operation = Operation::unite;
  CHECK(volume(*stencil_cut(part_of(plate), settings)) == Approx(80 * 60 * 20 + 1.5 * area).epsilon(1e-9));
  CHECK_FALSE(letter_loops("x", {"No Such Font"}).ok());
  CHECK_FALSE(letter_loops("\xff", letters).ok());
  CHECK_FALSE(letter_loops("  ", letters).ok());
  CHECK_FALSE(letter_loops("\xf0\x93\x80\x80", letters).ok());  // a hieroglyph
}

TEST_CASE("an outline drawn to and fro encloses nothing, and says so") {
  StencilSettings settings;
  settings.loops = {{{-8, 0}, {8, 0}, {3, 1e-9}, {-2, -1e-9}}};
  settings.frame = frame_seen({0, 0, 10}, {0, 0, 1}, {1, 0, 0});
  const auto result = stencil_cut(part_of(cube(10)), settings);
  REQUIRE_FALSE(result.ok());
  CHECK(result.issue().what == "the outline encloses nothing");
}

TEST_CASE("a cut that lies beside the part says so") {
  StencilSettings settings;
  settings.loops = {{{90, 90}, {95, 90}, {95, 95}}};
  settings.frame = frame_seen({0, 0, 10}, {0, 0, 1}, {1, 0, 0});
  const auto result = stencil_cut(part_of(cube(10)), settings);
  REQUIRE(result);
  REQUIRE(result->report.done.size() >= 1);
  CHECK(result->report.done.back().what() == "cut_misses");
  CHECK(volume(*result) == Approx(1000));
}

TEST_CASE("a stencil seen in perspective cuts a pyramid of sight") {
  StencilSettings settings;
  settings.loops = {{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}};
  settings.frame = frame_seen({0, 0, 10}, {0, 0, 1}, {1, 0, 0});
  settings.eye = 30;
  // From the plane down by 20 the square grows by 50/30.
  const double k = 50.0 / 30;
  CHECK(volume(*stencil_cut(part_of(stock("box", {40, 40, 20})), settings)) == Approx(32000 - 20.0 / 3 * 4 * (1 + k + k * k)).epsilon(1e-9));
}

TEST_CASE("a path becomes edges, or a cut: left of it, right of it, within it, both sides as pieces") {
  const Mesh plate = stock("box", {40, 40, 10});
  PathCutSettings settings;
  settings.path.points = {{-20, 0, 5}, {0, 10, 5}, {20, 0, 5}};
  const auto drawn = path_cut(part_of(plate), settings);
  REQUIRE(drawn);
  CHECK(volume(*drawn) == Approx(16000));
  CHECK(drawn->fresh_edges.size() >= 2);
  CHECK(judge(in_triangles(drawn->mesh)).sound());
  // Above the path lies half the plate less a triangle of 40 × 10.
  settings.what = PathCutSettings::What::left_goes;
  CHECK(volume(*path_cut(part_of(plate), settings)) == Approx((800 + 200) * 10.0).epsilon(1e-9));
  settings.what = PathCutSettings::What::right_goes;
  CHECK(volume(*path_cut(part_of(plate), settings)) == Approx((800 - 200) * 10.0).epsilon(1e-9));
  settings.what = PathCutSettings::What::both;
  const auto both = path_cut(part_of(plate), settings);
  CHECK(both->pieces == 2);
  CHECK(volume(*both) == Approx(16000).epsilon(1e-9));
  settings.path = {{{-5, -5, 5}, {5, -5, 5}, {5, 5, 5}, {-5, 5, 5}}, true};
  settings.what = PathCutSettings::What::left_goes;
  CHECK(volume(*path_cut(part_of(plate), settings)) == Approx(16000 - 1000).epsilon(1e-9));
  settings.through = false;
  settings.depth = 3;
  CHECK(volume(*path_cut(part_of(plate), settings)) == Approx(16000 - 300).epsilon(1e-9));
  settings.what = PathCutSettings::What::right_goes;
  CHECK(volume(*path_cut(part_of(plate), settings)) == Approx(1000).epsilon(1e-9));
  settings.path = {{{0, 0, 5}}, false};
  CHECK_FALSE(path_cut(part_of(plate), settings).ok());
}

TEST_CASE("where a pushed region comes out is told: all of it at once, sooner on one side, or behind a hollow") {
  const Mesh block = stock("box", {30, 20, 10});
  const auto face_that_looks = [](const Mesh& mesh, const Vec3& way) {
    Index best = 0;
    for (Index f = 0; f < mesh.face_count(); ++f)
      if (newell_normal(mesh.positions, mesh.face(f)).normalized().dot(way) > newell_normal(mesh.positions, mesh.face(best)).normalized().dot(way)) best = f;
    return best;
  };
  PushSettings settings;
  settings.faces = {face_that_looks(block, Vec3::UnitZ())};
  settings.direction = {0, 0, -1};
  auto exits = push_exits(block, settings);
  REQUIRE(exits.size() == 1);
  CHECK(exits[0].corners.size() == 4);
  CHECK(exits[0].nearest == Approx(10).epsilon(1e-6));
  CHECK(exits[0].farthest == Approx(10).epsilon(1e-6));
  // Leaning: two of its corners leave through the side at once.
  settings.direction = Vec3(1, 0, -1);
  exits = push_exits(block, settings);
  REQUIRE(exits.size() == 1);
  CHECK(exits[0].nearest < 1e-2);
  CHECK(exits[0].farthest == Approx(10 * std::sqrt(2)).epsilon(1e-4));
  // A hollow within: there it comes out first.
  const auto hollow = combine(std::vector<Operand>{{shared(block), "block"}, {shared(stock("box", {40, 30, 2})), "slot", Operation::difference, Affine(Eigen::Translation3d(0, 0, 1))}});
  REQUIRE(hollow);
  settings.direction = {0, 0, -1};
  settings.faces.clear();
  for (Index f = 0; f < hollow->mesh.face_count(); ++f)
    if (newell_normal(hollow->mesh.positions, hollow->mesh.face(f)).z() > 1 && hollow->mesh.positions[hollow->mesh.face(f)[0]].z() > 4.9) settings.faces.push_back(f);
  REQUIRE(settings.faces.size() == 1);
  exits = push_exits(hollow->mesh, settings);
  REQUIRE(exits.size() == 1);
  CHECK(exits[0].farthest == Approx(3).epsilon(1e-6));
  // A whole closed surface comes out nowhere.
  settings.faces.clear();
  for (Index f = 0; f < block.face_count(); ++f) settings.faces.push_back(f);
  CHECK(push_exits(block, settings).empty());
}

TEST_CASE("thrown lines are edges where they fall, on the first faces or on all, and change nothing else") {
  const Mesh plate = stock("box", {40, 40, 10});
  const auto edges_at = [](const BooleanResult& result, double z) {
    return std::count_if(result.fresh_edges.begin(), result.fresh_edges.end(), [&](const auto& e) { return std::abs(result.mesh.positions[e[0]].z() - z) < 1e-6 && std::abs(result.mesh.positions[e[1]].z() - z) < 1e-6; });
  };
  const auto grid = grid_lines(bounds(plate), {0, 0, 5}, {0, 0, 1}, 10, 0);
  REQUIRE(grid);
  for (const bool through : {true, false}) {
    const auto result = throw_lines(part_of(plate), *grid, {{0, 0, -1}, through});
    REQUIRE(result);
    CHECK(volume(*result) == Approx(16000));
    CHECK(judge(in_triangles(result->mesh)).sound());
    CHECK(edges_at(*result, 5) >= 2 * 3 * 4);  // three lines each way, each in four pieces
    CHECK((edges_at(*result, -5) > 0) == through);
    // Sixteen squares on top.
    const auto squares = [&] {
      std::size_t count = 0;
      for (Index f = 0; f < result->mesh.face_count(); ++f) count += newell_normal(result->mesh.positions, result->mesh.face(f)).z() > 199;
      return count;
    };
    CHECK(squares() == 16);
  }
  CHECK_FALSE(grid_lines(bounds(plate), {0, 0, 5}, {0, 0, 1}, 0.01, 0).ok());
  // A step right under a line: it falls on the first face on each side of it, and nowhere on the wall; and on a chosen face alone, with whatever lies before it.
  const auto stepped = combine(std::vector<Operand>{{shared(stock("box", {40, 40, 10})), "plate"}, {shared(placed(stock("box", {20, 50, 20}), {-13.3, 0, 10})), "step", Operation::difference}});
  REQUIRE(stepped);
  const std::vector<LinePiece> line{{Vec3(-30, 3, 0), Vec3(30, 3, 0)}};
  const auto on_first = throw_lines(part_of(stepped->mesh), line, {{0, 0, -1}, false});
  REQUIRE(on_first);
  CHECK(on_first->fresh_edges.size() == 2);
  CHECK(edges_at(*on_first, 0) == 1);
  CHECK(edges_at(*on_first, 5) == 1);
  Index under = no_index;
  for (Index f = 0; f < stepped->mesh.face_count(); ++f)
    if (newell_normal(stepped->mesh.positions, stepped->mesh.face(f)).z() < -100) under = f;
  REQUIRE(under != no_index);
  const auto on_chosen = throw_lines(part_of(stepped->mesh), line, {{0, 0, -1}, true, {under}});
  REQUIRE(on_chosen);
  CHECK(on_chosen->fresh_edges.size() == 1);
  CHECK(edges_at(*on_chosen, -5) == 1);
  CHECK_FALSE(throw_lines(part_of(stepped->mesh), line, {{0, 0, -1}, false, {under}}).ok());
  // Both rims of a bar sweep over one sheet.
  const auto rims = throw_lines(part_of(plate), edge_lines(stock("cylinder", {20, 6, 48}), Affine::Identity(), 20), {{0, 0, -1}, true});
  REQUIRE(rims);
  CHECK(edges_at(*rims, 5) == 48);
  CHECK(edges_at(*rims, -5) == 48);
}

TEST_CASE("ISO thread: pitch and minor diameter stand on the mesh, the volume is that of its section led around") {
  // d2 = d − 0.649519 P, d1 = d − 1.082532 P (ISO 68-1, from memory).
  const StockKind* kind = find_stock("thread");
  Primitive thread = Primitive::of("thread");
  thread.values[*field_place(kind->fields, "sides")] = 128.0;
  const Mesh mesh = *make_mesh(thread);
  CHECK(judge(in_triangles(mesh)).sound());
  double minor = 1e9, major = 0;
  for (const Vec3& p : mesh.positions) minor = std::min(minor, 2 * p.head<2>().norm()), major = std::max(major, 2 * p.head<2>().norm());
  CHECK(major == Approx(10).epsilon(1e-9));
  CHECK(minor == Approx(10 - 1.082532 * 1.5).epsilon(1e-6));
  // Where ridge and groove are equally wide: the flanks of one section, at angle 0, pass the pitch diameter half a pitch apart.
  std::vector<std::pair<double, double>> section;
  for (const Vec3& p : mesh.positions)
    if (p.y() == 0 && p.x() > 0) section.emplace_back(p.z(), 2 * p.x());
  std::sort(section.begin(), section.end());
  const double pitch_diameter = 10 - 0.649519 * 1.5;
  std::vector<double> passes;
  for (std::size_t k = 1; k < section.size(); ++k) {
    const auto& [z, d] = section[k - 1];
    const auto& [w, e] = section[k];
    if ((d - pitch_diameter) * (e - pitch_diameter) < 0) passes.push_back(z + (w - z) * (pitch_diameter - d) / (e - d));
  }
  REQUIRE(passes.size() > 20);
  for (std::size_t k = 2; k + 2 < passes.size(); ++k) CHECK(passes[k + 1] - passes[k] == Approx(0.75).epsilon(1e-5));
  // The left hand, and sizes by name.
  thread.values[*field_place(kind->fields, "hand")] = std::string("left");
  CHECK(signed_volume(*make_mesh(thread)) == Approx(signed_volume(mesh)).epsilon(1e-12));
  thread.values[*field_place(kind->fields, "size")] = std::string("M6");
  thread.values[*field_place(kind->fields, "run-out")] = 2.0;
  const Mesh small = *make_mesh(thread);
  CHECK(judge(in_triangles(small)).sound());
  CHECK(bounds(small).hi.z() == Approx(15));
}

TEST_CASE("polyhedra have the volumes of their edges, outlines those of their areas and of Guldin's rule") {
  // Bronshtein, Handbook of Mathematics (from memory).
  const double a = 3;
  for (const auto& [shape, expected] : std::vector<std::pair<std::string, double>>{{"tetrahedron", a * a * a / (6 * std::sqrt(2))},
                                                                                   {"octahedron", std::sqrt(2) * a * a * a / 3},
                                                                                   {"dodecahedron", (15 + 7 * std::sqrt(5)) * a * a * a / 4},
                                                                                   {"icosahedron", 5 * (3 + std::sqrt(5)) * a * a * a / 12},
                                                                                   {"cuboctahedron", 5 * std::sqrt(2) * a * a * a / 3}}) {
    INFO(shape);
    const Mesh mesh = *make_mesh({find_stock("polyhedron"), {shape, a}});
    CHECK(signed_volume(mesh) == Approx(expected).epsilon(1e-12));
    CHECK(judge(in_triangles(mesh)).sound());
  }
  const auto outline = [](const std::string& text, const std::string& how, double sides) {
    Primitive p = Primitive::of("outline");
    const auto set = [&](const char* key, FieldValue value) { p.values[*field_place(p.kind->fields, key)] = std::move(value); };
    set("outline", text), set("how", how), set("sides", sides), set("flatness", 1e-5);
    return *make_mesh(p);
  };
  const Mesh ring = outline("0,0 20,0 20,10 0,10; 5,3 5,7 15,7 15,3", "extruded", 64);
  CHECK(signed_volume(ring) == Approx((200 - 40) * 10.0));
  CHECK(check_soundness(ring).genus == 1);
  // A disc of radius 2 at a distance of 8 (Pappus), second order in the sides.
  const Mesh torus = outline("6,0~2 10,0~2", "turned", 512);
  CHECK(signed_volume(torus) == Approx(2 * pi * pi * 8 * 4).epsilon(1e-4));
  CHECK(judge(in_triangles(torus)).sound());
  CHECK(judge(in_triangles(outline("0,0 6,0 0,9", "turned", 24))).sound());
  CHECK(signed_volume(outline("0,0 6,0 0,9", "turned", 24)) == Approx(polygon_area(24, 6) * 9 / 3));
  CHECK(judge(in_triangles(*make_mesh(Primitive::of("helix")))).sound());
}

TEST_CASE("outlines and paths are written as they are read, and what cannot be read says where") {
  const auto outline = parse_outline("0,0 40,0~6.5 40,20 0,20; 1,1~-2 3,3");
  REQUIRE(outline);
  CHECK(to_text(*outline) == "0,0 40,0~6.5 40,20 0,20; 1,1~-2 3,3");
  for (const char* bad : {"", "0,0 1,1", "0,0 1,0 x,y", "0,0 0,0 1,1 2,0", "0,0 1,0 1,1;", "1e9,0 0,0 1,1", "0,0 1,0 nan,1"}) {
    INFO(bad);
    CHECK_FALSE(parse_outline(bad).ok());
  }
  const auto path = parse_path("0,0,0 1,2,3 4,5,6 closed");
  REQUIRE(path);
  CHECK(path->closed);
  CHECK(to_text(*path) == "0,0,0 1,2,3 4,5,6 closed");
  CHECK_FALSE(parse_path("0,0").ok());
  // A half circle of radius 5: corners lie on it, pieces nowhere farther from it than asked.
  const Loop2 half = flattened({{{{0, 0}, 5}, {{10, 0}, 0}}}, 0.01)[0];
  for (const Vec2& p : half) CHECK((p - Vec2(5, 0)).norm() == Approx(5));
  for (std::size_t k = 0; k + 1 < half.size(); ++k) CHECK(5 - ((half[k] + half[k + 1]) / 2 - Vec2(5, 0)).norm() < 0.0101);
  CHECK(half[1].y() < 0);  // to the right of the way
}

TEST_CASE("what crossing loops wind around has their area, and holes of holes are filled again") {
  const auto square = [](double half, bool back = false) {
    Loop2 loop{{-half, -half}, {half, -half}, {half, half}, {-half, half}};
    if (back) std::reverse(loop.begin(), loop.end());
    return loop;
  };
  CHECK(planar_region({square(5), square(3), square(1)}, anvil::Inside::odd).area() == Approx(100 - 36 + 4));
  CHECK(planar_region({square(5), square(3)}, anvil::Inside::wound).area() == Approx(100));
  CHECK(planar_region({square(5), square(3, true)}, anvil::Inside::wound).area() == Approx(64));
  // A bow tie: both eyes.
  CHECK(planar_region({{{0, 0}, {4, 4}, {4, 0}, {0, 4}}}, anvil::Inside::wound).area() == Approx(8));
  CHECK(planar_region({{{0, 0}, {4, 4}, {2, 2}}}, anvil::Inside::wound).empty());
  CHECK(judge(in_triangles(prism(planar_region({square(5), square(3)}, anvil::Inside::odd), {}, -1, 2))).sound());
}

TEST_CASE("random ramps, pushes, stencils and thrown lines on forty bodies are sound, and change what they must") {
  // A share of build/release/tests/cut_fuzz.
  for (const auto& [name, wrong, cases] : {std::tuple("ramp", &what_is_wrong_with_ramp, 50u), std::tuple("push", &what_is_wrong_with_push, 50u),
                                           std::tuple("stencil", &what_is_wrong_with_stencil, 12u), std::tuple("thrown", &what_is_wrong_with_thrown, 50u)})
    for (unsigned seed = 1; seed < cases; ++seed) {
      INFO(name << " seed " << seed);
      CHECK(wrong(seed) == "");
    }
}
