// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/choose.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "core/mesh/regions.h"
#include "core/mesh/union_find.h"

namespace anvil {
namespace {

constexpr double straight = 0.70710678;  // cos 45°

/// A choice while it grows.
struct Marks {
  Marks(std::size_t count, const Elements& chosen) : out(chosen), marked(count, 0) {
    for (Index e : chosen.list) marked[e] = 1;
  }
  void add(Index e) {
    if (!marked[e]) out.list.push_back(e), marked[e] = 1;
  }
  Elements out;
  std::vector<char> marked;
};

/// Calls visit(n) for what lies next to an element.
template <class Visit>
void for_each_neighbour(const Mesh& mesh, const Topology& t, ElementKind kind, Index element, Visit&& visit) {
  for (Index v : vertices_of(mesh, t, kind, element)) {
    if (kind == ElementKind::faces)
      for (Index f : t.faces_at(v)) visit(f);
    else
      for (Index e : t.edges_at(v)) visit(kind == ElementKind::edges ? e : t.other_end(e, v));
  }
}

std::vector<Vec3> unit_normals(const Mesh& mesh) {
  std::vector<Vec3> normals(mesh.face_count());
  for (Index f = 0; f < normals.size(); ++f) normals[f] = newell_normal(mesh.positions, mesh.face(f)).stableNormalized();
  return normals;
}

/// Cosine of the angle by which the surface turns at an edge; nothing to compare where it has other than two faces. Faces
/// that run the edge the same way are turned against each other, which is no fold.
double turn(const Mesh& mesh, const Topology& t, const std::vector<Vec3>& normals, Index edge) {
  const auto corners = t.edges.corners_of(edge);
  if (corners.size() != 2) return -2;
  const double cosine = normals[t.edges.corner_face[corners[0]]].dot(normals[t.edges.corner_face[corners[1]]]);
  return mesh.corners[corners[0]] == mesh.corners[corners[1]] ? -cosine : cosine;
}
double cosine_of(double degrees) { return std::cos(degrees * M_PI / 180) - 1e-12; }

std::vector<char> marked_vertices(const Mesh& mesh, const Topology& t, const Elements& chosen) {
  std::vector<char> marked(mesh.positions.size(), 0);
  for (Index e : chosen.list)
    for (Index v : vertices_of(mesh, t, chosen.kind, e)) marked[v] = 1;
  return marked;
}

/// The edge that goes on from `edge` over its end `v`; no_index when there is none.
Index next_in_loop(const Mesh& mesh, const Topology& t, Index edge, Index v) {
  const auto around = t.edges_at(v);
  const std::size_t faces = t.edges.corners_of(edge).size();
  if (faces != 2) {  // a boundary, or the rim of a wall
    Index next = no_index;
    for (Index e : around) {
      if (e == edge || t.edges.corners_of(e).size() != faces) continue;
      if (next != no_index) return no_index;
      next = e;
    }
    return next;
  }
  if (around.size() == 4) {
    const std::vector<Index> beside = t.faces_on(edge);
    for (Index e : around) {
      if (e == edge || t.edges.corners_of(e).size() != 2) continue;
      const std::vector<Index> there = t.faces_on(e);
      if (std::none_of(there.begin(), there.end(), [&](Index f) { return std::find(beside.begin(), beside.end(), f) != beside.end(); })) return e;
    }
  }
  const Vec3 ahead = (mesh.positions[v] - mesh.positions[t.other_end(edge, v)]).stableNormalized();
  Index best = no_index;
  double most = straight;
  for (Index e : around) {
    if (e == edge) continue;
    const double cosine = ahead.dot((mesh.positions[t.other_end(e, v)] - mesh.positions[v]).stableNormalized());
    if (cosine > most) most = cosine, best = e;
  }
  return best;
}

}  // namespace

Elements grown(const Mesh& mesh, const Topology& topology, const Elements& chosen) {
  Marks marks(topology.count(mesh, chosen.kind), chosen);
  for (Index e : chosen.list) for_each_neighbour(mesh, topology, chosen.kind, e, [&](Index n) { marks.add(n); });
  return marks.out;
}

Elements shrunk(const Mesh& mesh, const Topology& topology, const Elements& chosen) {
  const Marks marks(topology.count(mesh, chosen.kind), chosen);
  Elements out{chosen.kind, {}};
  for (Index e : chosen.list) {
    bool inside = true;
    for_each_neighbour(mesh, topology, chosen.kind, e, [&](Index n) { inside = inside && marks.marked[n]; });
    if (inside) out.list.push_back(e);
  }
  return out;
}

Elements inverted(const Mesh& mesh, const Topology& topology, const Elements& chosen) {
  const Marks marks(topology.count(mesh, chosen.kind), chosen);
  Elements out{chosen.kind, {}};
  for (Index e = 0; e < marks.marked.size(); ++e)
    if (!marks.marked[e]) out.list.push_back(e);
  return out;
}

Elements connected(const Mesh& mesh, const Topology& topology, const Elements& chosen) {
  UnionFind sets(mesh.positions.size());
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) sets.unite(mesh.face(f)[0], v);
  std::vector<char> wanted(mesh.positions.size(), 0);
  for (Index e : chosen.list) wanted[sets.find(vertices_of(mesh, topology, chosen.kind, e)[0])] = 1;
  Marks marks(topology.count(mesh, chosen.kind), chosen);
  for (Index e = 0; e < marks.marked.size(); ++e)
    if (wanted[sets.find(vertices_of(mesh, topology, chosen.kind, e)[0])]) marks.add(e);
  return marks.out;
}

/// The chosen faces, or those at the chosen edges and vertices.
static Marks faces_of(const Mesh& mesh, const Topology& topology, const Elements& chosen) {
  Marks marks(mesh.face_count(), chosen.kind == ElementKind::faces ? chosen : Elements{});
  for (Index e : chosen.list) {
    if (chosen.kind == ElementKind::edges)
      for (Index f : topology.faces_on(e)) marks.add(f);
    if (chosen.kind == ElementKind::vertices)
      for (Index f : topology.faces_at(e)) marks.add(f);
  }
  return marks;
}

Elements smooth_region(const Mesh& mesh, const Topology& topology, const Elements& chosen, double degrees) {
  const std::vector<Vec3> normals = unit_normals(mesh);
  Marks marks = faces_of(mesh, topology, chosen);
  for (std::size_t k = 0; k < marks.out.list.size(); ++k) {
    const Index f = marks.out.list[k];
    for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) {
      const Index e = topology.edges.corner_edge[c];
      if (e == no_index || turn(mesh, topology, normals, e) < cosine_of(degrees)) continue;
      for (Index g : topology.faces_on(e)) marks.add(g);
    }
  }
  return marks.out;
}

Elements whole_regions(const Mesh& mesh, const Topology& topology, const Elements& chosen) {
  Marks marks = faces_of(mesh, topology, chosen);
  const std::vector<Index> numbers = region_numbers(mesh);
  std::set<Index> wanted;
  for (Index f : marks.out.list) wanted.insert(numbers[f]);
  for (Index f = 0; f < numbers.size(); ++f)
    if (wanted.contains(numbers[f])) marks.add(f);
  return marks.out;
}

Elements sharp_edges(const Mesh& mesh, const Topology& topology, double degrees) {
  const std::vector<Vec3> normals = unit_normals(mesh);
  Elements out{ElementKind::edges, {}};
  for (Index e = 0; e < topology.edges.size(); ++e)
    if (turn(mesh, topology, normals, e) < cosine_of(degrees)) out.list.push_back(e);
  return out;
}

Elements boundary_loop(const Mesh& mesh, const Topology& topology, const Elements& chosen) {
  Elements out{ElementKind::edges, {}};
  if (chosen.kind == ElementKind::faces) {
    const Marks marks(mesh.face_count(), chosen);
    for (Index f : chosen.list)
      for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) {
        const Index e = topology.edges.corner_edge[c];
        if (e == no_index) continue;
        const auto uses = topology.edges.corners_of(e);
        if (uses.size() == 1 || std::any_of(uses.begin(), uses.end(), [&](Index use) { return marks.marked[topology.edges.corner_face[use]] == 0; })) out.list.push_back(e);
      }
    std::sort(out.list.begin(), out.list.end());
    out.list.erase(std::unique(out.list.begin(), out.list.end()), out.list.end());
    return out;
  }
  Marks marks(topology.edges.size(), out);
  const auto is_open = [&](Index e) { return topology.edges.corners_of(e).size() == 1; };
  for (Index e : chosen.list) {
    if (chosen.kind == ElementKind::edges && is_open(e)) marks.add(e);
    if (chosen.kind == ElementKind::vertices)
      for (Index beside : topology.edges_at(e))
        if (is_open(beside)) marks.add(beside);
  }
  for (std::size_t k = 0; k < marks.out.list.size(); ++k)
    for (Index v : topology.edges.vertices[marks.out.list[k]])
      for (Index e : topology.edges_at(v))
        if (is_open(e)) marks.add(e);
  return marks.out;
}

Elements edge_loop(const Mesh& mesh, const Topology& topology, const Elements& chosen) {
  Marks marks(topology.edges.size(), Elements{ElementKind::edges, {}});
  if (chosen.kind != ElementKind::edges) return chosen;
  for (Index seed : chosen.list) {
    marks.add(seed);
    for (const Index start : topology.edges.vertices[seed]) {
      Index edge = seed, v = start;
      for (std::size_t k = 0; k < topology.edges.size(); ++k) {
        edge = next_in_loop(mesh, topology, edge, v);
        if (edge == no_index || edge == seed) break;
        marks.add(edge);
        v = topology.other_end(edge, v);
      }
    }
  }
  return marks.out;
}

Elements of_defects(const Mesh& mesh, const Topology& topology, const FamilyReport& found, ElementKind kind) {
  Marks marks(topology.count(mesh, kind), Elements{kind, {}});
  for (const Defect& defect : found.defects) {
    if (kind == ElementKind::faces)
      for (Index f : defect.faces) marks.add(f);
    if (kind == ElementKind::edges)
      for (const auto& [v, w] : defect.edges)
        if (const Index e = topology.edge_between(v, w); e != no_index) marks.add(e);
    if (kind == ElementKind::vertices) {
      for (Index v : defect.vertices) marks.add(v);
      for (const auto& [v, w] : defect.edges) marks.add(v), marks.add(w);
    }
  }
  return marks.out;
}

Elements same_defect(const Mesh& mesh, const Topology& topology, const SoundnessReport& report, const Elements& chosen) {
  const Marks picked(topology.count(mesh, chosen.kind), chosen);
  Marks all(picked.marked.size(), Elements{chosen.kind, {}});
  for (const FamilyReport& found : report.families) {
    const Elements mine = of_defects(mesh, topology, found, chosen.kind);
    if (chosen.empty() && !mine.empty()) return mine;
    if (std::any_of(mine.list.begin(), mine.list.end(), [&](Index e) { return picked.marked[e] != 0; }))
      for (Index e : mine.list) all.add(e);
  }
  return all.out;
}

Elements converted(const Mesh& mesh, const Topology& topology, const Elements& chosen, ElementKind kind) {
  if (kind == chosen.kind) return chosen;
  Marks marks(topology.count(mesh, kind), Elements{kind, {}});
  if (kind == ElementKind::edges && chosen.kind == ElementKind::faces) {
    for (Index f : chosen.list)
      for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c)
        if (const Index e = topology.edges.corner_edge[c]; e != no_index) marks.add(e);
    return marks.out;
  }
  if (kind == ElementKind::vertices) {
    for (Index e : chosen.list)
      for (Index v : vertices_of(mesh, topology, chosen.kind, e)) marks.add(v);
    return marks.out;
  }
  // Those with all their corners at what is chosen.
  const Elements vertices = chosen.kind == ElementKind::vertices ? chosen : converted(mesh, topology, chosen, ElementKind::vertices);
  const std::vector<char> corners = marked_vertices(mesh, topology, vertices);
  for (Index v : vertices.list)
    for (Index e : kind == ElementKind::edges ? topology.edges_at(v) : topology.faces_at(v))
      if (!marks.marked[e]) {
        const std::vector<Index> all = vertices_of(mesh, topology, kind, e);
        if (std::all_of(all.begin(), all.end(), [&](Index w) { return corners[w] != 0; })) marks.add(e);
      }
  std::sort(marks.out.list.begin(), marks.out.list.end());
  return marks.out;
}

}  // namespace anvil
