// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/planar_region.h"

#include <CGAL/Constrained_Delaunay_triangulation_2.h>
#include <CGAL/Exact_predicates_exact_constructions_kernel.h>
#include <CGAL/Triangulation_face_base_with_info_2.h>
#include <CGAL/Triangulation_vertex_base_with_info_2.h>

#include <algorithm>
#include <map>

#include "core/exact/predicates.h"
#include "core/mesh/union_find.h"

namespace anvil {
namespace {

using Kernel = CGAL::Exact_predicates_exact_constructions_kernel;
using VertexBase = CGAL::Triangulation_vertex_base_with_info_2<Index, Kernel>;
using FaceBase = CGAL::Constrained_triangulation_face_base_2<Kernel, CGAL::Triangulation_face_base_with_info_2<Index, Kernel>>;
using Triangulation = CGAL::Constrained_Delaunay_triangulation_2<Kernel, CGAL::Triangulation_data_structure_2<VertexBase, FaceBase>, CGAL::Exact_intersections_tag>;

/// How often the loops go around a point.
int winding_at(const std::vector<Loop2>& loops, const Vec2& p) {
  int winding = 0;
  for (const Loop2& loop : loops)
    for (std::size_t k = 0; k < loop.size(); ++k) {
      const Vec2 &a = loop[k], &b = loop[(k + 1) % loop.size()];
      const bool upwards = a.y() <= p.y() && b.y() > p.y(), downwards = a.y() > p.y() && b.y() <= p.y();
      if (!upwards && !downwards) continue;
      const int side = orient2d({a.x(), a.y()}, {b.x(), b.y()}, {p.x(), p.y()});
      if (upwards && side > 0) ++winding;
      if (downwards && side < 0) --winding;
    }
  return winding;
}

/// The triangles inside, with their vertices numbered.
struct Triangles {
  std::vector<Vec2> points;
  std::vector<Triangle> list;
  std::vector<std::array<Index, 3>> beyond;  // over the edge opposite each corner; no_index: outside
};

Triangles triangles_inside(const std::vector<Loop2>& loops, Inside inside) {
  Triangulation plane;
  for (const Loop2& loop : loops) {
    std::vector<Triangulation::Vertex_handle> corners;
    for (const Vec2& p : loop) corners.push_back(plane.insert({p.x(), p.y()}));
    for (std::size_t k = 0; k < corners.size(); ++k)
      if (const auto next = corners[(k + 1) % corners.size()]; corners[k] != next) plane.insert_constraint(corners[k], next);
  }
  Triangles triangles;
  for (const auto vertex : plane.finite_vertex_handles()) {
    vertex->info() = static_cast<Index>(triangles.points.size());
    triangles.points.emplace_back(CGAL::to_double(vertex->point().x()), CGAL::to_double(vertex->point().y()));
  }
  std::vector<Triangulation::Face_handle> faces;
  for (const auto face : plane.all_face_handles()) face->info() = no_index;
  for (const auto face : plane.finite_face_handles()) {
    face->info() = static_cast<Index>(faces.size());
    faces.push_back(face);
  }
  // One answer for all triangles that no loop parts, found where there is most room.
  UnionFind cells(faces.size());
  for (const auto face : faces)
    for (int k = 0; k < 3; ++k)
      if (const auto other = face->neighbor(k); !face->is_constrained(k) && !plane.is_infinite(other)) cells.unite(face->info(), other->info());
  std::vector<Index> cell;
  const Index count = cells.number(cell);
  std::vector<double> most(count, -1);
  std::vector<Vec2> middle(count, Vec2::Zero());
  const auto corner = [&](Triangulation::Face_handle face, int k) -> const Vec2& { return triangles.points[face->vertex(k)->info()]; };
  for (std::size_t f = 0; f < faces.size(); ++f) {
    const Vec2 &a = corner(faces[f], 0), &b = corner(faces[f], 1), &c = corner(faces[f], 2);
    const Vec2 u = b - a, v = c - a;
    if (const double area = u.x() * v.y() - u.y() * v.x(); area > most[cell[f]]) most[cell[f]] = area, middle[cell[f]] = (a + b + c) / 3;
  }
  std::vector<char> is_inside(count, 0);
  for (Index k = 0; k < count; ++k) {
    const int winding = winding_at(loops, middle[k]);
    is_inside[k] = inside == Inside::odd ? winding % 2 != 0 : winding != 0;
  }
  std::vector<Index> number(faces.size(), no_index);
  for (std::size_t f = 0; f < faces.size(); ++f) {
    if (!is_inside[cell[f]]) continue;
    number[f] = static_cast<Index>(triangles.list.size());
    triangles.list.push_back({faces[f]->vertex(0)->info(), faces[f]->vertex(1)->info(), faces[f]->vertex(2)->info()});
  }
  for (std::size_t f = 0; f < faces.size(); ++f) {
    if (number[f] == no_index) continue;
    std::array<Index, 3> beyond{};
    for (int k = 0; k < 3; ++k) {
      const Index other = faces[f]->neighbor(k)->info();
      beyond[static_cast<std::size_t>(k)] = other == no_index ? no_index : number[other];
    }
    triangles.beyond.push_back(beyond);
  }
  return triangles;
}

/// The one loop around some triangles, from its directed edges; nothing where there are several, or it passes a point twice.
std::optional<std::vector<Index>> single_loop(const std::vector<std::array<Index, 2>>& edges) {
  std::map<Index, Index> next;
  for (const auto& [from, to] : edges)
    if (!next.emplace(from, to).second) return std::nullopt;
  std::vector<Index> loop{edges.front()[0]};
  for (Index at = next[loop[0]]; at != loop[0]; at = next[at]) loop.push_back(at);
  return loop.size() == edges.size() ? std::optional(loop) : std::nullopt;
}

}  // namespace

PlanarRegion planar_region(const std::vector<Loop2>& loops, Inside inside) {
  const Triangles triangles = triangles_inside(loops, inside);
  PlanarRegion region;
  UnionFind parts(triangles.list.size());
  for (Index t = 0; t < triangles.list.size(); ++t)
    for (Index other : triangles.beyond[t])
      if (other != no_index) parts.unite(t, other);
  std::vector<Index> part;
  const Index count = parts.number(part);
  std::vector<std::vector<std::array<Index, 2>>> edges(count);
  for (Index t = 0; t < triangles.list.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k)
      if (triangles.beyond[t][k] == no_index) edges[part[t]].push_back({triangles.list[t][(k + 1) % 3], triangles.list[t][(k + 2) % 3]});
  std::vector<Index> number(triangles.points.size(), no_index);
  const auto keep = [&](Index point) {
    if (number[point] == no_index) number[point] = static_cast<Index>(region.points.size()), region.points.push_back(triangles.points[point]);
    return number[point];
  };
  std::vector<char> in_one_piece(count, 0);
  for (Index k = 0; k < count; ++k) {
    for (auto& [from, to] : edges[k]) region.boundary.push_back({keep(from), keep(to)});
    if (const auto loop = single_loop(edges[k])) {
      in_one_piece[k] = 1;
      region.faces.emplace_back();
      for (Index point : *loop) region.faces.back().push_back(keep(point));
    }
  }
  for (Index t = 0; t < triangles.list.size(); ++t)
    if (!in_one_piece[part[t]]) region.faces.push_back({keep(triangles.list[t][0]), keep(triangles.list[t][1]), keep(triangles.list[t][2])});
  return region;
}

double PlanarRegion::area() const {
  double twice = 0;
  for (const auto& [from, to] : boundary) {
    const Vec2 a = points[from] - points[0], b = points[to] - points[0];
    twice += a.x() * b.y() - a.y() * b.x();
  }
  return twice / 2;
}

Mesh solid_between(const PlanarRegion& region, const PlaceInSpace& place) {
  Mesh mesh;
  const auto count = static_cast<Index>(region.points.size());
  for (const bool upper : {false, true})
    for (const Vec2& p : region.points) mesh.add_vertex(place(p, upper));
  for (std::vector<Index> ring : region.faces) {
    std::reverse(ring.begin(), ring.end());
    mesh.add_face(ring);
    std::reverse(ring.begin(), ring.end());
    for (Index& v : ring) v += count;
    mesh.add_face(ring);
  }
  for (const auto& [from, to] : region.boundary) mesh.add_face({from, to, to + count, from + count});
  return mesh;
}

Mesh prism(const PlanarRegion& region, const PlaneFrame& frame, double lower, double upper) {
  return solid_between(region, [&](const Vec2& p, bool is_upper) { return frame.at(p, is_upper ? upper : lower); });
}

}  // namespace anvil
