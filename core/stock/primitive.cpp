// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/stock/primitive.h"

#include <fmt/format.h>

#include <cmath>
#include <map>
#include <numbers>

namespace anvil {
namespace {

constexpr double longest = 1e6, shortest = 1e-6;

DimensionSpec length(const char* key, const char* label, double initial, double least = shortest) {
  return {key, label, initial, least, longest, false};
}
DimensionSpec count(const char* key, const char* label, double initial, double least, double most) {
  return {key, label, initial, least, most, true};
}

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

}  // namespace

const std::vector<PrimitiveSpec>& primitive_specs() {
  static const std::vector<PrimitiveSpec> specs = {
      {PrimitiveKind::box,
       "box",
       "Box",
       {length("x", "Width", 40), length("y", "Depth", 40), length("z", "Height", 20)}},
      {PrimitiveKind::cylinder,
       "cylinder",
       "Cylinder",
       {length("diameter", "Diameter", 20), length("height", "Height", 40),
        count("sides", "Sides", 64, 3, 4096)}},
      {PrimitiveKind::frustum,
       "frustum",
       "Cone",
       {length("bottom", "Bottom diameter", 30, 0), length("top", "Top diameter", 12, 0),
        length("height", "Height", 30), count("sides", "Sides", 64, 3, 4096)}},
      {PrimitiveKind::sphere,
       "sphere",
       "Sphere",
       {length("diameter", "Diameter", 30), count("segments", "Segments", 48, 3, 2048),
        count("rings", "Rings", 24, 2, 2048)}},
      {PrimitiveKind::icosphere,
       "icosphere",
       "Even sphere",
       {length("diameter", "Diameter", 30), count("subdivisions", "Subdivisions", 3, 0, 8)}},
      {PrimitiveKind::torus,
       "torus",
       "Torus",
       {length("ring", "Ring diameter", 40), length("tube", "Tube diameter", 10),
        count("segments", "Segments", 64, 3, 2048), count("sides", "Sides", 24, 3, 2048)}},
      {PrimitiveKind::prism,
       "prism",
       "Prism",
       {length("diameter", "Across corners", 30), length("height", "Height", 20),
        count("sides", "Sides", 6, 3, 4096)}},
      {PrimitiveKind::star_prism,
       "star_prism",
       "Star prism",
       {length("outer", "Outer diameter", 40), length("inner", "Inner diameter", 20),
        length("height", "Height", 12), count("points", "Points", 5, 2, 1024)}},
      {PrimitiveKind::sheet,
       "sheet",
       "Plane sheet",
       {length("x", "Width", 60), length("y", "Depth", 60), count("columns", "Columns", 1, 1, 1024),
        count("rows", "Rows", 1, 1, 1024)}}};
  return specs;
}

const PrimitiveSpec& spec_of(PrimitiveKind kind) {
  return primitive_specs()[static_cast<std::size_t>(kind)];
}

Primitive Primitive::of(PrimitiveKind kind) {
  Primitive primitive{kind, {}};
  for (const DimensionSpec& d : spec_of(kind).dimensions) primitive.values.push_back(d.initial);
  return primitive;
}

Primitive Primitive::of(PrimitiveKind kind, std::initializer_list<double> values) {
  return {kind, std::vector<double>(values)};
}

std::string Primitive::summary() const {
  std::string lengths, counts;
  const auto& dimensions = spec_of(kind).dimensions;
  for (std::size_t i = 0; i < dimensions.size() && i < values.size(); ++i) {
    if (dimensions[i].whole) continue;
    lengths += fmt::format("{}{:.6g}", lengths.empty() ? "" : " × ", values[i]);
  }
  return lengths + " mm";
}

Result<Mesh> make_mesh(const Primitive& primitive) {
  const PrimitiveSpec& spec = spec_of(primitive.kind);
  if (primitive.values.size() != spec.dimensions.size())
    return Issue{fmt::format("needs {} dimensions, got {}", spec.dimensions.size(), primitive.values.size()),
                 spec.label,
                 {},
                 "give all of them"};
  for (std::size_t i = 0; i < spec.dimensions.size(); ++i) {
    const DimensionSpec& d = spec.dimensions[i];
    const double value = primitive.values[i];
    if (!(value >= d.least && value <= d.most) || (d.whole && value != std::floor(value)))
      return Issue{fmt::format("{} is {}, outside {} to {}", d.label, value, d.least, d.most),
                   spec.label,
                   {},
                   "choose a value in that range"};
  }
  const auto& v = primitive.values;
  auto n = [&](std::size_t i) { return static_cast<Index>(v[i]); };
  switch (primitive.kind) {
    case PrimitiveKind::box:
      return box(v[0], v[1], v[2]);
    case PrimitiveKind::cylinder:
      return frustum(v[0], v[0], v[1], n(2));
    case PrimitiveKind::frustum:
      if (v[0] <= 0 && v[1] <= 0)
        return Issue{"both diameters are zero", spec.label, {}, "give one of them a size"};
      return frustum(v[0], v[1], v[2], n(3));
    case PrimitiveKind::sphere:
      return sphere(v[0], n(1), n(2));
    case PrimitiveKind::icosphere:
      return icosphere(v[0], static_cast<int>(v[1]));
    case PrimitiveKind::torus:
      if (v[1] >= v[0])
        return Issue{"the tube is as thick as the ring", spec.label, {}, "make the tube diameter smaller"};
      return torus(v[0], v[1], n(2), n(3));
    case PrimitiveKind::prism:
      return frustum(v[0], v[0], v[1], n(2));
    case PrimitiveKind::star_prism:
      return star_prism(v[0], v[1], v[2], n(3));
    case PrimitiveKind::sheet:
      return sheet(v[0], v[1], n(2), n(3));
  }
  return Issue{"unknown primitive", "", {}, ""};
}

}  // namespace anvil
