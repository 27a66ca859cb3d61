// SPDX-License-Identifier: GPL-3.0-or-later
// Writes the Kestrel Point tide gauge: the demo job and the mesh files that it and later work use.
// Deterministic: the same program writes the same bytes. Usage: demo_generator FOLDER
#include <fmt/format.h>

#include <cstdlib>
#include <map>
#include <numbers>
#include <random>

#include "core/io/bytes.h"
#include "core/io/mesh_file.h"
#include "core/mesh/weld.h"
#include "job/edit.h"
#include "job/job_file.h"

namespace {

using namespace anvil;

Mesh shape(const char* kind, std::initializer_list<double> values, const Vec3& at = Vec3::Zero(),
           const Vec3& angles = Vec3::Zero()) {
  Mesh mesh = *make_mesh(Primitive::of(kind, values));
  const Affine m = Placement{at, angles, Vec3::Ones()}.matrix();
  for (Vec3& p : mesh.positions) p = m * p;
  return mesh;
}

/// Single precision, as an exporter would have left it.
Mesh as_exported(Mesh mesh) {
  for (Vec3& p : mesh.positions) p = p.cast<float>().cast<double>();
  return mesh;
}

[[noreturn]] void give_up(const std::string& what) {
  fmt::print(stderr, "demo_generator: {}\n", what);
  std::exit(1);
}

void write(const Mesh& mesh, const std::filesystem::path& path) {
  if (const auto written = write_mesh(mesh, path, nullptr, {FacesWritten::polygons}); !written) give_up(written.issue().message());
}

/// Adds parts to a job and makes them tools of the first.
class JobBuilder {
 public:
  PartId add(const std::string& name, Source source, const Vec3& at, const Vec3& angles = Vec3::Zero()) {
    Part part;
    part.name = name;
    part.source = std::move(source);
    part.placement.position = at;
    part.placement.angles = angles;
    PartId id = 0;
    job = edit::add_part(job, part, &id);
    return id;
  }
  void tool(PartId part, PartId tool_id, Operation operation) {
    Result<Job> next = edit::combine(job, part, {tool_id}, operation);
    if (!next) give_up(next.issue().message());
    job = *next;
  }

  void step(PartId part, const StepKind& kind, const std::vector<std::pair<const char*, FieldValue>>& values) {
    Step made = new_step(kind);
    for (const auto& [key, value] : values) set_field(made, key, value);
    Result<Job> next = edit::add_step(job, part, std::move(made));
    if (!next) give_up(next.issue().message());
    job = *next;
  }

  Job job;
};

Source primitive(const char* kind, std::initializer_list<double> values) {
  return Primitive::of(kind, values);
}

/// A solid with a bored hub, bolt holes, ribs and a slot, all live.
void add_mast_clamp(JobBuilder& b) {
  const PartId clamp = b.add("Mast clamp", primitive("box", {120, 64, 24}), {0, 0, 12});
  auto with = [&](const std::string& name, Source source, const Vec3& at, const Vec3& angles,
                  Operation operation) {
    b.tool(clamp, b.add(name, std::move(source), at, angles), operation);
  };
  with("Hub", primitive("cylinder", {58, 70, 72}), {0, 0, 36}, Vec3::Zero(), Operation::unite);
  with("Rib left", primitive("prism", {34, 8, 3}), {-34, 0, 30}, {90, 0, 0}, Operation::unite);
  with("Rib right", primitive("prism", {34, 8, 3}), {34, 0, 30.5}, {90, 0, 180},
       Operation::unite);
  with("Mast bore", primitive("cylinder", {42, 96, 72}), {0, 0, 36}, Vec3::Zero(),
       Operation::difference);
  // ISO 273 medium clearance for M8: 9 mm.
  int n = 1;
  for (const double x : {-48.0, 48.0})
    for (const double y : {-22.0, 22.0})
      with(fmt::format("Bolt hole {}", n++), primitive("cylinder", {9, 60, 32}), {x, y, 12},
           Vec3::Zero(), Operation::difference);
  with("Clamp slot", primitive("box", {4, 60, 90}), {0, -30.5, 43}, Vec3::Zero(),
       Operation::difference);
  with("Pinch bolt", primitive("cylinder", {6.6, 90, 28}), {0, -25.2, 58}, {0, 90, 0},
       Operation::difference);
  // What the cuts left is finished; then the far cheek gets the thread of the bolt.
  b.step(clamp, steps::chamfer, {{"edges", std::string("fresh")}, {"width", 0.8}});
  Primitive thread = Primitive::of("thread");
  const auto set = [&](const char* key, FieldValue value) { thread.values[*field_place(thread.kind->fields, key)] = std::move(value); };
  set("size", std::string("M8"));
  set("side", std::string("inner"));
  set("length", 24.0);
  set("clearance", 0.1);
  set("sides", 48.0);
  with("Pinch thread", thread, {14, -25.2, 58}, {0, 90, 0}, Operation::difference);
}

/// A plate flush with its neighbours: two half plates and a boss that touch in whole faces, 24 holes.
void add_gland_plate(JobBuilder& b) {
  const Vec3 at(0, 110, 0);
  const PartId plate = b.add("Gland plate", primitive("box", {70, 80, 8}), at + Vec3(-35, 0, 4));
  b.tool(plate, b.add("Plate half", primitive("box", {70, 80, 8}), at + Vec3(35, 0, 4)),
         Operation::unite);
  b.tool(plate, b.add("Rim", primitive("box", {140, 8, 6}), at + Vec3(0, 36, 11)),
         Operation::unite);
  int n = 1;
  for (int row = 0; row < 4; ++row)
    for (int column = 0; column < 6; ++column)
      b.tool(plate,
             b.add(fmt::format("Gland hole {}", n++), primitive("cylinder", {11, 30, 24}),
                   at + Vec3(-50 + 20 * column, -28 + 18 * row, 4)),
             Operation::difference);
  std::vector<UseId> holes;
  for (const Job::Use& use : b.job.uses_by(plate))
    if (use.operation == Operation::difference) holes.push_back(use.id);
  b.job = *edit::add_tray(b.job, holes, "Hole pattern");
}

/// An imported mesh with the damage of a bad export. `clean` is what it should have been.
Mesh damaged_float_housing() {
  // A capped tube in two mirrored halves: one is built, the other mirrored across x = 0.
  Mesh half;
  constexpr int sides = 40, rings = 14;
  auto ring_radius = [](int k) {
    const double t = static_cast<double>(k) / rings;
    return 30 + 6 * std::sin(std::numbers::pi * t);
  };
  std::vector<std::vector<Index>> ring(rings + 1);
  for (int k = 0; k <= rings; ++k)
    for (int i = 0; i <= sides / 2; ++i) {
      const double angle = -std::numbers::pi / 2 + 2 * std::numbers::pi * i / sides;
      const double r = ring_radius(k);
      const double x = i == 0 || i == sides / 2 ? 0 : r * std::cos(angle);
      ring[static_cast<std::size_t>(k)].push_back(half.add_vertex({x, r * std::sin(angle), 6.0 * k}));
    }
  for (std::size_t k = 0; k < rings; ++k)
    for (std::size_t i = 0; i < sides / 2; ++i)
      half.add_face({ring[k][i], ring[k][i + 1], ring[k + 1][i + 1], ring[k + 1][i]});
  const Index low = half.add_vertex({0, 0, 0}), high = half.add_vertex({0, 0, 6.0 * rings});
  for (std::size_t i = 0; i < sides / 2; ++i) {
    half.add_face({low, ring[0][i + 1], ring[0][i]});
    half.add_face({high, ring[rings][i], ring[rings][i + 1]});
  }
  Mesh mirrored = half;
  for (Vec3& p : mirrored.positions) p.x() = -p.x();
  reverse_faces(mirrored);
  Mesh housing = half;
  append(housing, mirrored);
  housing = welded(housing);

  // The wall that mirroring left inside, across x = 0.
  auto nearest = [&](const Vec3& wanted) {
    Index best = 0;
    for (Index v = 0; v < housing.positions.size(); ++v)
      if ((housing.positions[v] - wanted).norm() < (housing.positions[best] - wanted).norm()) best = v;
    return best;
  };
  for (int k = 0; k < rings; ++k) {
    const Vec3 a(0, ring_radius(k), 6.0 * k), b(0, ring_radius(k + 1), 6.0 * (k + 1));
    const Index v0 = nearest({0, -a.y(), a.z()}), v1 = nearest(a), v2 = nearest(b),
                v3 = nearest({0, -b.y(), b.z()});
    if (k == 0) {
      housing.add_face({v0, nearest({0, 0, 0}), v1, v2, v3});
    } else if (k == rings - 1) {
      housing.add_face({v0, v1, v2, nearest({0, 0, 6.0 * rings}), v3});
    } else {
      housing.add_face({v0, v1, v2, v3});
    }
  }

  auto face_near = [&](const Vec3& wanted) {
    std::size_t best = 0;
    double least = 1e300;
    for (std::size_t f = 0; f < housing.face_count(); ++f) {
      Vec3 centre = Vec3::Zero();
      for (Index v : housing.face(f)) centre += housing.positions[v];
      const double d = (centre / static_cast<double>(housing.face(f).size()) - wanted).norm();
      if (d < least) {
        least = d;
        best = f;
      }
    }
    return best;
  };
  auto remove_faces = [&](std::vector<std::size_t> gone) {
    Mesh rest;
    rest.positions = housing.positions;
    for (std::size_t f = 0; f < housing.face_count(); ++f)
      if (std::find(gone.begin(), gone.end(), f) == gone.end()) rest.add_face(housing.face(f));
    housing = std::move(rest);
  };
  auto ring_of = [&](std::size_t f) {
    return std::vector<Index>(housing.face(f).begin(), housing.face(f).end());
  };

  // Three holes of one, two and four faces.
  remove_faces({face_near({36, -8, 40})});
  remove_faces({face_near({30, -18, 60}), face_near({30, -18, 66})});
  remove_faces({face_near({-33, 12, 30}), face_near({-33, 12, 36}), face_near({-31, 17, 30}),
                face_near({-31, 17, 36})});
  // Six faces turned over.
  for (const double z : {15.0, 21.0, 27.0})
    for (const double x : {12.0, 24.0}) {
      const std::size_t f = face_near({x, -std::sqrt(34 * 34 - x * x), z});
      std::reverse(housing.corners.begin() + housing.face_offsets[f] + 1,
                   housing.corners.begin() + housing.face_offsets[f + 1]);
    }
  // Four doubled faces, on vertices of their own.
  for (const double z : {45.0, 51.0, 57.0, 63.0}) {
    std::vector<Index> copy;
    for (Index v : ring_of(face_near({-20, -28, z})))
      copy.push_back(housing.add_vertex(Vec3(housing.positions[v])));
    housing.add_face(copy);
  }
  // Zero-length edges: two faces get a corner twice.
  for (const double z : {9.0, 75.0}) {
    const std::size_t f = face_near({25, 20, z});
    std::vector<Index> longer = ring_of(f);
    const Index twin = housing.add_vertex(Vec3(housing.positions[longer[0]]));
    longer.insert(longer.begin() + 1, twin);
    remove_faces({f});
    housing.add_face(longer);
  }
  // A fin: one edge extruded outwards.
  {
    const auto base = ring_of(face_near({35.5, 5, 45}));
    const Vec3 out(14, 2, 0);
    const Index a = base[0], b = base[1];
    housing.add_face({a, b, housing.add_vertex(housing.positions[b] + out),
                      housing.add_vertex(housing.positions[a] + out)});
  }
  // An unwelded seam: a strip of faces gets vertices of its own.
  {
    std::vector<std::size_t> strip;
    std::vector<std::vector<Index>> rings_of_strip;
    for (int k = 3; k < 9; ++k) {
      strip.push_back(face_near({8, ring_radius(k), 6.0 * k + 3}));
      rings_of_strip.push_back(ring_of(strip.back()));
    }
    remove_faces(strip);
    std::map<Index, Index> twin;
    for (auto& polygon : rings_of_strip) {
      for (Index& v : polygon) {
        const auto [it, fresh] = twin.try_emplace(v, 0);
        if (fresh) it->second = housing.add_vertex(Vec3(housing.positions[v]));
        v = it->second;
      }
      housing.add_face(polygon);
    }
  }
  // A peg that was pushed through the wall and never joined.
  append(housing, shape("prism", {9, 26, 6}, {-31, -14, 54}, {0, 90, 25}));
  // A crumb.
  append(housing, shape("box", {0.6, 0.6, 0.6}, {44, 10, 4}));
  return as_exported(housing);
}

/// Open sheets and overlapping solids which only a recast can close.
Mesh buoy_cap() {
  Mesh cap;
  for (int k = 0; k < 6; ++k) {
    const double angle = 60.0 * k;
    append(cap, shape("sheet", {34, 30, 4, 4},
                      {26 * std::cos(angle * std::numbers::pi / 180),
                       26 * std::sin(angle * std::numbers::pi / 180), 15},
                      {90, 0, angle + 90}));
  }
  append(cap, shape("cylinder", {50, 8, 48}, {0, 0, 30}));
  append(cap, shape("sphere", {38, 32, 16}, {0, 0, 34}));
  append(cap, shape("torus", {52, 9, 48, 16}, {0, 0, 2}));
  append(cap, shape("sheet", {70, 12, 6, 1}, {0, 0, 24}, {0, 12, 30}));
  return cap;
}

/// A worn fender as a cloud of points 1 to 1.5 mm apart with 0.05 mm of noise, written as PLY without faces.
std::string fender_scan() {
  std::mt19937 random(20261123);  // the generator's own distribution functions are not portable: use raw bits
  auto uniform = [&] { return (static_cast<double>(random()) + 0.5) / 4294967296.0; };
  std::vector<Vec3> points;
  constexpr double radius = 24, length = 110, step = 1.25;
  const int around = static_cast<int>(2 * std::numbers::pi * radius / step);
  for (int k = 0; k <= static_cast<int>(length / step); ++k)
    for (int i = 0; i < around; ++i) {
      const double angle = 2 * std::numbers::pi * (i + 0.5 * (k % 2)) / around;
      const double z = step * k;
      // Wear: a flat on one side and a dent.
      double r = radius - 5 * std::exp(-std::pow((z - 60) / 16, 2) -
                                       std::pow(std::remainder(angle - 1.2, 2 * std::numbers::pi) / 0.5, 2));
      const double flat = 21 / std::max(0.2, std::cos(std::remainder(angle - 4, 2 * std::numbers::pi)));
      if (std::cos(angle - 4) > 0.2) r = std::min(r, flat);
      r += 0.1 * (uniform() - 0.5);
      points.emplace_back(r * std::cos(angle) + 0.1 * (uniform() - 0.5),
                          r * std::sin(angle) + 0.1 * (uniform() - 0.5), z + 0.1 * (uniform() - 0.5));
    }
  for (const double z : {0.0, length})
    for (double x = -radius; x <= radius; x += step)
      for (double y = -radius; y <= radius; y += step)
        if (x * x + y * y < (radius - 3.5) * (radius - 3.5))
          points.emplace_back(x, y, z + 0.1 * (uniform() - 0.5));
  std::string out = fmt::format(
      "ply\nformat ascii 1.0\ncomment Kestrel Point tide gauge, fender scan, made up\nelement vertex {}\n"
      "property float x\nproperty float y\nproperty float z\nend_header\n",
      points.size());
  for (const Vec3& p : points) out += fmt::format("{:.3f} {:.3f} {:.3f}\n", p.x(), p.y(), p.z());
  return out;
}

/// A long part, larger than a build plate: 640 mm with a notch every 10 mm along one edge.
Mesh gauge_board() {
  std::vector<std::array<double, 2>> outline = {{0, 0}, {60, 0}, {60, 640}, {0, 640}};
  for (int mark = 63; mark >= 1; --mark) {
    const double depth = mark % 10 == 0 ? 14 : mark % 5 == 0 ? 10 : 6, y = 10.0 * mark;
    outline.insert(outline.end(), {{0, y + 1}, {depth, y + 1}, {depth, y - 1}, {0, y - 1}});
  }
  Mesh board;
  const auto n = static_cast<Index>(outline.size());
  for (const double z : {0.0, 6.0})
    for (const auto& [x, y] : outline) board.add_vertex({x, y, z});
  std::vector<Index> top, bottom;
  for (Index i = 0; i < n; ++i) {
    top.push_back(n + i);
    bottom.push_back(n - 1 - i);
    board.add_face({i, (i + 1) % n, n + (i + 1) % n, n + i});
  }
  board.add_face(top);
  board.add_face(bottom);
  return board;
}

}  // namespace

/// The board with its scale: fine marks in a row, and the decimetres in figures.
static void add_gauge_board(JobBuilder& b) {
  const PartId board = b.add("Gauge board", ImportedSource{std::make_shared<const Mesh>(gauge_board()), "gauge-board.off"}, {390, 190, 0}, {0, 0, 90});
  const PartId mark = b.add("Scale mark", primitive("box", {10, 0.8, 1.6}), {380, 212, 6}, {0, 0, 90});
  b.step(mark, steps::array, {{"count", Vec3(1, 63, 1)}, {"spacing", Vec3(20, 10, 20)}});
  b.tool(board, mark, Operation::difference);
  b.step(board, steps::lettering,
         {{"text", std::string("60\n50\n40\n30\n20\n10")}, {"size", 16.0}, {"line-space", 100.0 / 16}, {"depth", 0.8}, {"point", Vec3(42, 594.3, 6)}, {"normal", Vec3(0, 0, 1)}});
  b.step(board, steps::lettering, {{"text", std::string("Kestrel Point")}, {"font", std::string("Inter Medium")}, {"size", 9.0}, {"depth", 0.6}, {"point", Vec3(30, 624, 6)}, {"normal", Vec3(0, 0, 1)}});
}

int main(int argc, char** argv) {
  if (argc != 2) give_up("usage: demo_generator FOLDER");
  const std::filesystem::path folder = argv[1];
  std::filesystem::create_directories(folder);
  const Mesh housing = damaged_float_housing();
  write(housing, folder / "float-housing.obj");
  write(buoy_cap(), folder / "buoy-cap.ply");
  write(gauge_board(), folder / "gauge-board.off");
  if (const auto written = write_bytes(folder / "fender-scan.ply", fender_scan()); !written)
    give_up(written.issue().message());

  JobBuilder b;
  b.job.title = "Kestrel Point tide gauge";
  b.job.unit = Unit::millimetre;
  add_mast_clamp(b);
  b.add("Float housing", ImportedSource{std::make_shared<const Mesh>(housing), "float-housing.obj"},
        {130, 20, 0});
  add_gland_plate(b);
  // Longer than the rest together: it lies behind them.
  add_gauge_board(b);
  if (const auto saved = save_job(b.job, folder / "kestrel-point.anvil"); !saved)
    give_up(saved.issue().message());
  fmt::print("wrote the Kestrel Point demo to {}\n", folder.string());
  return 0;
}
