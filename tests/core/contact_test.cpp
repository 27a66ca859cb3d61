// SPDX-License-Identifier: GPL-3.0-or-later
// Flush faces, equal radii and exact touching: no skin, no sliver, and exactly the faces that must be there.
// (Common practice: tools end flush with their part, halves are mirrored and joined, files are stored in float.)
#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <numbers>

#include "core/boolean/combine.h"
#include "core/io/mesh_file.h"
#include "core/soundness/check.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "job/recipe_runner.h"
#include "tests/support/dice.h"
#include "tests/support/meshes.h"
#include "tests/support/random_chains.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

BooleanResult of(const Mesh& a, Operation operation, const Mesh& b, std::optional<double> contact = {}) {
  const auto result = combine({{shared(a), "A"}, {shared(b), "B", operation}}, {}, {contact, nullptr});
  REQUIRE(result);
  CHECK(judge(result->mesh).sound());
  CHECK(check_soundness(result->mesh).sound);
  if (contact != 0) CHECK(thinnest_shell(result->mesh) > contact_share * bounds(result->mesh).diagonal());
  return *result;
}

/// The shortest height of any triangle: a sliver would be far below the size of the parts.
double thinnest(const Mesh& mesh) {
  double least = 1e300;
  for (const Triangle& t : triangulate(mesh).triangles) {
    const Vec3 a = mesh.positions[t[0]], b = mesh.positions[t[1]], c = mesh.positions[t[2]];
    const double twice = (b - a).cross(c - a).norm();
    least = std::min(least, twice / std::max({(b - a).norm(), (c - b).norm(), (a - c).norm()}));
  }
  return least;
}

/// Turned by steps about odd axes.
Affine turned(int steps) {
  return Placement{{3, -2, 5}, {30.0 * steps, 17.0 * steps, 7.0 * steps}, Vec3::Ones()}.matrix();
}
Mesh moved(Mesh mesh, const Affine& by) {
  for (Vec3& p : mesh.positions) p = by * p;
  return mesh;
}

}  // namespace

TEST_CASE("a plate with a pocket flush with its top") {
  for (int steps = 0; steps < 12; ++steps) {
    const Mesh plate = moved(stock("box", {40, 30, 6}), turned(steps));
    const Mesh pocket = moved(placed(stock("box", {20, 10, 3}), {2, 1, 1.5}), turned(steps));
    const auto result = of(plate, Operation::difference, pocket);
    CHECK(signed_volume(result.mesh) == Approx(40 * 30 * 6 - 20 * 10 * 3).epsilon(1e-9));
    // Five faces untouched, a rim of two simple polygons, four walls and a floor.
    CHECK(result.mesh.face_count() == 5 + 2 + 4 + 1);
    CHECK(thinnest(result.mesh) > 0.1);
  }
}

TEST_CASE("a cylinder coaxial with an equal cylinder") {
  for (int steps = 0; steps < 6; ++steps) {
    const Mesh one = moved(stock("cylinder", {10, 20, 32}), turned(steps));
    const Mesh other = moved(placed(stock("cylinder", {10, 20, 32}), {0, 0, 8}), turned(steps));
    const auto joined = of(one, Operation::unite, other);
    CHECK(signed_volume(joined.mesh) == Approx(28 * polygon_area(32, 5)).epsilon(1e-9));
    CHECK(joined.mesh.face_count() == 2 * 32 + 2);  // two rings of walls, since they come from two parts, and caps
    const auto cut = of(one, Operation::difference, other);
    CHECK(signed_volume(cut.mesh) == Approx(8 * polygon_area(32, 5)).epsilon(1e-9));
    CHECK(cut.mesh.face_count() == 32 + 2);
    CHECK(thinnest(cut.mesh) > 0.05);
  }
}

TEST_CASE("two boxes turned together by any angle and joined at a common face") {
  for (int steps = 0; steps < 24; ++steps) {
    const Affine by = Placement{{1, 2, 3}, {13.0 * steps, 29.0 * steps, 5.0 * steps}, Vec3::Ones()}.matrix();
    const Mesh one = moved(stock("box", {10, 20, 30}), by);
    const Mesh other = moved(placed(stock("box", {6, 20, 30}), {8, 0, 0}), by);
    const auto joined = of(one, Operation::unite, other);
    CHECK(signed_volume(joined.mesh) == Approx(16 * 20 * 30).epsilon(1e-9));
    CHECK(check_soundness(joined.mesh).shells == 1);
    CHECK(joined.mesh.face_count() == 5 + 5);  // no wall inside
    CHECK(joined.mesh.positions.size() == 12);
    const auto nothing = of(one, Operation::difference, other);
    CHECK(nothing.mesh.face_count() == 6);
  }
}

TEST_CASE("the same boxes stored as float STL and read back") {
  const TemporaryFolder folder;
  for (int steps = 1; steps < 12; ++steps) {
    REQUIRE(write_mesh(moved(stock("box", {10, 20, 30}), turned(steps)), folder / "one.stl"));
    REQUIRE(write_mesh(moved(placed(stock("box", {6, 20, 30}), {8, 0, 0}), turned(steps)), folder / "other.stl"));
    const auto one = read_mesh(folder / "one.stl"), other = read_mesh(folder / "other.stl");
    REQUIRE(one);
    REQUIRE(other);
    const auto joined = of(one->mesh, Operation::unite, other->mesh);
    CHECK(signed_volume(joined.mesh) == Approx(16 * 20 * 30).epsilon(1e-5));
    CHECK(check_soundness(joined.mesh).shells == 1);
    CHECK(joined.mesh.face_count() == 20);  // the triangles of ten faces
    CHECK(thinnest(joined.mesh) > 0.1);
    // And out again as float: the file read back is sound.
    REQUIRE(write_mesh(joined.mesh, folder / "joined.stl"));
    CHECK(check_soundness(read_mesh(folder / "joined.stl")->mesh).sound);
  }
}

TEST_CASE("a mirrored half welded to its original leaves no wall inside") {
  Mesh half = stock("prism", {8, 20, 7});
  half = placed(half, {0, 0, 10});  // its foot on the plane of the mirror
  Mesh mirrored = half;
  for (Vec3& p : mirrored.positions) p.z() = -p.z();
  reverse_faces(mirrored);
  for (int steps = 0; steps < 6; ++steps) {
    const auto joined = of(moved(half, turned(steps)), Operation::unite, moved(mirrored, turned(steps)));
    CHECK(check_soundness(joined.mesh).shells == 1);
    CHECK(joined.mesh.face_count() == 7 + 7 + 2);
    CHECK(joined.mesh.positions.size() == 3 * 7);
    CHECK(signed_volume(joined.mesh) == Approx(40 * polygon_area(7, 4)).epsilon(1e-9));
  }
}

TEST_CASE("a tool that ends exactly on the far side of the part") {
  for (int steps = 0; steps < 8; ++steps) {
    const Mesh plate = moved(stock("box", {30, 30, 8}), turned(steps));
    const Mesh drill = moved(placed(stock("cylinder", {10, 12, 24}), {1, 2, 2}), turned(steps));  // z from −4
    const auto result = of(plate, Operation::difference, drill);
    CHECK(signed_volume(result.mesh) == Approx(30 * 30 * 8 - 8 * polygon_area(24, 5)).epsilon(1e-9));
    CHECK(check_soundness(result.mesh).genus == 1);
    CHECK(result.mesh.face_count() == 4 + 24 + 2 * 2);
    CHECK(result.mesh.positions.size() == 8 + 2 * 24);  // no vertex is left that is no corner
  }
}

TEST_CASE("offsets of 0 to 1e-5 of the size: contact closes those below its tolerance and keeps the others") {
  for (const double offset : {0.0, 1e-15, 1e-12, 1e-9, 1e-7, 1e-5})
    for (const double sign : {1.0, -1.0}) {
      const double size = 40;
      const Mesh one = cube(size), other = placed(cube(size), {size + sign * offset * size, 0, 0});
      const auto joined = of(one, Operation::unite, other);
      const bool gap = offset == 1e-5 && sign > 0;
      CHECK(check_soundness(joined.mesh).shells == (gap ? 2u : 1u));
      CHECK(signed_volume(joined.mesh) == Approx(2 * size * size * size).epsilon(2e-5));
    }
}

TEST_CASE("contact can be turned off: a hair's breadth stays a gap") {
  const auto apart = of(cube(2), Operation::unite, placed(cube(2), {2 + 1e-9, 0, 0}), 0);
  CHECK(check_soundness(apart.mesh).shells == 2);
  const auto joined = of(cube(2), Operation::unite, placed(cube(2), {2 + 1e-9, 0, 0}), 1e-6);
  CHECK(check_soundness(joined.mesh).shells == 1);
}

TEST_CASE("edge on edge, vertex on face, vertex on edge, and parts far away or very large and small") {
  for (const double scale : {1e-6, 1.0, 1e6})
    for (const Vec3& shift : {Vec3(1, 1, 0), Vec3(1, 0.5, 0.25), Vec3(1, 1, 1), Vec3(0.5, 0.5, 1)}) {
      Mesh one = cube(2), other = placed(cube(2), 2 * shift);
      for (Mesh* mesh : {&one, &other})
        for (Vec3& p : mesh->positions) p = scale * (p + Vec3(100, -200, 300));
      const double unit = scale * scale * scale;
      CHECK(signed_volume(of(one, Operation::unite, other).mesh) / unit == Approx(16).epsilon(1e-6));
      CHECK(signed_volume(of(one, Operation::difference, other).mesh) / unit == Approx(8).epsilon(1e-6));
    }
}

TEST_CASE("10 to 500 parts at once") {
  for (const int count : {10, 100, 500}) {
    const Mesh plate = stock("box", {4.0 * count, 10, 2});
    std::vector<Operand> operands{{shared(plate), "plate"}};
    for (int k = 0; k < count; ++k)
      operands.push_back({shared(stock("prism", {2, 2, 6})), "hole", Operation::difference,
                          Affine(Eigen::Translation3d(4.0 * k - 2.0 * count + 2, 0, 0))});
    const auto result = combine(operands);
    REQUIRE(result);
    CHECK(signed_volume(result->mesh) == Approx(4.0 * count * 20 - count * 2 * polygon_area(6, 1)).epsilon(1e-9));
    CHECK(check_soundness(result->mesh).genus == count);
    CHECK(judge(result->mesh).sound());
  }
}

TEST_CASE("a sound mesh stays sound when it is rounded to 32 bits") {
  // Far from the origin floats are coarse: features come to lie on each other.
  const Mesh part = placed(stock("icosphere", {2, 4}), {4000, 300, 20}, {3, 5, 7});
  const Mesh tool = placed(stock("cylinder", {1, 4, 48}), {4000.3, 300.1, 20}, {11, 2, 4});
  const auto result = of(part, Operation::difference, tool);
  const TemporaryFolder folder;
  REQUIRE(write_mesh(result.mesh, folder / "far.stl"));
  const auto back = read_mesh(folder / "far.stl");
  REQUIRE(back);
  CHECK(check_soundness(back->mesh).sound);
  CHECK(signed_volume(back->mesh) == Approx(signed_volume(result.mesh)).epsilon(1e-3));
}

TEST_CASE("contact is told of edges and faces that people see, not of lines that cut a flat face into triangles") {
  // Found by trying: a cylinder through the middle of a plain box told of four places, all on the diagonals of flat faces.
  auto told = [](const Mesh& part, const Mesh& tool) {
    const auto result = combine({{shared(part), "part", Operation::unite, Affine::Identity()}, {shared(tool), "tool", Operation::difference, Affine::Identity()}});
    REQUIRE(result);
    std::size_t count = 0;
    for (const auto& done : result->report.done)
      if (done.what() == "made_to_meet") count += done.count;
    return count;
  };
  const Mesh box = stock("box", {40, 40, 20});
  for (const double sides : {64.0, 48.0, 12.0, 72.0}) {
    CAPTURE(sides);
    CHECK(told(box, stock("cylinder", {20, 40, sides})) == 0);
    CHECK(told(box, placed(stock("cylinder", {8, 40, sides}), {10, 10, 0})) == 0);
  }
  // A tool whose side lies within the tolerance of the box's side is told.
  CHECK(told(box, placed(stock("box", {10, 10, 40}), {15 + 1e-6, 0, 0})) == 1);
  // One place for each face that people see, however many vertices lie in it: two pegs beside each other in one side are
  // told as that side, one on each of two sides as two.
  CHECK(told(box, placed(stock("cylinder", {10, 30, 64}), {0, 0, 5 + 1e-6})) == 1);
  CHECK(told(stock("box", {40, 40, 200}), placed(stock("cylinder", {10, 200, 64}), {0, 0, 1e-6})) == 2);
}

TEST_CASE("bars that cross flush, turned out of all planes, are joined as bars that lie square are") {
  // Turned, no face of a bar is exactly flat, and the lines that cut it into triangles are not exactly in it.
  constexpr int bars = 10;
  Mesh lattice;
  for (int k = 0; k < bars; ++k) {
    const Mesh bar = placed(stock("box", {2.0 * bars, 1, 1}), {0, 2.0 * k - bars, 0});
    const auto first = static_cast<Index>(lattice.positions.size());
    lattice.positions.insert(lattice.positions.end(), bar.positions.begin(), bar.positions.end());
    for (std::size_t f = 0; f < bar.face_count(); ++f) {
      std::vector<Index> ring(bar.face(f).begin(), bar.face(f).end());
      for (Index& v : ring) v += first;
      lattice.add_face(ring);
    }
  }
  // Each bar crosses all of the other lattice, but for the outermost, which reaches half across one.
  const double each = bars * 2.0 * bars, common = (bars - 0.5) * (bars - 0.5);
  const Affine across(Eigen::AngleAxisd(std::numbers::pi / 2, Vec3::UnitZ()));
  for (const int steps : {0, 1, 2}) {
    CAPTURE(steps);
    for (const Operation operation : {Operation::unite, Operation::difference}) {
      const BooleanResult result = of(moved(lattice, turned(steps)), operation, moved(lattice, turned(steps) * across));
      for (const auto& done : result.report.done) {
        CHECK(done.what() != "contact_left_out");
        CHECK(done.what() != "put_on_grid");
      }
      CHECK(signed_volume(result.mesh) == Approx(operation == Operation::unite ? 2 * each - common : each - common).epsilon(1e-9));
      // Each bar has two ends, and at most one piece of its top, its floor and either wall between two crossings.
      CHECK(result.mesh.face_count() <= 2 * bars * (2 + 4 * (bars + 1)));
    }
  }
}

TEST_CASE("the demo's gland plate comes out of the same polygons when it is turned, but for a few") {
  // Turned, what was flush is so but for rounding. Where one polygon could not stand beside a small one, all of it came as triangles.
  const auto job = load_job(DEMO_DATA "/kestrel-point.anvil");
  REQUIRE(job);
  const auto plate = std::find_if(job->parts.begin(), job->parts.end(), [](const PartPtr& part) { return part->name == "Gland plate"; });
  REQUIRE(plate != job->parts.end());
  auto combined = [&](const Affine& turn) {
    auto operand = [&](const Part& part, Operation operation) {
      const Mesh mesh = *make_mesh(std::get<Primitive>(part.source));
      return Operand{shared(mesh), part.name, operation, turn * job->world_of(part.id), true, {}};
    };
    std::vector<Operand> operands{operand(**plate, Operation::unite)};
    for (const Job::Use& use : job->uses_by((*plate)->id)) operands.push_back(operand(job->at(use.tool), use.operation));
    const auto result = combine(operands);
    REQUIRE(result);
    CHECK(judge(in_triangles(result->mesh)).sound());
    return result->mesh;
  };
  const Mesh square = combined(Affine::Identity());
  for (const int steps : {1, 2, 3, 4}) {
    CAPTURE(steps);
    const Mesh mesh = combined(turned(steps));
    CHECK(signed_volume(mesh) == Approx(signed_volume(square)).epsilon(1e-9));
    CHECK(static_cast<double>(mesh.face_count()) < 1.2 * static_cast<double>(square.face_count()));
  }
}

TEST_CASE("a sheet that is to keep what it has in common with a plate is named as what is open, wherever it lies") {
  const auto loaded = load_job(DEMO_DATA "/kestrel-point.anvil");
  REQUIRE(loaded);
  const auto plate = std::find_if(loaded->parts.begin(), loaded->parts.end(), [](const PartPtr& part) { return part->name == "Gland plate"; });
  REQUIRE(plate != loaded->parts.end());
  for (const double z : {0.0, 2.0, 4.0, 8.0}) {
    CAPTURE(z);
    Mesh sheet;
    for (const Vec3& corner : {Vec3(-30, -12, 0), Vec3(30, -12, 0), Vec3(30, 12, 0), Vec3(-30, 12, 0)}) sheet.add_vertex(corner);
    sheet.add_face({0, 1, 2, 3});
    Part label;
    label.name = "Label";
    label.source = ImportedSource{shared(std::move(sheet)), ""};
    label.placement.position = Vec3(0, 110, z);
    PartId id = 0;
    StepId step = 0;
    Job job = *edit::add_step(edit::add_part(*loaded, label, &id), (*plate)->id, new_step(steps::combine), &step);
    job = *edit::add_tools(job, step, {id}, Operation::intersection);
    RecipeRunner runner;
    const EvaluatedPtr result = runner.evaluate(job, (*plate)->id, {}, false);
    REQUIRE(result->error);
    CHECK(part_of_token(cast_of(job, (*plate)->id), result->error->subject) == id);
    CHECK((result->error->what.find("open") != std::string::npos || result->error->what.find("enclose no volume") != std::string::npos));
    CHECK(result->error->remedy.find("split or score") != std::string::npos);
    CHECK(!result->mesh->empty());
  }
}

namespace {

/// An upright prism over a profile that runs counter-clockwise.
Mesh upright(const std::vector<std::array<double, 2>>& profile, double from, double to) {
  Mesh mesh;
  const auto n = static_cast<Index>(profile.size());
  std::vector<Index> floor, roof;
  for (const double z : {from, to})
    for (const auto& [x, y] : profile) mesh.add_vertex({x, y, z});
  for (Index k = 0; k < n; ++k) floor.push_back(n - 1 - k), roof.push_back(n + k);
  mesh.add_face(floor);
  mesh.add_face(roof);
  for (Index k = 0; k < n; ++k) mesh.add_face({k, (k + 1) % n, n + (k + 1) % n, n + k});
  return mesh;
}

/// A block with teeth on top, each narrower than the tolerance.
Mesh comb(Dice& dice, double width, double tolerance) {
  std::vector<std::array<double, 2>> profile{{0, 0}, {width, 0}};
  const double height = dice.between(1, 2), tooth = dice.between(0.05, 0.9) * tolerance;
  for (double x = width; x >= 0; x -= dice.between(0.2, 0.9) * tolerance)
    profile.push_back({x, height + (profile.size() % 2 == 0 ? 0 : tooth)});
  if (profile.back()[0] > 1e-9) profile.push_back({0, height});
  return upright(profile, 0, dice.between(1, 3));
}

}  // namespace

TEST_CASE("contact moves nothing farther than its tolerance, however many edges are shorter than that, and says how far it went") {
  constexpr double tolerance = 0.1;
  constexpr unsigned cases = 2000;
  std::vector<std::string> wrong(cases);
  tbb::parallel_for(0u, cases, [&](unsigned seed) {
    Dice dice(seed);
    const double width = dice.between(0.6, 2.5);
    const Mesh a = comb(dice, width, tolerance);
    Mesh b = comb(dice, width, tolerance);
    // Flush, nearly flush, or turned over onto the teeth of the other.
    const Vec3 off = dice.between(0, 1.2) * tolerance * dice.direction();
    if (dice.upto(2) == 0) {
      for (Vec3& p : b.positions) p = Vec3(p.x(), 3.5 - p.y(), p.z());
      reverse_faces(b);
    }
    for (Vec3& p : b.positions) p += off;
    const Operation operation = std::array{Operation::unite, Operation::difference, Operation::intersection}[seed % 3];
    const auto result = combine({{shared(a), "A"}, {shared(b), "B", operation}}, {}, {tolerance});
    const auto say = [&](const std::string& what) { wrong[seed] = fmt::format("seed {}: {}", seed, what); };
    if (!result) return say(result.issue().message());
    if (result->mesh.empty()) return;
    if (!check_soundness(result->mesh).sound) return say("not sound");
    // By CGAL: from each corner of the result to the nearest place of the two.
    Mesh both = in_triangles(a);
    append(both, in_triangles(b));
    const double farthest = farthest_from(in_triangles(result->mesh), both).length;
    if (farthest > tolerance * (1 + 1e-9)) return say(fmt::format("a corner lies {} off, said {}", farthest, result->report.moved));
    if (result->report.moved > tolerance * (1 + 1e-9)) return say(fmt::format("said to have moved {}", result->report.moved));
    if (farthest > result->report.moved + 1e-12) return say(fmt::format("a corner lies {} off, said {}", farthest, result->report.moved));
  });
  std::erase(wrong, "");
  for (const std::string& one : wrong) UNSCOPED_INFO(one);
  CHECK(wrong.empty());
}

TEST_CASE("a tool thinner than the contact tolerance is refused with the tolerance named") {
  const auto result = combine({{shared(cube(100)), "part"}, {shared(placed(stock("box", {0.01, 0.01, 0.01}), {50, 0, 0})), "speck", Operation::difference}}, {}, {.contact = 1});
  REQUIRE_FALSE(result);
  CHECK(result.issue().subject == "speck");
  CHECK(result.issue().what.find("thinner than 1 mm") != std::string::npos);
}
