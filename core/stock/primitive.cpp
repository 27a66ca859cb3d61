// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/stock/primitive.h"

#include <fmt/format.h>

#include <cmath>
#include <map>
#include <numbers>
#include <stdexcept>

#include "core/stock/kinds.h"

namespace anvil {
namespace {

/// cos and sin of i/n of a turn, exact at the quarter turns and symmetric around them.
std::array<double, 2> turn(std::size_t i, std::size_t n) {
  const std::size_t quarters = 4 * i / n;
  const double rest = static_cast<double>(4 * i - quarters * n) / static_cast<double>(n);
  const double angle = rest * std::numbers::pi / 2;
  const double c = rest == 0 ? 1 : std::cos(angle), s = rest == 0 ? 0 : std::sin(angle);
  switch (quarters % 4) {
    case 0:
      return {c, s};
    case 1:
      return {-s, c};
    case 2:
      return {-c, -s};
    default:
      return {s, -c};
  }
}

/// Adds n vertices on a circle around the z axis; gives the first index.
Index add_ring(Mesh& mesh, std::size_t n, double radius, double z) {
  const auto first = static_cast<Index>(mesh.positions.size());
  for (std::size_t i = 0; i < n; ++i) {
    const auto [c, s] = turn(i, n);
    mesh.add_vertex({radius * c, radius * s, z});
  }
  return first;
}

/// Quads between two rings of n vertices, facing outwards when `upper` is above `lower`.
void bridge(Mesh& mesh, Index lower, Index upper, Index n) {
  for (Index i = 0; i < n; ++i) {
    const Index j = (i + 1) % n;
    mesh.add_face({lower + i, lower + j, upper + j, upper + i});
  }
}

/// Triangles from a ring to an apex.
void fan(Mesh& mesh, Index ring, Index apex, Index n, bool apex_above) {
  for (Index i = 0; i < n; ++i) {
    const Index j = (i + 1) % n;
    if (apex_above)
      mesh.add_face({ring + i, ring + j, apex});
    else
      mesh.add_face({ring + j, ring + i, apex});
  }
}

void cap(Mesh& mesh, Index ring, Index n, bool facing_up) {
  std::vector<Index> polygon;
  for (Index i = 0; i < n; ++i) polygon.push_back(facing_up ? ring + i : ring + n - 1 - i);
  mesh.add_face(polygon);
}

Mesh box(double x, double y, double z) {
  Mesh mesh;
  for (int corner = 0; corner < 8; ++corner)
    mesh.add_vertex(
        {(corner & 1 ? 0.5 : -0.5) * x, (corner & 2 ? 0.5 : -0.5) * y, (corner & 4 ? 0.5 : -0.5) * z});
  mesh.add_face({0, 2, 3, 1});
  mesh.add_face({4, 5, 7, 6});
  mesh.add_face({0, 1, 5, 4});
  mesh.add_face({1, 3, 7, 5});
  mesh.add_face({3, 2, 6, 7});
  mesh.add_face({2, 0, 4, 6});
  return mesh;
}

Mesh frustum(double bottom, double top, double height, Index sides) {
  Mesh mesh;
  if (bottom > 0 && top > 0) {
    const Index lower = add_ring(mesh, sides, bottom / 2, -height / 2);
    const Index upper = add_ring(mesh, sides, top / 2, height / 2);
    bridge(mesh, lower, upper, sides);
    cap(mesh, lower, sides, false);
    cap(mesh, upper, sides, true);
    return mesh;
  }
  const bool apex_above = top <= 0;
  const Index ring =
      add_ring(mesh, sides, (apex_above ? bottom : top) / 2, apex_above ? -height / 2 : height / 2);
  const Index apex = mesh.add_vertex({0, 0, apex_above ? height / 2 : -height / 2});
  fan(mesh, ring, apex, sides, apex_above);
  cap(mesh, ring, sides, !apex_above);
  return mesh;
}

Mesh sphere(double diameter, Index segments, Index rings) {
  Mesh mesh;
  const double r = diameter / 2;
  const Index south = mesh.add_vertex({0, 0, -r});
  for (Index k = 1; k < rings; ++k) {
    const auto [z, ring_radius] = turn(k, std::size_t{2} * rings);
    add_ring(mesh, segments, r * ring_radius, -r * z);
  }
  const Index north = mesh.add_vertex({0, 0, r});
  fan(mesh, 1, south, segments, false);
  for (Index k = 0; k + 2 < rings; ++k) bridge(mesh, 1 + k * segments, 1 + (k + 1) * segments, segments);
  fan(mesh, 1 + (rings - 2) * segments, north, segments, true);
  return mesh;
}

Mesh icosphere(double diameter, int subdivisions) {
  const double r = diameter / 2, phi = std::numbers::phi;
  Mesh mesh;
  for (double s : {-1.0, 1.0})
    for (double t : {-phi, phi}) {
      mesh.add_vertex({s, t, 0});
      mesh.add_vertex({0, s, t});
      mesh.add_vertex({t, 0, s});
    }
  // The 20 faces are the triples of mutually nearest vertices (distance 2).
  for (Index a = 0; a < 12; ++a)
    for (Index b = a + 1; b < 12; ++b)
      for (Index c = b + 1; c < 12; ++c) {
        const Vec3 &p = mesh.positions[a], &q = mesh.positions[b], &s = mesh.positions[c];
        auto near = [](const Vec3& u, const Vec3& v) { return (u - v).squaredNorm() < 4.5; };
        if (!near(p, q) || !near(q, s) || !near(p, s)) continue;
        if (p.dot(q.cross(s)) > 0)
          mesh.add_face({a, b, c});
        else
          mesh.add_face({a, c, b});
      }
  for (int level = 0; level < subdivisions; ++level) {
    Mesh finer;
    finer.positions = mesh.positions;
    std::map<std::pair<Index, Index>, Index> middles;
    auto middle = [&](Index a, Index b) {
      const auto [it, fresh] = middles.try_emplace(std::minmax(a, b), 0);
      if (fresh) it->second = finer.add_vertex((0.5 * (mesh.positions[a] + mesh.positions[b])).eval());
      return it->second;
    };
    for (std::size_t f = 0; f < mesh.face_count(); ++f) {
      const auto t = mesh.face(f);
      const Index ab = middle(t[0], t[1]), bc = middle(t[1], t[2]), ca = middle(t[2], t[0]);
      finer.add_face({t[0], ab, ca});
      finer.add_face({t[1], bc, ab});
      finer.add_face({t[2], ca, bc});
      finer.add_face({ab, bc, ca});
    }
    for (Vec3& p : finer.positions) p.normalize();
    mesh = std::move(finer);
  }
  for (Vec3& p : mesh.positions) p *= r / p.norm();
  return mesh;
}

Mesh torus(double major, double minor, Index segments, Index sides) {
  Mesh mesh;
  for (Index i = 0; i < segments; ++i) {
    const auto [c, s] = turn(i, segments);
    for (Index k = 0; k < sides; ++k) {
      const auto [u, v] = turn(k, sides);
      const double radius = 0.5 * (major + minor * u);
      mesh.add_vertex({radius * c, radius * s, 0.5 * minor * v});
    }
  }
  for (Index i = 0; i < segments; ++i)
    for (Index k = 0; k < sides; ++k) {
      const Index a = i * sides, b = (i + 1) % segments * sides, next = (k + 1) % sides;
      mesh.add_face({a + k, b + k, b + next, a + next});
    }
  return mesh;
}

Mesh star_prism(double outer, double inner, double height, Index points) {
  Mesh mesh;
  const Index n = 2 * points;
  for (double z : {-height / 2, height / 2})
    for (Index i = 0; i < n; ++i) {
      const auto [c, s] = turn(i, n);
      const double r = (i % 2 == 0 ? outer : inner) / 2;
      mesh.add_vertex({r * c, r * s, z});
    }
  bridge(mesh, 0, n, n);
  cap(mesh, 0, n, false);
  cap(mesh, n, n, true);
  return mesh;
}

Mesh sheet(double x, double y, Index columns, Index rows) {
  Mesh mesh;
  for (Index j = 0; j <= rows; ++j)
    for (Index i = 0; i <= columns; ++i)
      mesh.add_vertex(
          {x * (static_cast<double>(i) / columns - 0.5), y * (static_cast<double>(j) / rows - 0.5), 0});
  for (Index j = 0; j < rows; ++j)
    for (Index i = 0; i < columns; ++i) {
      const Index a = j * (columns + 1) + i, b = a + columns + 1;
      mesh.add_face({a, a + 1, b + 1, b});
    }
  return mesh;
}

Field length(const char* key, const char* label, double initial, const char* help, double min = min_length) {
  return length_field(key, label, initial, help, min);
}
Field count(const char* key, const char* label, double initial, double min, double max, const char* help) {
  return count_field(key, label, initial, min, max, help);
}
Index whole(const FieldReader& f, const char* key) { return static_cast<Index>(f.number(key)); }

constexpr const char* sides_help = "How many flat sides stand for the round.";

}  // namespace

const std::vector<StockKind>& stock_table() {
  static const std::vector<StockKind> table = {
      {"box", "Box", "box", "A block with right angles.",
       {length("x", "Width", 40, "Size from left to right."), length("y", "Depth", 40, "Size from front to back."),
        length("z", "Height", 20, "Size upwards.")},
       [](const FieldReader& f) -> Result<Mesh> { return box(f.number("x"), f.number("y"), f.number("z")); }, nullptr},
      {"cylinder", "Cylinder", "cylinder", "A round bar.",
       {length("diameter", "Diameter", 20, "Across the corners of its sides."), length("height", "Height", 40, "Size upwards."),
        count("sides", "Sides", 64, 3, 4096, sides_help)},
       [](const FieldReader& f) -> Result<Mesh> { return frustum(f.number("diameter"), f.number("diameter"), f.number("height"), whole(f, "sides")); },
       nullptr},
      {"frustum", "Cone", "frustum", "A cone, whole or with its tip cut off.",
       {length("bottom", "Bottom diameter", 30, "Across the corners at the bottom; 0 is a tip.", 0),
        length("top", "Top diameter", 12, "Across the corners at the top; 0 is a tip.", 0),
        length("height", "Height", 30, "Size upwards."), count("sides", "Sides", 64, 3, 4096, sides_help)},
       [](const FieldReader& f) -> Result<Mesh> { return frustum(f.number("bottom"), f.number("top"), f.number("height"), whole(f, "sides")); },
       [](const FieldReader& f) -> std::optional<Issue> {
         if (f.number("bottom") > 0 || f.number("top") > 0) return std::nullopt;
         return Issue{"both diameters are zero", "", {}, "give the bottom or the top diameter a size"};
       }},
      {"sphere", "Sphere", "sphere", "A ball of rings and segments.",
       {length("diameter", "Diameter", 30, "From pole to pole."),
        count("segments", "Segments", 48, 3, 2048, "How many sides around the axis."),
        count("rings", "Rings", 24, 2, 2048, "How many bands from pole to pole.")},
       [](const FieldReader& f) -> Result<Mesh> { return sphere(f.number("diameter"), whole(f, "segments"), whole(f, "rings")); }, nullptr},
      {"icosphere", "Even sphere", "icosphere", "A ball of triangles of nearly one size.",
       {length("diameter", "Diameter", 30, "Across opposite corners."),
        count("subdivisions", "Subdivisions", 3, 0, 8, "How often each triangle is cut into four.")},
       [](const FieldReader& f) -> Result<Mesh> { return icosphere(f.number("diameter"), static_cast<int>(f.number("subdivisions"))); }, nullptr},
      {"torus", "Torus", "torus", "A ring with a round section.",
       {length("ring", "Ring diameter", 40, "Across the middle of the tube."),
        length("tube", "Tube diameter", 10, "Thickness of the tube; less than the ring's diameter."),
        count("segments", "Segments", 64, 3, 2048, "How many sides around the axis."),
        count("sides", "Sides", 24, 3, 2048, "How many sides around the tube.")},
       [](const FieldReader& f) -> Result<Mesh> { return torus(f.number("ring"), f.number("tube"), whole(f, "segments"), whole(f, "sides")); },
       [](const FieldReader& f) -> std::optional<Issue> {
         if (f.number("tube") < f.number("ring")) return std::nullopt;
         return Issue{fmt::format("the tube ({:.6g} mm) is as thick as the ring ({:.6g} mm)", f.number("tube"), f.number("ring")),
                      "", {}, "choose a tube diameter below the ring diameter"};
       }},
      {"prism", "Prism", "prism", "A bar with a regular section.",
       {length("diameter", "Across corners", 30, "Across opposite corners."), length("height", "Height", 20, "Size upwards."),
        count("sides", "Sides", 6, 3, 4096, "How many corners the section has.")},
       [](const FieldReader& f) -> Result<Mesh> { return frustum(f.number("diameter"), f.number("diameter"), f.number("height"), whole(f, "sides")); },
       nullptr},
      {"star-prism", "Star prism", "star_prism", "A bar with a star as its section.",
       {length("outer", "Outer diameter", 40, "Across the points."), length("inner", "Inner diameter", 20, "Across the notches."),
        length("height", "Height", 12, "Size upwards."), count("points", "Points", 5, 2, 1024, "How many points the star has.")},
       [](const FieldReader& f) -> Result<Mesh> { return star_prism(f.number("outer"), f.number("inner"), f.number("height"), whole(f, "points")); },
       nullptr},
      {"sheet", "Plane sheet", "sheet", "A flat open sheet; it can cut a part in a split.",
       {length("x", "Width", 60, "Size from left to right."), length("y", "Depth", 60, "Size from front to back."),
        count("columns", "Columns", 1, 1, 1024, "How many faces side by side."),
        count("rows", "Rows", 1, 1, 1024, "How many faces behind each other.")},
       [](const FieldReader& f) -> Result<Mesh> { return sheet(f.number("x"), f.number("y"), whole(f, "columns"), whole(f, "rows")); }, nullptr},
      polyhedron_kind(), outline_kind(), helix_kind(), thread_kind(), lettering_kind(), soft_balls_kind()};
  return table;
}

std::optional<Issue> too_many_faces(double faces, const char* fields) {
  if (faces <= max_made_faces) return std::nullopt;
  return Issue{fmt::format("would have {:.3g} million faces, more than the {:.3g} million that are made", faces / 1e6, max_made_faces / 1e6), "", {},
               fmt::format("choose fewer {}", fields)};
}

const StockKind* find_stock(std::string_view key) {
  for (const StockKind& kind : stock_table())
    if (kind.key == key) return &kind;
  return nullptr;
}

Primitive Primitive::of(std::string_view key) {
  const StockKind* kind = find_stock(key);
  if (kind == nullptr) throw std::logic_error("there is no stock " + std::string(key));
  return {kind, initial_values(kind->fields)};
}

Primitive Primitive::of(std::string_view key, std::initializer_list<double> numbers) {
  Primitive primitive = of(key);
  primitive.values.assign(numbers.begin(), numbers.end());
  return primitive;
}

std::string Primitive::summary() const {
  std::string lengths;
  for (std::size_t i = 0; i < kind->fields.size() && i < values.size(); ++i)
    if (kind->fields[i].kind == FieldKind::length && !kind->fields[i].folded)
      lengths += fmt::format("{}{:.6g}", lengths.empty() ? "" : " × ", std::get<double>(values[i]));
  return lengths + " mm";
}

std::optional<Issue> check_dimensions(const Primitive& primitive) {
  std::optional<Issue> issue = check_values(primitive.kind->fields, primitive.values);
  if (!issue && primitive.kind->check != nullptr) issue = primitive.kind->check(primitive.fields());
  if (issue) issue->subject = primitive.kind->label;
  return issue;
}

Result<Mesh> make_mesh(const Primitive& primitive) {
  if (auto issue = check_dimensions(primitive)) return *issue;
  return primitive.kind->make(primitive.fields());
}

}  // namespace anvil
