// SPDX-License-Identifier: GPL-3.0-or-later
// The first engine: CGAL's corefinement, with its preconditions checked so that what it cannot do gets a
// clear answer.
#include "core/boolean/combine.h"

#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/Polygon_mesh_processing/bbox.h>
#include <CGAL/Polygon_mesh_processing/corefinement.h>
#include <CGAL/Polygon_mesh_processing/measure.h>
#include <CGAL/Polygon_mesh_processing/orientation.h>
#include <CGAL/Polygon_mesh_processing/polygon_soup_to_polygon_mesh.h>
#include <CGAL/Polygon_mesh_processing/self_intersections.h>
#include <CGAL/Surface_mesh.h>
#include <fmt/format.h>

#include <chrono>

#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"

namespace anvil {
namespace {

namespace PMP = CGAL::Polygon_mesh_processing;
using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
using Surface = CGAL::Surface_mesh<Kernel::Point_3>;

constexpr const char* look_at_mend = "look at its places in the Mend station, or leave it out";

Issue refusal(const Operand& operand, std::string what, std::vector<Vec3> places) {
  return {std::move(what), operand.name, std::move(places), look_at_mend};
}

/// Middles of the edges whose number of faces is not two; empty when the part is closed and edge-manifold.
std::vector<Vec3> bad_edges(const Mesh& mesh, bool open) {
  const EdgeTable edges = build_edges(mesh);
  std::vector<Vec3> places;
  for (std::size_t e = 0; e < edges.size(); ++e) {
    const std::size_t faces = edges.corners_of(e).size();
    if (open ? faces == 1 : faces > 2)
      places.push_back(
          (0.5 * (mesh.positions[edges.vertices[e][0]] + mesh.positions[edges.vertices[e][1]])).eval());
  }
  return places;
}

Result<Surface> to_surface(const Operand& operand, BooleanReport& report) {
  const Mesh& mesh = *operand.mesh;
  if (mesh.empty()) return refusal(operand, "has no faces to combine", {});
  if (auto open = bad_edges(mesh, true); !open.empty())
    return refusal(operand, fmt::format("is open at {} edges, so it bounds no volume", open.size()), open);
  if (auto crowded = bad_edges(mesh, false); !crowded.empty())
    return refusal(operand, fmt::format("has {} edges with more than two faces", crowded.size()), crowded);
  std::vector<Kernel::Point_3> points;
  for (const Vec3& p : mesh.positions) {
    const Vec3 q = operand.placement * p;
    points.emplace_back(q.x(), q.y(), q.z());
  }
  std::vector<std::array<std::size_t, 3>> triangles;
  for (const Triangle& t : triangulate(mesh).triangles) triangles.push_back({t[0], t[1], t[2]});
  if (!PMP::is_polygon_soup_a_polygon_mesh(triangles))
    return refusal(operand, "has faces that are turned against their neighbours or meet in one vertex only",
                   {});
  Surface surface;
  PMP::polygon_soup_to_polygon_mesh(points, triangles, surface);
  for (const auto f : faces(surface))
    if (PMP::is_degenerate_triangle_face(f, surface)) {
      const auto& p = surface.point(target(halfedge(f, surface), surface));
      return refusal(operand, "has a face without area",
                     {operand.placement.inverse() * Vec3(p.x(), p.y(), p.z())});
    }
  std::vector<std::pair<Surface::Face_index, Surface::Face_index>> crossing;
  PMP::self_intersections(surface, std::back_inserter(crossing));
  if (!crossing.empty()) {
    std::vector<Vec3> places;
    for (const auto& pair : crossing) {
      const auto& p = surface.point(target(halfedge(pair.first, surface), surface));
      places.push_back(operand.placement.inverse() * Vec3(p.x(), p.y(), p.z()));
    }
    return refusal(operand, fmt::format("crosses itself at {} pairs of faces", crossing.size()), places);
  }
  if (!PMP::does_bound_a_volume(surface)) {
    PMP::orient_to_bound_a_volume(surface);
    report.done.push_back({"operands_turned_right", 1, operand.name});
  } else if (!PMP::is_outward_oriented(surface)) {
    PMP::reverse_face_orientations(surface);
    report.done.push_back({"operands_turned_right", 1, operand.name});
  }
  return surface;
}

Mesh to_mesh(const Surface& surface) {
  Mesh mesh;
  std::vector<Index> id(surface.number_of_vertices() + surface.number_of_removed_vertices(), no_index);
  for (const auto v : vertices(surface)) {
    const auto& p = surface.point(v);
    id[v] = mesh.add_vertex({p.x(), p.y(), p.z()});
  }
  for (const auto f : faces(surface)) {
    std::array<Index, 3> corners;
    std::size_t k = 0;
    for (const auto v : vertices_around_face(surface.halfedge(f), surface)) corners[k++] = id[v];
    mesh.add_face(corners);
  }
  return mesh;
}

/// Lets a stop request end a corefinement between its steps.
struct StopVisitor : PMP::Corefinement::Default_visitor<Surface> {
  std::stop_token stop;
  void check() const {
    if (stop.stop_requested()) throw Stopped{};
  }
  void progress_filtering_intersections(double) const { check(); }
  void start_handling_edge_face_intersections(std::size_t) const { check(); }
  void edge_face_intersections_step() const { check(); }
  void triangulating_faces_step() const { check(); }
  void start_building_output() const { check(); }
};

/// One operation. All go through one instantiation of the template, which takes minutes to compile.
/// @return false when the result would not be manifold
bool corefine_one(Surface& part, Surface& tool, Operation operation, const StopVisitor& visitor,
                  Surface& out) {
  std::array<boost::optional<Surface*>, 4> outputs;
  const auto which = operation == Operation::unite        ? PMP::Corefinement::UNION
                     : operation == Operation::difference ? PMP::Corefinement::TM1_MINUS_TM2
                                                          : PMP::Corefinement::INTERSECTION;
  outputs[which] = &out;
  return PMP::corefine_and_compute_boolean_operations(
      part, tool, outputs, CGAL::parameters::visitor(visitor).throw_on_self_intersection(true))[which];
}

std::string why_empty(Operation last, const std::string& tool) {
  switch (last) {
    case Operation::difference:
      return fmt::format("{} covers the whole part", tool);
    case Operation::intersection:
      return fmt::format("{} and the part have nothing in common", tool);
    case Operation::unite:
      return "there was nothing to combine";
  }
  return {};
}

class Clock {
 public:
  double seconds() const {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
  }

 private:
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

}  // namespace

const char* key_of(Operation operation) {
  switch (operation) {
    case Operation::unite:
      return "union";
    case Operation::difference:
      return "difference";
    case Operation::intersection:
      return "intersection";
  }
  return "";
}

Result<Operation> operation_named(const std::string& key) {
  for (Operation o : {Operation::unite, Operation::difference, Operation::intersection})
    if (key == key_of(o)) return o;
  return Issue{fmt::format("\"{}\" is not an operation known here", key),
               "",
               {},
               "use union, difference or intersection"};
}

Result<BooleanResult> combine(const std::vector<Operand>& operands, const Control& control) {
  const Clock whole;
  BooleanResult result;
  if (operands.empty()) return Issue{"there is nothing to combine", "", {}, "choose at least one part"};
  auto step_done = [&](std::size_t i) {
    if (control.stop.stop_requested()) throw Stopped{};
    if (control.progress != nullptr)
      *control.progress = static_cast<double>(i) / static_cast<double>(2 * operands.size());
  };

  Clock gather;
  std::vector<Surface> surfaces;
  for (const Operand& operand : operands) {
    Result<Surface> surface = to_surface(operand, result.report);
    if (!surface) return surface.issue();
    surfaces.push_back(std::move(*surface));
    step_done(surfaces.size());
  }
  result.report.stages.push_back({"gather", gather.seconds()});

  Clock corefine;
  Surface running = std::move(surfaces[0]);
  for (std::size_t i = 1; i < operands.size(); ++i) {
    const Operand& tool = operands[i];
    StopVisitor visitor;
    visitor.stop = control.stop;
    Surface out;
    bool valid = true;
    if (running.number_of_faces() == 0) {
      if (tool.operation == Operation::unite) out = surfaces[i];
    } else {
      try {
        valid = corefine_one(running, surfaces[i], tool.operation, visitor, out);
      } catch (const PMP::Corefinement::Self_intersection_exception&) {
        return Issue{"the result of the steps before it crosses itself where this tool cuts",
                     tool.name,
                     {},
                     "move the tool slightly or change the order"};
      }
    }
    if (!valid)
      return Issue{
          "the result would touch itself along an edge, which this engine cannot write as a manifold",
          tool.name,
          {},
          "move the tool so that it overlaps or clears the part"};
    out.collect_garbage();
    const bool became_empty = out.number_of_faces() == 0 && running.number_of_faces() != 0;
    if (became_empty) result.report.empty_reason = why_empty(tool.operation, tool.name);
    running = std::move(out);
    step_done(operands.size() + i + 1);
  }
  result.report.stages.push_back({"corefine", corefine.seconds()});
  result.mesh = to_mesh(running);
  if (!result.mesh.empty()) result.report.empty_reason.clear();
  result.report.seconds = whole.seconds();
  return result;
}

}  // namespace anvil
