// SPDX-License-Identifier: GPL-3.0-or-later
// Filling chosen holes, and single faces between corners.
#include <algorithm>

#include "core/mesh/boundary.h"
#include "core/modify/edits.h"
#include "core/modify/fill_hole.h"

namespace anvil {
namespace {

constexpr double flat_within = 1e-6;  // of the size of the mesh, as the check has it

/// What speaks for a face with this ring.
struct Fit {
  int open_sides = 0, along = 0;  ///< open edges that it closes; those that their face runs the same way
  bool crowded = false;           ///< a side has two faces already
  double length = 0;
};
Fit fit_of(const Mesh& mesh, const Topology& t, const std::vector<Index>& ring) {
  Fit fit;
  for (std::size_t k = 0; k < ring.size(); ++k) {
    const Index v = ring[k], w = ring[(k + 1) % ring.size()];
    fit.length += (mesh.positions[v] - mesh.positions[w]).norm();
    const Index e = t.edge_between(v, w);
    if (e == no_index) continue;
    const auto corners = t.edges.corners_of(e);
    if (corners.size() > 1) fit.crowded = true;
    if (corners.size() != 1) continue;
    ++fit.open_sides;
    fit.along += mesh.corners[corners[0]] == v;
  }
  return fit;
}

}  // namespace

Result<Edited> fill_holes(const Mesh& mesh, const Topology& topology, std::span<const Index> edges, FillShape shape, const Control& control) {
  std::vector<char> chosen(topology.edges.size(), 0);
  for (Index e : edges) chosen[e] = 1;
  MeshEditor edit(mesh);
  HoleFiller filler(mesh, control);
  Edited out;
  const double tolerance = flat_within * bounds(mesh).diagonal();
  for (const BoundaryChain& chain : boundary_chains(topology.edges)) {
    check_stop(control);
    if (!chain.closed || std::none_of(chain.edges.begin(), chain.edges.end(), [&](Index e) { return chosen[e] != 0; })) continue;
    std::vector<Index> faces;
    for (Index e : chain.edges) faces.push_back(topology.faces_on(e)[0]);
    const bool flat = shape == FillShape::flat || (shape == FillShape::fitting && is_flat(mesh.positions, chain.vertices, tolerance));
    if (filler.fill(chain.vertices, faces, flat, edit)) {
      ++out.done;
    } else {
      out.left.push_back(place_of(mesh, topology, ElementKind::edges, chain.edges[0]));
      out.why_left = "no surface was found for the hole";
    }
  }
  if (out.done == 0 && out.left.empty()) return Issue{"none of the edges lies on a hole", "", {}, "choose an edge with one face, on a boundary that closes"};
  if (out.done == 0) return Issue{out.why_left, "", out.left, "fill it by faces between corners, or bridge it first"};
  out.mesh = edit.finish();
  return out;
}

Result<Edited> fill_between(const Mesh& mesh, const Topology& topology, std::span<const Index> v) {
  if (v.size() != 3 && v.size() != 4) return Issue{"a face between corners takes three or four", "", {}, "choose three or four vertices"};
  std::vector<std::vector<Index>> rings{{v.begin(), v.end()}};
  if (v.size() == 4) rings = {{v[0], v[1], v[2], v[3]}, {v[0], v[1], v[3], v[2]}, {v[0], v[2], v[1], v[3]}};
  std::vector<Index> best;
  Fit best_fit;
  bool crowded = false;
  for (const auto& ring : rings) {
    const Fit fit = fit_of(mesh, topology, ring);
    crowded = crowded || fit.crowded;
    if (fit.crowded) continue;
    if (best.empty() || fit.open_sides > best_fit.open_sides || (fit.open_sides == best_fit.open_sides && fit.length < best_fit.length)) best = ring, best_fit = fit;
  }
  std::vector<Vec3> places;
  for (Index at : v) places.push_back(mesh.positions[at]);
  if (best.empty()) return Issue{"a side of that face has two faces already", "", places, "take one of those away first, or choose other corners"};
  if (newell_normal(mesh.positions, best).isZero(0)) return Issue{"the corners lie on one line", "", places, "choose corners that span a face"};
  if (2 * best_fit.along > best_fit.open_sides) std::reverse(best.begin() + 1, best.end());
  MeshEditor edit(mesh);
  edit.add_face(best);
  return Edited{edit.finish(), 1, {}, {}};
}

}  // namespace anvil
