// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/push.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>
#include <utility>

#include "core/mesh/bvh.h"
#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"
#include "core/query/meeting_of_planes.h"

namespace anvil {
namespace {

/// The chosen faces as a mesh of their own.
Mesh region_of(const Mesh& mesh, std::span<const Index> faces) {
  Mesh region;
  std::unordered_map<Index, Index> number;
  for (Index f : faces) {
    std::vector<Index> ring;
    for (Index v : mesh.face(f)) {
      const auto [it, is_new] = number.try_emplace(v, static_cast<Index>(region.positions.size()));
      if (is_new) region.add_vertex(mesh.positions[v]);
      ring.push_back(it->second);
    }
    region.add_face(ring);
  }
  return region;
}

/// How each vertex moves for the planes of all faces around it to move by 1, against their normals: to where these meet then. By at
/// most four times as far.
std::vector<Vec3> ways_inwards(const Mesh& region) {
  std::vector<std::vector<PlaneAt>> around(region.positions.size());
  for (Index f = 0; f < region.face_count(); ++f) {
    const Vec3 normal = newell_normal(region.positions, region.face(f)).stableNormalized();
    for (Index v : region.face(f))
      // Faces in one plane count once.
      if (std::none_of(around[v].begin(), around[v].end(), [&](const PlaneAt& plane) { return (plane.normal - normal).norm() < 1e-6; }))
        around[v].push_back({normal, -1});
  }
  constexpr double longest = 4;
  std::vector<Vec3> ways;
  for (const std::vector<PlaneAt>& planes : around) {
    const Vec3 way = meeting_of(planes);
    ways.push_back(way.norm() > longest ? Vec3(longest * way.normalized()) : way);
  }
  return ways;
}

}  // namespace

Vec3 mean_direction(const Mesh& mesh, std::span<const Index> faces) {
  Vec3 sum = Vec3::Zero();
  double all = 0;
  for (Index f : faces) {
    const Vec3 normal = newell_normal(mesh.positions, mesh.face(f));
    sum += normal;
    all += normal.norm();
  }
  return sum.norm() > 1e-9 * all ? Vec3(-sum.stableNormalized()) : Vec3(Vec3::Zero());
}

Result<Mesh> pushed_solid(const Mesh& mesh, const PushSettings& settings) {
  if (settings.faces.empty()) return Issue{"no faces are chosen to be pushed", "", {}, "choose some"};
  const Mesh region = region_of(mesh, settings.faces);
  const bool together = settings.direction != Vec3::Zero();
  const Vec3 way = together ? Vec3(settings.direction.stableNormalized()) : Vec3(Vec3::Zero());
  double depth = settings.depth;
  if (settings.through) {
    // Beyond all of the part, from wherever the region is.
    const Box3 box = bounds(mesh);
    depth = 1.0213 * box.diagonal();
  }
  if (depth == 0) return Issue{"the faces are pushed nowhere", "", {}, "choose a depth"};
  if (together) {
    double most = 0;
    for (Index f = 0; f < region.face_count(); ++f) most = std::max(most, std::abs(newell_normal(region.positions, region.face(f)).stableNormalized().dot(way)));
    if (most < 1e-6) return Issue{"the faces would be pushed along themselves", "", {}, "choose another direction"};
  }
  const std::vector<Vec3> own = together ? std::vector<Vec3>() : ways_inwards(region);
  Mesh solid;
  for (const Vec3& p : region.positions) solid.add_vertex(p);
  for (std::size_t v = 0; v < region.positions.size(); ++v) solid.add_vertex(region.positions[v] + depth * (together ? way : own[v]));
  const auto count = static_cast<Index>(region.positions.size());
  const bool inwards = depth > 0;
  for (Index f = 0; f < region.face_count(); ++f) {
    std::vector<Index> outer(region.face(f).begin(), region.face(f).end()), inner(outer.rbegin(), outer.rend());
    for (Index& v : inwards ? inner : outer) v += count;
    solid.add_face(outer);
    solid.add_face(inner);
  }
  // `outer` looks out: the region itself going in, the moved one going out. Its boundary runs with the region on the left.
  const EdgeTable edges = build_edges(region);
  const auto add_side = [&](Index a, Index b) {
    // Down from a, along, and up to b: seen from outside counter-clockwise.
    const Index low = inwards ? count : 0, high = inwards ? 0 : count;
    if (together) {
      solid.add_face({a + low, b + low, b + high, a + high});
    } else {
      solid.add_face({a + low, b + low, b + high});
      solid.add_face({a + low, b + high, a + high});
    }
  };
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    if (uses.size() != 1) continue;
    const Index c = uses[0];
    add_side(region.corners[c], region.corners[next_corner(region, edges.corner_face[c], c)]);
  }
  return solid;
}

std::vector<PushExit> push_exits(const Mesh& mesh, const PushSettings& settings) {
  std::vector<PushExit> exits;
  const Mesh region = region_of(mesh, settings.faces);
  const bool together = settings.direction != Vec3::Zero();
  const std::vector<Vec3> own = together ? std::vector<Vec3>() : ways_inwards(region);
  const TriangleList list = triangulate(mesh);
  const Bvh tree(mesh.positions, list.triangles);
  const double size = bounds(mesh).diagonal(), within = 1e-5 * size;
  const EdgeTable edges = build_edges(region);
  std::vector<Index> next(region.positions.size(), no_index);  // along the boundary
  for (Index e = 0; e < edges.size(); ++e)
    if (const auto uses = edges.corners_of(e); uses.size() == 1) next[region.corners[uses[0]]] = region.corners[next_corner(region, edges.corner_face[uses[0]], uses[0])];
  // Towards the inside of the region: the middle of a face that has the corner.
  std::vector<Vec3> inside = region.positions;
  for (Index f = 0; f < region.face_count(); ++f) {
    Vec3 middle = Vec3::Zero();
    for (Index v : region.face(f)) middle += region.positions[v] / static_cast<double>(region.face(f).size());
    for (Index v : region.face(f)) inside[v] = middle;
  }
  const auto corners = static_cast<std::size_t>(std::count_if(next.begin(), next.end(), [](Index v) { return v != no_index; }));
  const int samples = corners > 100 ? 1 : 16;  // lines of sight for each edge
  const auto way_of = [&](Index v) { return Vec3((together ? settings.direction : own[v]).stableNormalized()); };
  for (Index first = 0; first < next.size(); ++first) {
    PushExit exit{{}, {}, size, 0};
    bool ends = true;
    for (Index v = first; ends && next[v] != no_index;) {
      const Index to = std::exchange(next[v], no_index);
      for (int k = 0; k < samples && ends; ++k) {
        const double share = static_cast<double>(k) / samples;
        const Vec3 p = region.positions[v] + share * (region.positions[to] - region.positions[v]), way = ((1 - share) * way_of(v) + share * way_of(to)).stableNormalized();
        const Vec3 off = inside[v] - p, start = p + std::min(1.0, within / std::max(off.norm(), 1e-300)) * off + within * way;
        const auto hit = way == Vec3::Zero() ? std::nullopt : tree.nearest_hit(mesh.positions, list.triangles, start, way);
        ends = hit.has_value();
        if (!ends) break;
        const double far = hit->distance + within;
        exit.at.push_back(p + far * way);
        if (k == 0) exit.corners.push_back({p, exit.at.back()});
        exit.nearest = std::min(exit.nearest, far);
        exit.farthest = std::max(exit.farthest, far);
      }
      v = to;
    }
    if (ends && exit.corners.size() > 2) exits.push_back(std::move(exit));
  }
  return exits;
}

Result<BooleanResult> push(const Workpiece& part, const PushSettings& settings, const Control& control) {
  Result<Mesh> solid = pushed_solid(*part.mesh, settings);
  if (!solid) {
    solid.issue().subject = part.name;
    return solid.issue();
  }
  const bool inwards = settings.through || settings.depth > 0;
  return combine_with_made(part, {{std::move(*solid), inwards ? Operation::difference : Operation::unite, "what the faces pass over"}}, control,
                           settings.through ? std::optional<double>() : contact_for(*part.mesh, std::abs(settings.depth)));
}

}  // namespace anvil
