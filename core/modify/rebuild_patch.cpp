// SPDX-License-Identifier: GPL-3.0-or-later
// Spoiled faces made anew from what surrounds them.
#include <Eigen/Cholesky>
#include <algorithm>
#include <map>
#include <set>

#include "core/mesh/attributes.h"
#include "core/mesh/boundary.h"
#include "core/mesh/union_find.h"
#include "core/modify/edge_line.h"
#include "core/modify/fill_hole.h"
#include "core/modify/lead.h"
#include "core/modify/onto_sides.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

/// The point nearest to lines, in the sense of least squares; they are not parallel.
Vec3 nearest_to_lines(const std::vector<std::pair<Vec3, Vec3>>& lines) {
  Eigen::Matrix3d squares = Eigen::Matrix3d::Zero();
  Vec3 sums = Vec3::Zero();
  for (const auto& [at, way] : lines) {
    const Eigen::Matrix3d across = Eigen::Matrix3d::Identity() - way * way.transpose();
    squares += across;
    sums += across * (at - lines[0].first);
  }
  return lines[0].first + squares.ldlt().solve(sums);
}

/// A vertex on the outline of a patch where a sharp edge ends, and the way in which it does.
struct EdgeEnd {
  Index vertex;
  Vec3 at, way;
};

/// Which vertices are to be joined by lines so that sharp edges go on through a patch: three go to the vertex nearest to where they meet, others by twos, the straightest first.
std::vector<std::vector<Index>> through_patch(const WorkedTriangles& work, std::vector<EdgeEnd> ends, const std::vector<Index>& inner) {
  std::vector<std::vector<Index>> lines;
  if (ends.size() == 3 && !inner.empty()) {
    const Vec3 corner = nearest_to_lines({{ends[0].at, ends[0].way}, {ends[1].at, ends[1].way}, {ends[2].at, ends[2].way}});
    const Index middle = *std::min_element(inner.begin(), inner.end(), [&](Index v, Index w) { return (work.positions[v] - corner).norm() < (work.positions[w] - corner).norm(); });
    for (const EdgeEnd& end : ends) lines.push_back({end.vertex, middle});
    return lines;
  }
  while (ends.size() >= 2) {
    std::size_t first = 0, second = 1;
    double best = -3;
    for (std::size_t i = 0; i < ends.size(); ++i)
      for (std::size_t j = i + 1; j < ends.size(); ++j) {
        const Vec3 way = (ends[j].at - ends[i].at).stableNormalized();
        const double straight = ends[i].way.dot(way) - ends[j].way.dot(way);
        if (straight > best) best = straight, first = i, second = j;
      }
    lines.push_back({ends[first].vertex, ends[second].vertex});
    ends.erase(ends.begin() + static_cast<std::ptrdiff_t>(second));
    ends.erase(ends.begin() + static_cast<std::ptrdiff_t>(first));
  }
  return lines;
}

}  // namespace

Result<Edited> rebuild_patch(const Mesh& mesh, const Topology& topology, std::span<const Index> faces, double sharper_than, const Control& control) {
  std::vector<char> in(mesh.face_count(), 0);
  for (Index f : faces) in[f] = 1;
  // Patches that hang together, each closed by a ring of edges with a face that stays on the other side.
  UnionFind sets(mesh.face_count());
  std::vector<Vec3> open;
  for (Index e = 0; e < topology.edges.size(); ++e) {
    const std::vector<Index> at = topology.faces_on(e);
    const auto of_patch = static_cast<std::size_t>(std::count_if(at.begin(), at.end(), [&](Index f) { return in[f] != 0; }));
    if (of_patch > 0 && at.size() != 2) open.push_back(place_of(mesh, topology, ElementKind::edges, e));
    if (of_patch == 2 && at.size() == 2) sets.unite(at[0], at[1]);
  }
  if (!open.empty()) return Issue{"the faces reach a border, or an edge where other than two faces meet", "", open, "choose faces inside of the surface, or fill the hole first"};
  Mesh rest;
  rest.positions = mesh.positions;
  std::vector<Index> source;
  for (Index f = 0; f < mesh.face_count(); ++f)
    if (!in[f]) rest.add_face(mesh.face(f)), source.push_back(f);
  if (rest.face_count() == 0) return Issue{"all faces are chosen: nothing is left to go on from", "", {}, "choose the spoiled faces only"};
  carry_attributes(mesh, source, rest);
  std::map<Index, Index> patch_at;  // of a vertex
  for (Index f : faces)
    for (Index v : mesh.face(f)) patch_at[v] = sets.find(f);
  std::map<Index, int> rings;
  const EdgeTable rest_edges = build_edges(rest);
  const std::vector<BoundaryChain> chains = boundary_chains(rest_edges);
  std::vector<const BoundaryChain*> ours;
  for (const BoundaryChain& chain : chains) {
    // Ours are those along which faces of a patch lay.
    const auto& [v, w] = rest_edges.vertices[chain.edges[0]];
    for (Index f : topology.faces_on(topology.edge_between(v, w)))
      if (in[f]) {
        ++rings[sets.find(f)];
        ours.push_back(&chain);
      }
  }
  std::set<Index> patches;
  for (Index f : faces) patches.insert(sets.find(f));
  for (Index patch : patches)
    if (rings[patch] != 1) {
      std::vector<Vec3> places;
      for (Index f : faces)
        if (sets.find(f) == patch) places.push_back(place_of(mesh, topology, ElementKind::faces, f));
      places.resize(std::min<std::size_t>(places.size(), 1));
      return Issue{rings[patch] == 0 ? "a whole shell is chosen: nothing is left to go on from" : "a patch is a ring around faces that are not chosen", "", places, "choose faces that hang together, and those that they enclose as well"};
    }

  MeshEditor fill(rest);
  HoleFiller filler(rest, control);
  Edited out;
  const WorkedTriangles around(rest, control);
  for (const auto& [v, patch] : patch_at)
    if (around.fan(v).empty()) fill.drop_vertex(v);
  std::vector<std::vector<EdgeEnd>> ends;  // of each hole
  for (const BoundaryChain* chain : ours) {
    std::vector<Index> beside;
    for (Index e : chain->edges) beside.push_back(rest_edges.corner_face[rest_edges.corners_of(e)[0]]);
    if (!filler.fill(chain->vertices, beside, false, fill)) return Issue{"no surface was found for the hole", "", {rest.positions[chain->vertices[0]]}, "choose a larger patch, whose outline is even"};
    ends.emplace_back();
    for (Index v : chain->vertices)
      for (Index t : around.fan(v)) {
        const Index c = around.corner_of(t, v);
        if (around.opposite(c) == no_index || around.turn(c) <= sharper_than) continue;
        ends.back().push_back({v, rest.positions[v], (rest.positions[v] - rest.positions[around.at(next_in_triangle(c))]).stableNormalized()});
        break;
      }
  }
  const EditedMesh filled = fill.finish();
  std::map<Index, Index> number;  // of a vertex of the outline, in what was filled
  std::vector<Index> inner;
  for (Index v = 0; v < filled.vertex_source.size(); ++v) {
    if (filled.vertex_source[v] == no_index)
      inner.push_back(v);
    else if (patch_at.contains(filled.vertex_source[v]))
      number[filled.vertex_source[v]] = v;
  }
  WorkedTriangles work(filled.mesh, control);
  Line line;
  std::vector<Index> on_line;
  for (std::vector<EdgeEnd>& of_hole : ends) {
    for (EdgeEnd& end : of_hole) end.vertex = number.at(end.vertex);
    for (const std::vector<Index>& way : through_patch(work, std::move(of_hole), inner)) {
      const Result<std::vector<Index>> led = lead(work, way, 1, held_loosely);
      if (!led) {
        out.left.push_back(work.positions[way[0]]);
        out.why_left = "the sharp edge could not be led on through the patch";
        continue;
      }
      const Line made = pairs(*led);
      line.insert(line.end(), made.begin(), made.end());
      on_line.insert(on_line.end(), led->begin(), led->end());
    }
  }
  if (!line.empty()) {
    // What was filled is what is rounded, and as far as that the surface about it tells where it goes on.
    std::vector<char> rounded(work.positions.size(), 0);
    for (Index v : inner) rounded[v] = 1;
    for (std::size_t v = filled.mesh.positions.size(); v < rounded.size(); ++v) rounded[v] = 1;
    double reach = reach_of(work, on_line, 0);
    const LineTree tree(work, line);
    for (Index v = 0; v < rounded.size(); ++v)
      if (rounded[v]) reach = std::max(reach, tree.distance(work.positions[v]));
    const std::vector<Vec3> stayed = onto_sides(work, line, reach, rounded);
    if (!stayed.empty() && out.why_left.empty()) out.why_left = "faces would turn over there";
    out.left.insert(out.left.end(), stayed.begin(), stayed.end());
  }
  out.done = faces.size();
  out.mesh = work.finish();
  // What was made anew is what lay there: the face of its patch that is nearest.
  std::vector<Vec3> places;
  for (Index f : faces) places.push_back(place_of(mesh, topology, ElementKind::faces, f));
  for (Index f = 0; f < out.mesh.mesh.face_count(); ++f) {
    check_stop(control);
    Index& from = out.mesh.source[f];
    const Index was = from == no_index ? no_index : filled.source[from];
    if (was != no_index) {
      from = source[was];
      continue;
    }
    Vec3 middle = Vec3::Zero();
    for (Index v : out.mesh.mesh.face(f)) middle += out.mesh.mesh.positions[v] / static_cast<double>(out.mesh.mesh.face(f).size());
    const auto nearest = std::min_element(places.begin(), places.end(), [&](const Vec3& a, const Vec3& b) { return (a - middle).squaredNorm() < (b - middle).squaredNorm(); });
    from = faces[static_cast<std::size_t>(nearest - places.begin())];
  }
  carry_attributes(mesh, out.mesh.source, out.mesh.mesh);
  if (is_sound(mesh, {}, 1, control.stop) && !is_sound(out.mesh.mesh, {}, 1, control.stop))
    return Issue{"what is around the patch leads to a surface that runs through itself, or through others", "", {place_of(mesh, topology, ElementKind::faces, faces[0])},
                 "choose a patch with an evener outline, or one that does not reach over so much of the part"};
  return out;
}

}  // namespace anvil
