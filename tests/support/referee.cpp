// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/referee.h"

#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/Polygon_mesh_processing/connected_components.h>
#include <CGAL/Polygon_mesh_processing/measure.h>
#include <CGAL/Polygon_mesh_processing/orientation.h>
#include <CGAL/Polygon_mesh_processing/polygon_soup_to_polygon_mesh.h>
#include <CGAL/Polygon_mesh_processing/self_intersections.h>
#include <CGAL/Polygon_mesh_processing/triangulate_faces.h>
#include <CGAL/Surface_mesh.h>

namespace anvil::test {
namespace {

namespace PMP = CGAL::Polygon_mesh_processing;
using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
using Surface = CGAL::Surface_mesh<Kernel::Point_3>;

bool build(const Mesh& mesh, Surface& surface) {
  std::vector<Kernel::Point_3> points;
  for (const Vec3& p : mesh.positions) points.emplace_back(p.x(), p.y(), p.z());
  std::vector<std::vector<std::size_t>> polygons;
  for (std::size_t f = 0; f < mesh.face_count(); ++f)
    polygons.emplace_back(mesh.face(f).begin(), mesh.face(f).end());
  if (!PMP::is_polygon_soup_a_polygon_mesh(polygons)) return false;
  PMP::polygon_soup_to_polygon_mesh(points, polygons, surface);
  PMP::triangulate_faces(surface);
  return true;
}

}  // namespace

Judgement judge(const Mesh& mesh) {
  Judgement result;
  Surface surface;
  result.manifold = build(mesh, surface);
  if (!result.manifold) return result;
  result.closed = CGAL::is_closed(surface);
  for (const auto f : faces(surface))
    result.degenerate = result.degenerate || PMP::is_degenerate_triangle_face(f, surface);
  if (result.degenerate) return result;
  result.self_intersects = PMP::does_self_intersect(surface);
  auto component = surface.add_property_map<Surface::Face_index, std::size_t>("f:component").first;
  result.shells = PMP::connected_components(surface, component);
  if (!result.closed || result.self_intersects) return result;
  result.volume = CGAL::to_double(PMP::volume(surface));
  result.bounds_volume = PMP::does_bound_a_volume(surface);
  result.outward = PMP::is_outward_oriented(surface);
  return result;
}

std::size_t crossing_pairs(const Mesh& mesh) {
  Surface surface;
  if (!build(mesh, surface)) return 0;
  std::vector<std::pair<Surface::Face_index, Surface::Face_index>> pairs;
  PMP::self_intersections(surface, std::back_inserter(pairs));
  return pairs.size();
}

}  // namespace anvil::test
