// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/referee.h"

#include <CGAL/AABB_face_graph_triangle_primitive.h>
#include <CGAL/AABB_traits.h>
#include <CGAL/AABB_tree.h>
#include <CGAL/Exact_predicates_exact_constructions_kernel.h>
#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/Polygon_mesh_processing/connected_components.h>
#include <CGAL/Polygon_mesh_processing/measure.h>
#include <CGAL/Polygon_mesh_processing/orientation.h>
#include <CGAL/Polygon_mesh_processing/polygon_soup_to_polygon_mesh.h>
#include <CGAL/Polygon_mesh_processing/self_intersections.h>
#include <CGAL/Polygon_mesh_processing/triangulate_faces.h>
#include <CGAL/Side_of_triangle_mesh.h>
#include <CGAL/Surface_mesh.h>
#include <CGAL/intersections.h>

#include <algorithm>

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

using Corners = std::array<Kernel::Point_3, 3>;

/// Do two triangles meet in nothing but corners, or an edge, at the same positions in both? The exact kernel
/// constructs what they have in common.
bool only_touch(const Corners& s, const Corners& t) {
  using Exact = CGAL::Exact_predicates_exact_constructions_kernel;
  const CGAL::Cartesian_converter<Kernel, Exact> exact;
  std::array<Exact::Point_3, 3> p, q;
  std::transform(s.begin(), s.end(), p.begin(), exact);
  std::transform(t.begin(), t.end(), q.begin(), exact);
  auto common_corner = [&](const Exact::Point_3& x) {
    return std::find(p.begin(), p.end(), x) != p.end() && std::find(q.begin(), q.end(), x) != q.end();
  };
  const auto common = CGAL::intersection(Exact::Triangle_3(p[0], p[1], p[2]), Exact::Triangle_3(q[0], q[1], q[2]));
  if (!common) return true;
  if (const auto* point = boost::get<Exact::Point_3>(&*common)) return common_corner(*point);
  if (const auto* segment = boost::get<Exact::Segment_3>(&*common))
    return common_corner(segment->source()) && common_corner(segment->target());
  return false;
}

Corners corners_of(const Surface& surface, Surface::Face_index face) {
  Corners p;
  std::size_t k = 0;
  for (const auto v : vertices_around_face(surface.halfedge(face), surface)) p[k++] = surface.point(v);
  return p;
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
  std::vector<std::pair<Surface::Face_index, Surface::Face_index>> pairs;
  PMP::self_intersections(surface, std::back_inserter(pairs));
  for (const auto& [f, g] : pairs) (only_touch(corners_of(surface, f), corners_of(surface, g)) ? result.contacts : result.self_intersects) = true;
  auto component = surface.add_property_map<Surface::Face_index, std::size_t>("f:component").first;
  result.shells = PMP::connected_components(surface, component);
  if (!result.closed || result.self_intersects) return result;
  result.volume = CGAL::to_double(PMP::volume(surface));
  // Where shells touch, which is a cavity of which cannot be asked of CGAL; leave it.
  if (result.contacts) return result;
  // does_bound_a_volume crashes on some meshes with a tiny shell: the shells are asked one by one. One inside an
  // even number of others must look outwards, the others are cavities.
  std::vector<Surface> shells;
  PMP::split_connected_components(surface, shells);
  result.bounds_volume = result.outward = true;
  for (std::size_t i = 0; i < shells.size(); ++i) {
    std::size_t around = 0;
    const auto corner = shells[i].point(*shells[i].vertices().begin());
    for (std::size_t j = 0; j < shells.size(); ++j)
      if (j != i && CGAL::Side_of_triangle_mesh<Surface, Kernel>(shells[j])(corner) == CGAL::ON_BOUNDED_SIDE) ++around;
    if (PMP::is_outward_oriented(shells[i]) != (around % 2 == 0)) result.outward = false;
  }
  return result;
}

Farthest farthest_from(const Mesh& mesh, const Mesh& other) {
  using Tree = CGAL::AABB_tree<CGAL::AABB_traits<Kernel, CGAL::AABB_face_graph_triangle_primitive<Surface>>>;
  Farthest farthest;
  Surface surface;
  if (!build(other, surface)) return {std::numeric_limits<double>::infinity(), std::numeric_limits<double>::infinity()};
  Tree tree(faces(surface).first, faces(surface).second, surface);
  std::vector<char> used(mesh.positions.size(), 0);
  for (Index v : mesh.corners) used[v] = 1;
  for (std::size_t v = 0; v < used.size(); ++v) {
    if (!used[v]) continue;
    const Vec3& p = mesh.positions[v];
    const double length = std::sqrt(tree.squared_distance({p.x(), p.y(), p.z()}));
    const auto largest = static_cast<float>(p.cwiseAbs().maxCoeff());
    farthest.length = std::max(farthest.length, length);
    farthest.steps = std::max(farthest.steps, length / (std::nextafter(largest, std::numeric_limits<float>::infinity()) - largest));
  }
  return farthest;
}

bool meet_beyond_corners(const std::array<Vec3, 3>& s, const std::array<Vec3, 3>& t) {
  auto corners = [](const std::array<Vec3, 3>& p) {
    Corners c;
    for (std::size_t k = 0; k < 3; ++k) c[k] = Kernel::Point_3(p[k].x(), p[k].y(), p[k].z());
    return c;
  };
  return !only_touch(corners(s), corners(t));
}

std::size_t crossing_pairs(const Mesh& mesh) {
  Surface surface;
  if (!build(mesh, surface)) return 0;
  std::vector<std::pair<Surface::Face_index, Surface::Face_index>> pairs;
  PMP::self_intersections(surface, std::back_inserter(pairs));
  return pairs.size();
}

struct Inside::State {
  explicit State(const Mesh& mesh) : whole(build(mesh, surface)), side(surface) {}
  Surface surface;
  bool whole;
  CGAL::Side_of_triangle_mesh<Surface, Kernel> side;
};
Inside::Inside(const Mesh& mesh) : state_(std::make_unique<State>(mesh)) {}
Inside::~Inside() = default;
bool Inside::operator()(const Vec3& point) const {
  return state_->side({point.x(), point.y(), point.z()}) == CGAL::ON_BOUNDED_SIDE;
}

}  // namespace anvil::test
