// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/skin_holes.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <map>
#include <utility>

#include "core/mesh/edges.h"
#include "core/mesh/union_find.h"
#include "core/recast/smooth.h"
#include "core/recast/strays.h"

namespace anvil::recast {
namespace {

/// How far it is across some points, to a few hundredths: from any of them to the farthest, and from that to the farthest.
double across(std::span<const Vec3> points) {
  const auto farthest = [&](const Vec3& from) { return *std::max_element(points.begin(), points.end(), [&](const Vec3& p, const Vec3& q) { return (p - from).squaredNorm() < (q - from).squaredNorm(); }); };
  const Vec3 one = farthest(points.front());
  return (farthest(one) - one).norm();
}

/// Gives each fan of faces at a vertex a vertex of its own: where holes meet in one, the surface would hang together by it alone.
void part_fans(Mesh& mesh) {
  const EdgeTable edges = build_edges(mesh);
  UnionFind fans(mesh.corners.size());
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    for (std::size_t k = 1; k < uses.size(); ++k)
      for (const Index c : {uses[k], next_corner(mesh, edges.corner_face[uses[k]], uses[k])})
        for (const Index d : {uses[0], next_corner(mesh, edges.corner_face[uses[0]], uses[0])})
          if (mesh.corners[c] == mesh.corners[d]) fans.unite(c, d);
  }
  std::vector<Index> own(mesh.corners.size(), no_index);  // of each fan, by the corner that stands for it
  std::vector<char> taken(mesh.positions.size(), 0);
  const std::vector<Index> before = mesh.corners;
  for (Index c = 0; c < before.size(); ++c) {
    Index& v = own[fans.find(c)];
    if (v == no_index) v = std::exchange(taken[before[c]], 1) != 0 ? mesh.add_vertex(Vec3(mesh.positions[before[c]])) : before[c];
    mesh.corners[c] = v;
  }
}

}  // namespace

void widen_spans(Recast& made, const Ground& ground, double detail, std::span<const char> at_root, std::span<const char> scope) {
  const Mesh& mesh = made.result.mesh;
  std::vector<char> by_span(mesh.positions.size(), 0), by_root(mesh.positions.size(), 0);
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) {
      if (made.spanned[f]) by_span[v] = 1;
      if (!at_root.empty() && at_root[f]) by_root[v] = 1;
    }
  const double beside = 0.25 * detail, elsewhere = 0.5 * detail;
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(mesh.face_count()), 256), [&](const auto& range) {
    for (Index f = range.begin(); f < range.end(); ++f) {
      const auto ring = mesh.face(f);
      if (!scope.empty() && std::none_of(ring.begin(), ring.end(), [&](Index v) { return scope[v]; })) continue;
      const bool is_beside = std::any_of(ring.begin(), ring.end(), [&](Index v) { return by_span[v]; });
      if (made.spanned[f] || (!is_beside && std::any_of(ring.begin(), ring.end(), [&](Index v) { return by_root[v]; }))) continue;
      if (strays(mesh, f, ground.nearest, is_beside ? beside : elsewhere)) made.spanned[f] = 1, made.result.sources.face[f] = no_index;
    }
  });
}

void even_spans(Recast& made, const std::string& name, const Control& control) {
  SmoothSettings passes;
  passes.passes = 40;
  passes.strength = 1;
  passes.keep_volume = false;
  passes.held.sharper_than = 180;
  passes.held.materials = passes.held.regions = false;
  passes.scope = made.spanned;
  Smoothed smoothed = smooth(made.result.mesh, name, passes, control);
  if (smoothed.is_sound) made.result.mesh.positions = std::move(smoothed.positions);
}

std::vector<Vec3> open_holes(Recast& made, double widest) {
  const Mesh& mesh = made.result.mesh;
  UnionFind joined(mesh.positions.size());
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f))
      if (made.spanned[f]) joined.unite(v, mesh.face(f)[0]);
  std::map<Index, std::vector<Vec3>> spans;
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f))
      if (made.spanned[f]) spans[joined.find(v)].push_back(mesh.positions[v]);
  std::erase_if(spans, [&](const auto& span) { return widest > 0 && across(span.second) <= widest; });
  std::vector<Vec3> middles;
  for (const auto& [root, points] : spans) {
    Box3 box;
    for (const Vec3& p : points) box.add(p);
    middles.push_back(box.centre());
  }
  if (middles.empty()) return middles;
  std::vector<Index> group;
  for (Index f = 0; f < mesh.face_count(); ++f) group.push_back(made.spanned[f] && spans.count(joined.find(mesh.face(f)[0])) > 0 ? no_index : 0);
  Kept kept(made);
  kept.add(take_apart(made.result.mesh, group, 1).front());
  kept.take();
  part_fans(made.result.mesh);
  made.result.open_on_purpose = true;
  return middles;
}

}  // namespace anvil::recast
