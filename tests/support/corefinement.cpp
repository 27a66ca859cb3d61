// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/corefinement.h"

#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/boost/graph/IO/STL.h>
#include <CGAL/Polygon_mesh_processing/corefinement.h>
#include <CGAL/Polygon_mesh_processing/polygon_soup_to_polygon_mesh.h>
#include <CGAL/Polygon_mesh_processing/repair_polygon_soup.h>
#include <CGAL/Polygon_mesh_processing/self_intersections.h>
#include <CGAL/Polygon_mesh_processing/triangulate_faces.h>
#include <CGAL/Surface_mesh.h>

namespace anvil::test {

namespace pmp = CGAL::Polygon_mesh_processing;
using Surface = CGAL::Surface_mesh<CGAL::Exact_predicates_inexact_constructions_kernel::Point_3>;

struct CgalSolid::State {
  Surface surface;
};

namespace {

/// One instantiation for all operations: it takes minutes to compile.
bool corefine(Surface& part, Surface& tool, CgalOperation operation) {
  std::array<boost::optional<Surface*>, 4> outputs;
  const auto which = operation == CgalOperation::unite        ? pmp::Corefinement::UNION
                     : operation == CgalOperation::difference ? pmp::Corefinement::TM1_MINUS_TM2
                                                              : pmp::Corefinement::INTERSECTION;
  outputs[which] = &part;
  return pmp::corefine_and_compute_boolean_operations(part, tool, outputs)[which];
}

Surface read_surface(const std::string& path) {
  std::vector<Surface::Point> points;
  std::vector<std::array<std::size_t, 3>> triangles;
  if (!CGAL::IO::read_STL(path, points, triangles)) throw std::runtime_error("CGAL cannot read " + path);
  pmp::merge_duplicate_points_in_polygon_soup(points, triangles);
  Surface surface;
  pmp::polygon_soup_to_polygon_mesh(points, triangles, surface);
  return surface;
}

}  // namespace

bool cgal_subtract_files(const std::string& part, const std::string& tool, const std::string& result) {
  Surface a = read_surface(part), b = read_surface(tool);
  if (pmp::does_self_intersect<CGAL::Parallel_if_available_tag>(a) || pmp::does_self_intersect<CGAL::Parallel_if_available_tag>(b))
    return false;
  if (!corefine(a, b, CgalOperation::difference)) return false;
  a.collect_garbage();
  if (pmp::does_self_intersect<CGAL::Parallel_if_available_tag>(a)) return false;
  return CGAL::IO::write_STL(result, a, CGAL::parameters::use_binary_mode(true));
}

CgalSolid::CgalSolid(const Mesh& mesh) : state_(std::make_unique<State>()) {
  std::vector<Surface::Point> points;
  for (const Vec3& p : mesh.positions) points.emplace_back(p.x(), p.y(), p.z());
  std::vector<std::vector<std::size_t>> polygons;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) polygons.emplace_back(mesh.face(f).begin(), mesh.face(f).end());
  pmp::polygon_soup_to_polygon_mesh(points, polygons, state_->surface);
  pmp::triangulate_faces(state_->surface);
}
CgalSolid::CgalSolid(const CgalSolid& other) : state_(std::make_unique<State>(*other.state_)) {}
CgalSolid::~CgalSolid() = default;

bool CgalSolid::combine(CgalSolid& tool, CgalOperation operation) { return corefine(state_->surface, tool.state_->surface, operation); }

std::size_t CgalSolid::faces() const { return state_->surface.number_of_faces(); }

Mesh CgalSolid::mesh() const {
  const Surface& surface = state_->surface;
  Mesh mesh;
  std::vector<Index> id(surface.num_vertices(), no_index);
  for (const auto v : surface.vertices()) {
    const auto& p = surface.point(v);
    id[v] = mesh.add_vertex({p.x(), p.y(), p.z()});
  }
  for (const auto f : surface.faces()) {
    std::array<Index, 3> corners{};
    std::size_t k = 0;
    for (const auto v : vertices_around_face(surface.halfedge(f), surface)) corners[k++] = id[v];
    mesh.add_face(corners);
  }
  return mesh;
}

}  // namespace anvil::test
