// SPDX-License-Identifier: GPL-3.0-or-later
// Polyhedra with equal edges, by the length of these.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/stock/kinds.h"

namespace anvil {
namespace {

using Points = std::vector<Vec3>;

constexpr double phi = std::numbers::phi;

Points signed_units() { return {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}}; }

Points cube_corners() {
  Points points;
  for (int k = 0; k < 8; ++k) points.emplace_back(k & 1 ? 1 : -1, k & 2 ? 1 : -1, k & 4 ? 1 : -1);
  return points;
}

Points tetrahedron_corners(double sign) { return {{sign, sign, sign}, {sign, -sign, -sign}, {-sign, sign, -sign}, {-sign, -sign, sign}}; }

/// All (0, ±a, ±b) and their cyclic permutations.
Points cyclic(double a, double b) {
  Points points;
  for (double s : {-a, a})
    for (double t : {-b, b}) {
      points.emplace_back(0, s, t);
      points.emplace_back(s, t, 0);
      points.emplace_back(t, 0, s);
    }
  return points;
}

Points joined(Points one, const Points& other) {
  one.insert(one.end(), other.begin(), other.end());
  return one;
}

/// The convex solid of points on a sphere about the origin, with one face for each of these directions.
Mesh solid(const Points& points, const Points& directions, double edge) {
  double nearest = 1e9;
  for (std::size_t a = 0; a < points.size(); ++a)
    for (std::size_t b = a + 1; b < points.size(); ++b) nearest = std::min(nearest, (points[a] - points[b]).norm());
  Mesh mesh;
  for (const Vec3& p : points) mesh.add_vertex(edge / nearest * p);
  for (const Vec3& n : directions) {
    double farthest = -1e9;
    for (const Vec3& p : points) farthest = std::max(farthest, p.dot(n));
    const Vec3 u = n.unitOrthogonal(), v = n.normalized().cross(u);
    std::vector<std::pair<double, Index>> ring;
    for (Index k = 0; k < points.size(); ++k)
      if (points[k].dot(n) > farthest - 1e-9) ring.emplace_back(std::atan2(points[k].dot(v), points[k].dot(u)), k);
    std::sort(ring.begin(), ring.end());
    std::vector<Index> face;
    for (const auto& [angle, k] : ring) face.push_back(k);
    mesh.add_face(face);
  }
  return mesh;
}

Result<Mesh> make(const FieldReader& fields) {
  const std::string& shape = fields.text("shape");
  const double edge = fields.number("edge");
  const Points icosahedron = cyclic(1, phi), dodecahedron = joined(cube_corners(), cyclic(phi, 1 / phi));
  if (shape == "tetrahedron") return solid(tetrahedron_corners(1), tetrahedron_corners(-1), edge);
  if (shape == "octahedron") return solid(signed_units(), cube_corners(), edge);
  if (shape == "dodecahedron") return solid(dodecahedron, icosahedron, edge);
  if (shape == "icosahedron") return solid(icosahedron, dodecahedron, edge);
  return solid(joined(cyclic(1, 1), {}), joined(signed_units(), cube_corners()), edge);
}

}  // namespace

StockKind polyhedron_kind() {
  return {"polyhedron", "Polyhedron", "polyhedron", "A solid with equal edges.",
          {choice_field("shape", "Shape", "icosahedron",
                        {{"tetrahedron", "tetrahedron, 4 faces"}, {"octahedron", "octahedron, 8 faces"}, {"dodecahedron", "dodecahedron, 12 faces"},
                         {"icosahedron", "icosahedron, 20 faces"}, {"cuboctahedron", "cuboctahedron, 14 faces"}},
                        "Which solid."),
           length_field("edge", "Edge length", 20, "Length of each edge.")},
          make, nullptr};
}

}  // namespace anvil
