// SPDX-License-Identifier: GPL-3.0-or-later
#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/Polygon_mesh_processing/triangulate_hole.h>
#include <CGAL/Surface_mesh.h>

#include <unordered_map>

#include "core/modify/fill_hole.h"

namespace anvil {
namespace {

namespace PMP = CGAL::Polygon_mesh_processing;
using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
using Surface = CGAL::Surface_mesh<Kernel::Point_3>;

Kernel::Point_3 point(const Vec3& p) { return {p.x(), p.y(), p.z()}; }

/// The filling of least area, as triangles between corners of the ring.
std::optional<HoleFilling> fill_least(const std::vector<Vec3>& positions, std::span<const Index> ring) {
  std::vector<Kernel::Point_3> polyline;
  for (Index v : ring) polyline.push_back(point(positions[v]));
  std::vector<CGAL::Triple<int, int, int>> triangles;
  PMP::triangulate_hole_polyline(polyline, std::back_inserter(triangles));
  if (triangles.empty()) return std::nullopt;
  HoleFilling filling;
  for (const auto& t : triangles)
    filling.faces.push_back({static_cast<Index>(t.first), static_cast<Index>(t.second), static_cast<Index>(t.third)});
  return filling;
}

}  // namespace

std::optional<HoleFilling> fill_smooth(const std::vector<Vec3>& positions, std::span<const Index> ring, std::span<const Triangle> around) {
  Surface surface;
  std::unordered_map<Index, Surface::Vertex_index> number;
  const auto vertex = [&](Index v) {
    const auto [it, is_new] = number.try_emplace(v);
    if (is_new) it->second = surface.add_vertex(point(positions[v]));
    return it->second;
  };
  for (const Triangle& t : around)
    if (surface.add_face(vertex(t[0]), vertex(t[1]), vertex(t[2])) == Surface::null_face()) return fill_least(positions, ring);
  for (Index v : ring)
    if (number.find(v) == number.end()) return fill_least(positions, ring);
  // The half-edge of the hole that runs along the ring.
  const auto h = surface.halfedge(number[ring[0]], number[ring[1]]);
  if (h == Surface::null_halfedge() || !surface.is_border(h)) return fill_least(positions, ring);
  std::size_t length = 0;
  for (auto at = h; length <= ring.size(); at = surface.next(at)) {
    ++length;
    if (surface.next(at) == h) break;
  }
  if (length != ring.size()) return fill_least(positions, ring);

  std::vector<Surface::Face_index> faces;
  std::vector<Surface::Vertex_index> vertices;
  PMP::triangulate_refine_and_fair_hole(surface, h, std::back_inserter(faces), std::back_inserter(vertices));
  if (faces.empty()) return fill_least(positions, ring);
  std::unordered_map<Index, Index> place;  // CGAL's vertex, ours
  for (Index k = 0; k < ring.size(); ++k) place[number[ring[k]]] = k;
  HoleFilling filling;
  for (const auto v : vertices) {
    const auto& p = surface.point(v);
    const Vec3 at(p.x(), p.y(), p.z());
    if (!at.allFinite()) return fill_least(positions, ring);
    place[v] = static_cast<Index>(ring.size() + filling.new_points.size());
    filling.new_points.push_back(at);
  }
  for (const auto f : faces) {
    std::vector<Index> corners;
    for (const auto v : surface.vertices_around_face(surface.halfedge(f))) {
      const auto it = place.find(v);
      if (it == place.end()) return fill_least(positions, ring);
      corners.push_back(it->second);
    }
    filling.faces.push_back(std::move(corners));
  }
  return filling;
}

}  // namespace anvil
