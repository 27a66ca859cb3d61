// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/peers/soundness_peer.h"

#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/IO/STL.h>
#include <CGAL/Polygon_mesh_processing/polygon_soup_to_polygon_mesh.h>
#include <CGAL/Polygon_mesh_processing/repair_polygon_soup.h>
#include <CGAL/Polygon_mesh_processing/self_intersections.h>
#include <CGAL/Surface_mesh.h>

#include <memory>
#include <stdexcept>

namespace anvil::bench {
namespace {

namespace pmp = CGAL::Polygon_mesh_processing;
using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
using Point = Kernel::Point_3;
using Surface = CGAL::Surface_mesh<Point>;

}  // namespace

std::size_t cgal_read_and_merge(const std::string& path) {
  std::vector<Point> points;
  std::vector<std::array<std::size_t, 3>> polygons;
  if (!CGAL::IO::read_STL(path, points, polygons))
    throw std::runtime_error("CGAL cannot read " + path);
  pmp::merge_duplicate_points_in_polygon_soup(points, polygons);
  return points.size();
}

std::function<bool()> cgal_does_self_intersect(const Mesh& mesh) {
  std::vector<Point> points;
  for (const Vec3& p : mesh.positions) points.emplace_back(p.x(), p.y(), p.z());
  std::vector<std::array<std::size_t, 3>> polygons;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    const auto v = mesh.face(f);
    polygons.push_back({v[0], v[1], v[2]});
  }
  auto surface = std::make_shared<Surface>();
  pmp::polygon_soup_to_polygon_mesh(points, polygons, *surface);
#ifdef CGAL_LINKED_WITH_TBB
  return [surface] { return pmp::does_self_intersect<CGAL::Parallel_if_available_tag>(*surface); };
#else
  return [surface] { return pmp::does_self_intersect(*surface); };
#endif
}

}  // namespace anvil::bench
