// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/flat_base.h"

#include "core/mesh/boundary.h"
#include "core/mesh/planar_region.h"
#include "core/shape/clip.h"
#include "core/shape/plane_cut.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

constexpr Note borders_stretched{"borders_stretched", "1 open border was stretched to the base", "{0} open borders were stretched to the base"};
constexpr Note borders_left{"borders_left", "1 open border looks up and was left: it is a hole to be mended", "{0} open borders look up and were left: they are holes to be mended"};

Loop2 in_plane(const Mesh& mesh, std::span<const Index> ring, const PlaneFrame& frame) {
  Loop2 loop;
  for (Index v : ring) loop.push_back(frame.of(mesh.positions[v]));
  return loop;
}

/// The border's vertices so that a face over it would close it: against the way in which its faces pass it.
std::vector<Index> closing_ring(const EdgeTable& edges, const Mesh& mesh, const BoundaryChain& chain) {
  std::vector<Index> ring = chain.vertices;
  const Index corner = edges.corners_of(chain.edges[0])[0];
  if (mesh.corners[corner] == ring[0]) std::reverse(ring.begin(), ring.end());
  return ring;
}

/// Every edge of a ring gets a wall down to its copy on the base, and the copies a floor.
void stretch(Mesh& mesh, const std::vector<Index>& ring, const HalfSpace& base, const PlaneFrame& frame) {
  const std::size_t n = ring.size();
  std::vector<Index> foot(n);
  for (std::size_t k = 0; k < n; ++k) {
    const Vec3 down = base.projected(mesh.positions[ring[k]]);
    foot[k] = down == mesh.positions[ring[k]] ? ring[k] : mesh.add_vertex(down);
  }
  for (std::size_t k = 0; k < n; ++k) {
    const Index a = ring[k], b = ring[(k + 1) % n], c = foot[(k + 1) % n], d = foot[k];
    if (b != c) mesh.add_face({a, b, c});
    if (a != d) mesh.add_face({a, c, d});
  }
  const PlanarRegion floor = planar_region({in_plane(mesh, foot, frame)}, Inside::wound);
  if (floor.faces.size() == 1 && floor.faces[0].size() == n && floor.points.size() == n) return mesh.add_face(foot);
  // Where it crosses itself, triangles to a point: what they wind around is what it encloses.
  Vec3 middle = Vec3::Zero();
  for (Index v : foot) middle += mesh.positions[v] / static_cast<double>(n);
  const Index centre = mesh.add_vertex(base.projected(middle));
  for (std::size_t k = 0; k < n; ++k) mesh.add_face({foot[k], foot[(k + 1) % n], centre});
}

Result<BooleanResult> base_of_closed(const Workpiece& part, const FlatBaseSettings& settings, const HalfSpace& plane, const PlaneFrame& frame, const Control& control) {
  PlaneCutSettings how;
  how.point = settings.point;
  how.normal = settings.normal;
  how.keep = KeepSide::above;
  how.free_of_crossings = part.free_of_crossings;
  how.cache = part.cache;
  Result<BooleanResult> cut = plane_cut(part.mesh, part.name, how, control);
  if (!cut || cut->mesh.empty() || settings.foot == 0) return cut;
  // The floor: what looks down in the plane.
  const double within = contact_tolerance({}, bounds(*part.mesh));
  std::vector<Loop2> loops;
  for (Index f = 0; f < cut->mesh.face_count(); ++f) {
    const auto face = cut->mesh.face(f);
    const bool lies_in_it = std::all_of(face.begin(), face.end(), [&](Index v) { return std::abs(plane.height(cut->mesh.positions[v])) <= within; });
    if (!lies_in_it || newell_normal(cut->mesh.positions, face).dot(plane.normal()) >= 0) continue;
    Loop2 loop = in_plane(cut->mesh, face, frame);
    std::reverse(loop.begin(), loop.end());
    loops.push_back(std::move(loop));
  }
  if (loops.empty()) return cut;
  const auto standing = std::make_shared<const Mesh>(std::move(cut->mesh));
  Result<BooleanResult> made = combine_with_made({standing, part.name, true}, {{prism(planar_region(loops, Inside::wound), frame, -settings.foot, 0), Operation::unite, "the foot", true}}, control);
  if (!made) return made;
  for (std::size_t f = 0; f < made->sources.face.size(); ++f)
    if (made->sources.face[f] != no_index) made->sources.face[f] = cut->sources.face[made->sources.face[f]];
  made->report.begin_with(std::move(cut->report));
  return made;
}

}  // namespace

Result<BooleanResult> flat_base(const Workpiece& part, const FlatBaseSettings& settings, const Control& control) {
  const HalfSpace plane(settings.point, settings.normal);
  const PlaneFrame frame{plane.point(), plane.u(), plane.v(), plane.normal()};
  if (is_closed(*part.mesh)) return base_of_closed(part, settings, plane, frame, control);
  const double within = contact_tolerance({}, bounds(*part.mesh));
  Clipped clipped = clip(*part.mesh, plane, within);
  BooleanResult result;
  if (clipped.above.empty()) {
    result.report.empty_reason = "nothing of it lies above the plane";
    return result;
  }
  Mesh& mesh = clipped.above;
  const std::size_t own = mesh.face_count();
  const EdgeTable edges = build_edges(mesh);
  const HalfSpace base(settings.point - settings.foot * plane.normal(), settings.normal);
  std::vector<std::vector<Index>> rings;
  std::vector<Vec3> left;
  for (const BoundaryChain& chain : boundary_chains(edges)) {
    if (!chain.closed)
      return Issue{"its open border does not run in closed chains", part.name, {mesh.positions[chain.vertices.front()]}, "mend it first"};
    std::vector<Index> ring = closing_ring(edges, mesh, chain);
    // In the plane itself everything is closed, holes in the floor among it.
    const bool on_plane = std::all_of(ring.begin(), ring.end(), [&](Index v) { return std::abs(plane.height(mesh.positions[v])) <= within; });
    if (on_plane || newell_normal(mesh.positions, ring).dot(plane.normal()) < 0)
      rings.push_back(std::move(ring));
    else
      left.push_back(mesh.positions[ring[0]]);
  }
  for (const std::vector<Index>& ring : rings) stretch(mesh, ring, base, frame);
  if (!rings.empty()) result.report.tell(borders_stretched, rings.size(), part.name);
  std::vector<Index> source = clipped.above_face;
  source.resize(mesh.face_count(), no_index);
  carry_attributes(*part.mesh, source, mesh);
  if (!left.empty()) {
    const std::size_t count = left.size();
    result.report.tell(borders_left, count, part.name, std::move(left));
  } else if (!is_sound(mesh, {}, 1, control.stop)) {
    CombineSettings resolve;
    resolve.resolve = true;
    Result<BooleanResult> settled = combine({{std::make_shared<const Mesh>(mesh), part.name}}, control, resolve);
    if (!settled) return settled;
    for (Index& f : settled->sources.face)
      if (f != no_index) f = f < own ? source[f] : no_index;
    settled->report.begin_with(std::move(result.report));
    return settled;
  }
  for (Index f : source) result.sources.add(0, f);
  result.piece.assign(mesh.face_count(), 0);
  result.mesh = std::move(mesh);
  return result;
}

}  // namespace anvil
