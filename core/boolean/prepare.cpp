// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 1, first half: each part made ready by itself.
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <numeric>

#include "core/boolean/contradiction.h"
#include "core/boolean/facets.h"
#include "core/boolean/prepared.h"
#include "core/mesh/charts.h"
#include "core/mesh/edges.h"
#include "core/mesh/orient.h"
#include "core/exact/predicates.h"
#include "core/exact/volume.h"
#include "core/mesh/triangles_cross.h"
#include "core/mesh/union_find.h"
#include "core/mesh/weld.h"

namespace anvil::boolean {
namespace {

constexpr Note holes_closed{"holes_closed", "1 hole closed in {1}", "{0} holes closed in {1}"};
constexpr Note faces_turned_right{"faces_turned_right", "1 face of {1} turned right", "{0} faces of {1} turned right"};
constexpr Note operands_turned_right{"operands_turned_right", "{1} was inside out and has been turned right",
                                     "{1} was inside out and has been turned right"};
constexpr Note zero_area_faces_dropped{"zero_area_faces_dropped", "1 zero-area face of {1} left out", "{0} zero-area faces of {1} left out"};
constexpr Note cuts_as_sheet{"cuts_as_sheet", "{1} is open and cuts as a sheet", "{1} is open and cuts as a sheet"};

/// Net number of faces that run along each edge from its smaller to its larger vertex; not zero at the boundary.
std::vector<std::array<Index, 2>> boundary_edges(const Mesh& mesh) {
  const EdgeTable edges = build_edges(mesh);
  std::vector<std::array<Index, 2>> boundary;
  for (std::size_t e = 0; e < edges.size(); ++e) {
    int net = 0;
    for (Index c : edges.corners_of(e)) net += mesh.corners[c] == edges.vertices[e][0] ? 1 : -1;
    // The way a cap has to run: against the surplus.
    for (; net > 0; --net) boundary.push_back({edges.vertices[e][1], edges.vertices[e][0]});
    for (; net < 0; ++net) boundary.push_back({edges.vertices[e][0], edges.vertices[e][1]});
  }
  return boundary;
}

/// Turns faces over so that neighbours across edges with two faces agree; the larger side of each patch stays.
std::size_t make_consistent(Mesh& mesh) {
  const PatchOrientation orientation = orient_patches(mesh, build_edges(mesh));
  std::vector<std::size_t> faces(orientation.patches, 0), against(orientation.patches, 0);
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    ++faces[orientation.patch[f]];
    against[orientation.patch[f]] += static_cast<std::size_t>(orientation.against_first[f]);
  }
  std::size_t turned = 0;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    const Index patch = orientation.patch[f];
    const bool most_are_against = 2 * against[patch] > faces[patch];
    if ((orientation.against_first[f] != 0) == most_are_against) continue;
    std::reverse(mesh.corners.begin() + mesh.face_offsets[f], mesh.corners.begin() + mesh.face_offsets[f + 1]);
    ++turned;
  }
  return turned;
}

/// Adds a face for each closed chain of boundary edges. All chains close, since a boundary has no boundary.
std::size_t cap_holes(Mesh& mesh, std::vector<std::array<Index, 2>> boundary, std::vector<Vec3>& places) {
  std::sort(boundary.begin(), boundary.end());
  std::vector<char> used(boundary.size(), 0);
  std::size_t caps = 0;
  for (std::size_t first = 0; first < boundary.size(); ++first) {
    if (used[first]) continue;
    std::vector<Index> chain;
    std::size_t at = first;
    while (true) {
      used[at] = 1;
      chain.push_back(boundary[at][0]);
      const Index next = boundary[at][1];
      // A chain that comes back to one of its own vertices has closed a loop there.
      const auto loop = std::find(chain.begin(), chain.end(), next);
      if (loop != chain.end()) {
        mesh.add_face(std::span<const Index>(&*loop, static_cast<std::size_t>(chain.end() - loop)));
        Vec3 sum = Vec3::Zero();
        for (auto it = loop; it != chain.end(); ++it) sum += mesh.positions[*it];
        places.push_back(sum / static_cast<double>(chain.end() - loop));
        ++caps;
        chain.erase(loop, chain.end());
        if (chain.empty()) break;
      }
      auto it = std::lower_bound(boundary.begin(), boundary.end(), std::array<Index, 2>{next, 0});
      while (it != boundary.end() && (*it)[0] == next && used[static_cast<std::size_t>(it - boundary.begin())]) ++it;
      if (it == boundary.end() || (*it)[0] != next) throw Contradiction("the boundary of a hole does not close");
      at = static_cast<std::size_t>(it - boundary.begin());
    }
  }
  return caps;
}

double area_of(const Mesh& mesh, std::size_t from_face) {
  Mesh part;
  part.positions = mesh.positions;
  for (std::size_t f = from_face; f < mesh.face_count(); ++f) part.add_face(mesh.face(f));
  return surface_area(part);
}

/// What capping would add this share of a part's own area to is a sheet, not a solid with holes.
constexpr double sheet_share = 0.3;

/// Makes an open or inconsistent mesh bound a volume, or leaves it a sheet. @return its faces without the caps
std::size_t close(Mesh& mesh, bool may_be_sheet, const std::string& name, Prepared& out) {
  auto boundary = boundary_edges(mesh);
  const std::size_t own = mesh.face_count();
  if (boundary.empty()) return own;
  if (const std::size_t flipped = make_consistent(mesh); flipped > 0) {
    out.done.push_back({&faces_turned_right, flipped, name, {}});
    boundary = boundary_edges(mesh);
  }
  std::vector<Vec3> places;
  Mesh closed = mesh;
  const std::size_t caps = cap_holes(closed, std::move(boundary), places);
  if (may_be_sheet && area_of(closed, own) > sheet_share * surface_area(mesh)) {
    out.sheet = true;
    out.done.push_back({&cuts_as_sheet, 1, name, {}});
    return own;
  }
  mesh = std::move(closed);
  if (places.size() > OperationReport::max_places) places.resize(OperationReport::max_places);
  if (caps > 0) out.done.push_back({&holes_closed, caps, name, std::move(places)});
  return own;
}

/// Triangles that cannot pass as part of an untouched region.
Flags find_near_non_manifold(const Prepared& part, const Mesh& mesh, bool faces_lost_triangles, bool faces_turned) {
  std::vector<char> near_non_manifold(part.triangles.size(), faces_turned);
  std::atomic<bool> any = faces_turned;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, near_non_manifold.size(), 16384), [&](const auto& range) {
    for (std::size_t i = range.begin(); i < range.end(); ++i) {
      bool stays = part.face[i] == no_index;
      for (std::size_t k = 0; k < 3; ++k)
        stays = stays || part.opposite[3 * i + k] == no_index || part.maybe_non_manifold[part.triangles[i][k]];
      if (!stays && faces_lost_triangles) {
        const auto [first, end] = part.polygon(static_cast<Index>(i));
        stays = end - first + 2 != mesh.face(part.face[i]).size();
      }
      if (!stays) continue;
      near_non_manifold[i] = 1;
      any.store(true, std::memory_order_relaxed);
    }
  });
  return any ? Flags::of(std::move(near_non_manifold)) : Flags::none();
}

/// Triangles of the part that meet another anywhere but at common corners and edges, in order.
std::vector<Index> find_crossing(const Prepared& part, const Control& control) {
  std::vector<char> crosses(part.triangles.size(), 0);
  const auto flag = [&](Index t) { return std::atomic_ref(crosses[t]); };
  auto sorted = [](Triangle t) {
    std::sort(t.begin(), t.end());
    return t;
  };
  for_each_possible_crossing(
      part.points, part.triangles, part.opposite,
      [&](Index i, Index j) {
        if (flag(i).load(std::memory_order_relaxed) && flag(j).load(std::memory_order_relaxed)) return;
        const Triangle &s = part.triangles[i], &t = part.triangles[j];
        if (!triangles_cross(part.points, s, t) && sorted(s) != sorted(t)) return;
        flag(i).store(1, std::memory_order_relaxed);
        flag(j).store(1, std::memory_order_relaxed);
      },
      control.stop);
  std::vector<Index> crossing;
  for (Index t = 0; t < crosses.size(); ++t)
    if (crosses[t]) crossing.push_back(t);
  return crossing;
}

void find_shells(Prepared& part) {
  UnionFind sets(part.triangles.size());
  for (Index c = 0; c < part.opposite.size(); ++c)
    if (part.opposite[c] != no_index && c < part.opposite[c]) sets.unite(c / 3, part.opposite[c] / 3);
  part.shells = sets.number(part.shell);
}

bool uses_all_points(const Prepared& part) {
  std::vector<char> used(part.points.size(), 0);
  for (const Triangle& t : part.triangles)
    for (Index v : t) used[v] = 1;
  return std::find(used.begin(), used.end(), 0) == used.end();
}

void find_blocks(Prepared& part) {
  part.blocks.resize((part.triangles.size() + Prepared::block - 1) / Prepared::block);
  tbb::parallel_for(std::size_t{0}, part.blocks.size(), [&](std::size_t b) {
    for (std::size_t i = b * Prepared::block; i < std::min(part.triangles.size(), (b + 1) * Prepared::block); ++i)
      for (Index v : part.triangles[i]) part.blocks[b].add(part.points[v]);
  });
}

/// Keeps the triangles for which `keep` holds, in order.
void filter(TriangleList& list, const std::vector<char>& keep) {
  std::size_t kept = 0;
  for (std::size_t i = 0; i < keep.size(); ++i) {
    if (!keep[i]) continue;
    list.triangles[kept] = list.triangles[i];
    list.face[kept++] = list.face[i];
  }
  list.triangles.resize(kept);
  list.face.resize(kept);
}

}  // namespace

Result<PreparedPtr> prepare(const Operand& operand, bool may_be_sheet, const Control& control) {
  auto out = std::make_shared<Prepared>();
  Mesh mesh;
  mesh.positions = operand.mesh->positions;
  if (!operand.placement.matrix().isIdentity(0))
    for (Vec3& p : mesh.positions) p = operand.placement * p;
  // Beyond this exact arithmetic on doubles over- or underflows (core/io/mesh_file.h has the range of files).
  const double extent = std::accumulate(mesh.positions.begin(), mesh.positions.end(), 0.0,
                                        [](double most, const Vec3& p) { return std::max(most, p.cwiseAbs().maxCoeff()); });
  if (!(extent < 1e45) || (extent > 0 && extent < 1e-45))
    return Issue{"its coordinates are too large or too small to be computed with", operand.name, {}, "scale it to millimetres"};
  const bool mirrored = operand.placement.linear().determinant() < 0;
  const WeldMap weld = weld_equal(mesh.positions);
  const bool all_apart = weld.first.size() == mesh.positions.size();
  TriangleList list;
  auto take_faces = [&] {
    mesh.face_offsets = operand.mesh->face_offsets;
    mesh.corners = operand.mesh->corners;
    if (mirrored) reverse_faces(mesh);
    if (all_apart) return;
    std::vector<Vec3> positions;
    positions.reserve(weld.first.size());
    for (Index v : weld.first) positions.push_back(mesh.positions[v]);
    for (Index& v : mesh.corners) v = weld.id[v];
    mesh.positions = std::move(positions);
  };
  take_faces();
  bool lost_triangles = false;
  auto triangulated = [&] {
    list = triangulate(mesh);
    std::vector<char> keep(list.triangles.size());
    bool all = true;
    for (std::size_t i = 0; i < keep.size(); ++i) {
      const Triangle& t = list.triangles[i];
      keep[i] = t[0] != t[1] && t[1] != t[2] && t[2] != t[0];
      all = all && keep[i];
    }
    if (!all) filter(list, keep);
    lost_triangles = lost_triangles || !all;
    out->opposite = find_opposites(list.triangles, {}, mesh.positions.size());
  };
  triangulated();
  if (std::find(out->opposite.begin(), out->opposite.end(), no_index) != out->opposite.end()) {
    const std::size_t own = close(mesh, may_be_sheet, operand.name, *out);
    triangulated();
    for (Index& f : list.face)
      if (f >= own) f = no_index;
  }

  std::vector<char> keep(list.triangles.size());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, keep.size(), 8192), [&](const auto& range) {
    for (std::size_t i = range.begin(); i < range.end(); ++i) {
      const Triangle& t = list.triangles[i];
      const Vec3 &a = mesh.positions[t[0]], &b = mesh.positions[t[1]], &c = mesh.positions[t[2]];
      const Vec3 normal = (b - a).cross(c - a);
      const double scale = (b - a).cwiseAbs().maxCoeff() * (c - a).cwiseAbs().maxCoeff();
      keep[i] = normal.cwiseAbs().maxCoeff() > 1e-13 * scale || !collinear(a, b, c);
    }
  });
  const auto degenerate = static_cast<std::size_t>(std::count(keep.begin(), keep.end(), 0));
  if (degenerate > 0) {
    out->done.push_back({&zero_area_faces_dropped, degenerate, operand.name, {}});
    filter(list, keep);
    lost_triangles = true;
    out->opposite = find_opposites(list.triangles, {}, mesh.positions.size());
  }
  if (list.triangles.empty())
    return Issue{"it bounds nothing: it has no faces with an area", operand.name, {}, "leave it out"};
  out->points = std::move(mesh.positions);
  out->triangles = std::move(list.triangles);
  find_blocks(*out);
  for (const Box3& block : out->blocks) out->box.add(block.lo), out->box.add(block.hi);
  if (!out->sheet && volume_sign(out->points, out->triangles) < 0) out->done.push_back({&operands_turned_right, 1, operand.name, {out->box.centre()}});
  out->one_triangle_each = operand.mesh->triangles_only();
  if (!out->one_triangle_each)
    for (std::size_t f = 0; f < mesh.face_count(); ++f) out->first_corner.push_back(mesh.face(f).empty() ? 0 : mesh.face(f)[0]);
  out->face = std::move(list.face);
  out->maybe_non_manifold.assign(out->points.size(), 0);
  mark_maybe_non_manifold(out->triangles, out->opposite, out->maybe_non_manifold);
  if (degenerate > 0 || !operand.free_of_crossings) out->crossing = find_crossing(*out, control);
  out->crosses_itself = degenerate > 0 || !out->crossing.empty();
  out->inner = inner_lines(*out);
  out->mesh = operand.mesh;
  if (!all_apart) out->welded = weld.id;
  out->mirrored = mirrored;
  const bool flipped = std::any_of(out->done.begin(), out->done.end(), [](const auto& d) { return d.note == &faces_turned_right; });
  out->near_non_manifold = find_near_non_manifold(*out, *operand.mesh, lost_triangles, flipped);
  find_shells(*out);
  out->all_points_used = uses_all_points(*out);
  return PreparedPtr(std::move(out));
}

}  // namespace anvil::boolean
