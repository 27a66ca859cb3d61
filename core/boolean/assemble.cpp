// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 10 and 11: manifold by construction, and polygons as they were where nothing cut them.
#include <algorithm>
#include <map>
#include <set>

#include "core/boolean/stages.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

Mesh triangles_as_mesh(const Rounded& r) {
  Mesh mesh;
  mesh.positions = r.points;
  mesh.corners.reserve(3 * r.triangles.size());
  for (const Triangle& t : r.triangles) mesh.corners.insert(mesh.corners.end(), t.begin(), t.end());
  mesh.face_offsets.resize(r.triangles.size() + 1);
  for (std::size_t f = 0; f <= r.triangles.size(); ++f) mesh.face_offsets[f] = static_cast<Index>(3 * f);
  return mesh;
}

/// A face at an edge u→v: `forward` runs u→v and has the solid behind it as the angle grows.
struct Leaf {
  Index corner, apex;
  bool forward;
};

/// Sorts faces by angle about u→v (exact), beginning with the first.
void sort_around(const std::vector<Vec3>& p, Index u, Index v, std::vector<Leaf>& leaves) {
  auto side = [&](const Leaf& l, Index x) { return orient3d(p[u], p[v], p[l.apex], p[x]); };
  const Leaf first = leaves[0];
  auto half = [&](const Leaf& l) {
    const int s = side(first, l.apex);
    return s > 0 ? 0 : s == 0 ? 1 : 2;
  };
  std::sort(leaves.begin() + 1, leaves.end(), [&](const Leaf& a, const Leaf& b) {
    const int ha = half(a), hb = half(b);
    if (ha != hb) return ha < hb;
    return ha != 1 && side(a, b.apex) > 0;
  });
}

/// Which corner continues the surface beyond the edge that starts at each corner; where four or more faces
/// meet, the two that bound one solid wedge go together.
struct Pairing {
  std::vector<Index> mate;                       ///< per corner, the corner of the edge beyond it
  std::vector<std::array<Index, 2>> crowded;  ///< vertices of edges with more than two faces
};

Pairing pair_faces(const Mesh& mesh, const EdgeTable& edges) {
  Pairing pairing;
  pairing.mate.assign(mesh.corners.size(), no_index);
  auto marry = [&](Index a, Index b) {
    pairing.mate[a] = b;
    pairing.mate[b] = a;
  };
  std::vector<Leaf> leaves;
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    if (uses.size() == 2) {
      marry(uses[0], uses[1]);
      continue;
    }
    if (uses.size() < 2) continue;
    pairing.crowded.push_back(edges.vertices[e]);
    leaves.clear();
    for (Index c : uses) {
      const Index f = edges.corner_face[c];
      leaves.push_back({c, mesh.corners[3 * f + (c - 3 * f + 2) % 3], mesh.corners[c] == edges.vertices[e][0]});
    }
    sort_around(mesh.positions, edges.vertices[e][0], edges.vertices[e][1], leaves);
    for (std::size_t k = 0; k < leaves.size(); ++k) {
      const Leaf &here = leaves[k], &then = leaves[(k + 1) % leaves.size()];
      // Solid lies between a face that runs backward and the next one, which runs forward.
      if (!here.forward && then.forward) marry(here.corner, then.corner);
    }
  }
  return pairing;
}

/// Gives every fan of faces around a vertex a vertex of its own.
/// @return per corner, the vertex to use; new vertices are appended to `points`
std::vector<Index> separate_fans(const Mesh& mesh, const Pairing& pairing, std::vector<Vec3>& points) {
  UnionFind fans(mesh.corners.size());
  for (Index c = 0; c < mesh.corners.size(); ++c) {
    const Index other = pairing.mate[c];
    if (other == no_index) continue;
    const Index f = other / 3;
    // The edge starts at corner c; in the other face that vertex is where the edge ends.
    fans.unite(c, 3 * f + (other - 3 * f + 1) % 3);
  }
  std::vector<Index> vertex_of_fan(mesh.corners.size(), no_index);
  std::vector<char> taken(points.size(), 0);
  std::vector<Index> corner_vertex(mesh.corners.size());
  for (Index c = 0; c < mesh.corners.size(); ++c) {
    Index& vertex = vertex_of_fan[fans.find(c)];
    if (vertex == no_index) {
      vertex = mesh.corners[c];
      if (taken[vertex]) {
        points.push_back(Vec3(points[vertex]));
        vertex = static_cast<Index>(points.size() - 1);
        taken.push_back(1);
      }
      taken[vertex] = 1;
    }
    corner_vertex[c] = vertex;
  }
  return corner_vertex;
}

/// Where both ends of a crowded edge stay one vertex for all its faces (the solid closes around it elsewhere),
/// the vertices do not tell its wedges apart: each wedge gets a vertex of its own in the middle of the edge.
void split_crowded(const Mesh& mesh, const EdgeTable& edges, const Pairing& pairing, Rounded& rounded) {
  std::map<Index, std::array<Index, 3>> middles;  // triangle → middle vertex of each of its edges
  for (const auto& [u, v] : pairing.crowded) {
    const auto e = static_cast<std::size_t>(
        std::lower_bound(edges.vertices.begin(), edges.vertices.end(), std::array{u, v}) - edges.vertices.begin());
    std::map<std::pair<Index, Index>, int> uses;
    auto ends = [&](Index c) {
      const Triangle& t = rounded.triangles[c / 3];
      return std::minmax(t[c % 3], t[(c % 3 + 1) % 3]);
    };
    for (Index c : edges.corners_of(e)) ++uses[ends(c)];
    for (Index c : edges.corners_of(e)) {
      const Index mate = pairing.mate[c];
      if (uses[ends(c)] == 2 || mate == no_index || mate < c) continue;
      rounded.points.push_back(0.5 * (mesh.positions[u] + mesh.positions[v]));
      for (Index corner : {c, mate}) {
        auto& middle = middles.try_emplace(corner / 3, std::array{no_index, no_index, no_index}).first->second;
        middle[corner % 3] = static_cast<Index>(rounded.points.size() - 1);
      }
    }
  }
  for (const auto& [i, middle] : middles) {
    // The outline with its middles, cut into triangles from the first middle.
    std::vector<Index> ring;
    std::size_t first = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      ring.push_back(rounded.triangles[i][k]);
      if (middle[k] == no_index) continue;
      if (first == 0) first = ring.size();
      ring.push_back(middle[k]);
    }
    std::rotate(ring.begin(), ring.begin() + static_cast<std::ptrdiff_t>(first), ring.end());
    rounded.whole[i] = 0;
    rounded.triangles[i] = {ring[0], ring[1], ring[2]};
    for (std::size_t k = 2; k + 1 < ring.size(); ++k) {
      rounded.triangles.push_back({ring[0], ring[k], ring[k + 1]});
      rounded.source.push_back(rounded.source[i]);
      rounded.whole.push_back(0);
      rounded.turned.push_back(rounded.turned[i]);
    }
  }
}

}  // namespace

Mesh assemble(const Soup& first, const std::vector<Operand>& operands, Rounded rounded, BooleanReport& report) {
  Mesh triangles = triangles_as_mesh(rounded);
  const EdgeTable edges = build_edges(triangles);
  const Pairing pairing = pair_faces(triangles, edges);
  if (!pairing.crowded.empty())
    report.done.push_back({"contact_edges", pairing.crowded.size(), operands.front().name});
  rounded.points = triangles.positions;
  const std::vector<Index> vertex = separate_fans(triangles, pairing, rounded.points);
  for (std::size_t c = 0; c < vertex.size(); ++c) rounded.triangles[c / 3][c % 3] = vertex[c];
  split_crowded(triangles, edges, pairing, rounded);

  // How many triangles a polygon had, and how many of them are all still there.
  std::vector<Index> polygon_begin(first.triangles.size() + 1, 0);  // first soup triangle of each one's polygon
  std::vector<Index> polygon_size(first.triangles.size(), 0), alive(first.triangles.size(), 0);
  Index begin = 0;
  for (Index i = 0; i < first.triangles.size(); ++i) {
    if (i > 0 && (first.part[i] != first.part[i - 1] || first.face[i] != first.face[i - 1] || first.face[i] == no_index))
      begin = i;
    polygon_begin[i] = begin;
    ++polygon_size[begin];
  }
  for (std::size_t i = 0; i < rounded.triangles.size(); ++i)
    if (rounded.whole[i]) ++alive[polygon_begin[rounded.source[i]]];

  Mesh mesh;
  mesh.positions = std::move(rounded.points);
  mesh.corners.reserve(3 * rounded.triangles.size());
  std::vector<char> done(first.triangles.size(), 0);
  std::size_t untouched = 0;
  std::vector<Index> ring;
  std::map<Index, std::vector<Index>> members;  // polygons of several triangles that came through whole
  for (Index i = 0; i < rounded.triangles.size(); ++i) {
    const Index polygon = polygon_begin[rounded.source[i]];
    const bool came_through = rounded.whole[i] && alive[polygon] == polygon_size[polygon];
    if (came_through && polygon_size[polygon] > 1)
      members[polygon].push_back(i);
    else {
      mesh.add_face(rounded.triangles[i]);
      if (came_through) ++untouched;
    }
  }
  for (const auto& [polygon, list] : members) {
    // The border of its triangles: directed edges whose reverse is not among them.
    std::map<Index, Index> next;
    std::set<std::pair<Index, Index>> directed;
    for (Index i : list)
      for (std::size_t k = 0; k < 3; ++k) directed.emplace(rounded.triangles[i][k], rounded.triangles[i][(k + 1) % 3]);
    bool simple = true;
    for (const auto& [a, b] : directed)
      if (!directed.contains({b, a})) simple = next.emplace(a, b).second && simple;
    ring.clear();
    if (simple && !next.empty()) {
      const Index start = next.begin()->first;
      for (Index at = start; ring.size() <= next.size();) {
        ring.push_back(at);
        const auto it = next.find(at);
        if (it == next.end()) break;
        at = it->second;
        if (at == start) break;
      }
    }
    if (simple && ring.size() == next.size() && ring.size() == list.size() + 2) {
      mesh.add_face(ring);
      ++untouched;
    } else {
      for (Index i : list) mesh.add_face(rounded.triangles[i]);
    }
  }
  report.done.push_back({"polygons_untouched", untouched, operands.front().name});

  // Vertices that no face uses (they fell together with others) go.
  std::vector<Index> id(mesh.positions.size(), no_index);
  std::size_t used = 0;
  for (Index& v : mesh.corners) {
    if (id[v] == no_index) id[v] = static_cast<Index>(used++);
    v = id[v];
  }
  std::vector<Vec3> positions(used);
  for (Index v = 0; v < id.size(); ++v)
    if (id[v] != no_index) positions[id[v]] = mesh.positions[v];
  mesh.positions = std::move(positions);
  return mesh;
}

}  // namespace anvil::boolean
