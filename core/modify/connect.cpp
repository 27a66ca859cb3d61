// SPDX-License-Identifier: GPL-3.0-or-later
// Cutting a face in two from corner to corner.
#include <algorithm>

#include "core/exact/predicates.h"
#include "core/modify/edits.h"

namespace anvil {
namespace {

using Ring = std::vector<Index>;

int turn(const Projection& plane, const Mesh& mesh, Index a, Index b, Index c) {
  const double sign = orient2d(plane(mesh.positions[a]), plane(mesh.positions[b]), plane(mesh.positions[c]));
  return (sign > 0) - (sign < 0);
}

/// Does the line between two corners lie inside of the face, seen along its normal?
bool is_inside(const Mesh& mesh, const Ring& ring, std::size_t i, std::size_t j) {
  const std::size_t n = ring.size();
  const Projection plane = Projection::along(newell_normal(mesh.positions, ring));
  const Index v = ring[i], w = ring[j];
  for (std::size_t k = 0; k < n; ++k) {
    const Index p = ring[k], q = ring[(k + 1) % n];
    if (p == v || p == w || q == v || q == w) continue;
    if (turn(plane, mesh, v, w, p) * turn(plane, mesh, v, w, q) <= 0 && turn(plane, mesh, p, q, v) * turn(plane, mesh, p, q, w) <= 0) return false;
  }
  // Within the corner at v: left of the edge that leaves and of the one that comes, or of either where the corner is reflex.
  const Index before = ring[(i + n - 1) % n], after = ring[(i + 1) % n];
  const int from = turn(plane, mesh, v, after, w), to = turn(plane, mesh, before, v, w);
  return turn(plane, mesh, before, v, after) >= 0 ? from > 0 && to > 0 : from > 0 || to > 0;
}

}  // namespace

Result<Edited> connect_vertices(const Mesh& mesh, const Topology& topology, std::span<const Index> vertices, const Control& control) {
  MeshEditor edit(mesh);
  Edited out;
  std::vector<std::pair<Index, Ring>> made;  // halves, and the face they were cut from
  for (std::size_t k = 0; k + 1 < vertices.size(); ++k) {
    check_stop(control);
    const Index v = vertices[k], w = vertices[k + 1];
    std::vector<std::pair<Index, Ring>> rings;
    for (Index f : topology.faces_at(v)) rings.emplace_back(f, edit.ring(f));
    rings.insert(rings.end(), made.begin(), made.end());
    bool cut = false;
    for (const auto& [f, ring] : rings) {
      const std::size_t n = ring.size();
      const auto i = static_cast<std::size_t>(std::find(ring.begin(), ring.end(), v) - ring.begin());
      const auto j = static_cast<std::size_t>(std::find(ring.begin(), ring.end(), w) - ring.begin());
      if (i == n || j == n || (i + 1) % n == j || (j + 1) % n == i || !is_inside(mesh, ring, i, j)) continue;
      Ring first, second;
      for (std::size_t at = i;; at = (at + 1) % n) {
        first.push_back(ring[at]);
        if (at == j) break;
      }
      for (std::size_t at = j;; at = (at + 1) % n) {
        second.push_back(ring[at]);
        if (at == i) break;
      }
      const auto half = std::find(made.begin(), made.end(), std::pair(f, ring));
      if (half == made.end()) {
        edit.set_ring(f, first);
      } else {
        half->second = first;
      }
      made.emplace_back(f, second);
      ++out.done;
      cut = true;
      break;
    }
    if (!cut) {
      out.left.push_back(0.5 * (mesh.positions[v] + mesh.positions[w]));
      out.why_left = "no face has both vertices with the line between them inside";
    }
  }
  if (out.done == 0) return Issue{"no face has two of the vertices with the line between them inside", "", out.left, "choose two corners of one face that no edge joins"};
  for (auto& [f, ring] : made) edit.add_face(std::move(ring), f);
  out.mesh = edit.finish();
  return out;
}

}  // namespace anvil
