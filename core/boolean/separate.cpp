// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 10: manifold by construction. Where four or more faces meet at an edge, or fans at a vertex, each solid
// wedge gets vertices of its own.
#include <algorithm>
#include <map>
#include <numeric>

#include "core/boolean/separate.h"
#include "core/boolean/radial_sort.h"
#include "core/exact/volume.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/edges.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

/// A face at an edge u→v: `forward` runs u→v and has the solid behind it as the angle grows.
struct RadialFace {
  Index corner, apex;
  bool forward;
};

/// Sorts faces by angle about u→v (exact), beginning with the first.
void sort_around(std::span<const Vec3> p, Index u, Index v, std::vector<RadialFace>& faces) {
  radial_sort(
      faces, [&](const RadialFace& a, const RadialFace& b) { return orient3d(p[u], p[v], p[a.apex], p[b.apex]); },
      [](const RadialFace&, const RadialFace&) { return false; });
}

/// An edge of one piece at which a special vertex stands, with all corners from which faces run along it.
struct EdgeUse {
  Index lo, hi, piece, corner;
  bool operator<(const EdgeUse& o) const {
    const std::uint64_t own = pair_key(lo, hi), other = pair_key(o.lo, o.hi);
    return own != other ? own < other : pair_key(piece, corner) < pair_key(o.piece, o.corner);
  }
};

void sort_by_edge(std::vector<EdgeUse>& uses, std::size_t points) {
  sort_by_bucket(uses, points, [](const EdgeUse& use) { return use.lo; });
}

/// Where both ends of a non-manifold edge stay one vertex for all its faces (the solid closes around it elsewhere),
/// the vertices do not tell its wedges apart: each wedge gets a vertex of its own in the middle of the edge.
void split_non_manifold(const std::vector<std::vector<std::array<Index, 2>>>& non_manifold_edges, Rounded& rounded, Separated& separated) {
  const auto base = static_cast<Index>(rounded.points.size());
  std::map<Index, std::array<Index, 3>> middles;  // triangle → middle vertex of each of its edges
  for (const auto& wedges : non_manifold_edges) {
    std::map<std::pair<Index, Index>, int> uses;
    auto ends = [&](Index c) {
      return std::minmax(rounded.triangles[c / 3][c % 3], rounded.triangles[c / 3][next_in_triangle(c) % 3]);
    };
    for (const auto& [a, b] : wedges) ++uses[ends(a)];
    Index first = no_index;
    for (const auto& [a, b] : wedges) {
      const auto [u, v] = ends(a);
      if (uses[ends(a)] == 1) continue;
      rounded.points.push_back(0.5 * (rounded.points[u] + rounded.points[v]));
      rounded.maybe_non_manifold.push_back(1);
      rounded.moved.push_back(1);
      if (first == no_index) first = static_cast<Index>(rounded.points.size() - 1);
      separated.place.push_back(first);
      for (Index corner : {a, b}) {
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
    FaceProvenance provenance = rounded.provenance[i];
    provenance.whole = false;
    provenance.scored = 0;
    auto put = [&](std::size_t k, Index at) {
      rounded.triangles[at] = {ring[0], ring[k], ring[k + 1]};
      // The halves of non-manifold edges stay edges; only edges of the outline can be such.
      auto half = [&](Index a, Index b) { return a >= base || b >= base; };
      unsigned bits = half(ring[k], ring[k + 1]) ? 2u : 0u;
      if (k == 1 && half(ring[0], ring[1])) bits |= 1u;
      if (k + 2 == ring.size() && half(ring[k + 1], ring[0])) bits |= 4u;
      provenance.non_manifold_edges = static_cast<unsigned char>(bits);
      rounded.provenance[at] = provenance;
    };
    put(1, i);
    for (std::size_t k = 2; k + 1 < ring.size(); ++k) {
      rounded.triangles.emplace_back();
      rounded.provenance.emplace_back();
      put(k, static_cast<Index>(rounded.triangles.size() - 1));
    }
  }
  separated.fixed.resize(rounded.points.size(), 1);
}

/// The faces at one non-manifold edge in the order of their angle.
std::vector<RadialFace> sorted_at_edge(std::span<const Vec3> points, std::span<const Triangle> triangles, std::span<const EdgeUse> uses) {
  std::vector<RadialFace> radial_faces;
  for (const EdgeUse& use : uses) {
    const Triangle& t = triangles[use.corner / 3];
    const Index c = use.corner % 3;
    radial_faces.push_back({use.corner, t[(c + 2) % 3], t[c] == use.lo});
  }
  sort_around(points, uses[0].lo, uses[0].hi, radial_faces);
  return radial_faces;
}

/// Calls visit(uses of the edge) for every edge of one piece.
template <class Visit>
void for_each_edge(const std::vector<EdgeUse>& uses, Visit&& visit) {
  for (std::size_t i = 0; i < uses.size();) {
    std::size_t j = i;
    while (j < uses.size() && uses[j].lo == uses[i].lo && uses[j].hi == uses[i].hi && uses[j].piece == uses[i].piece) ++j;
    visit(std::span<const EdgeUse>(uses.data() + i, j - i));
    i = j;
  }
}

}  // namespace

std::vector<char> at_confused_edges(const Rounded& rounded) {
  std::vector<EdgeUse> uses;
  for (Index i = 0; i < rounded.triangles.size(); ++i) {
    const Triangle& t = rounded.triangles[i];
    for (Index k = 0; k < 3; ++k) {
      const Index a = t[k], b = t[k == 2 ? 0 : k + 1];
      if (rounded.maybe_non_manifold[a] && rounded.maybe_non_manifold[b]) uses.push_back({std::min(a, b), std::max(a, b), rounded.provenance[i].piece, 3 * i + k});
    }
  }
  sort_by_edge(uses, rounded.points.size());
  std::vector<char> confused;
  for_each_edge(uses, [&](std::span<const EdgeUse> edge) {
    if (edge.size() < 3) return;
    const std::vector<RadialFace> radial_faces = sorted_at_edge(rounded.points, rounded.triangles, edge);
    bool alternate = true;
    for (std::size_t k = 0; k < radial_faces.size(); ++k) alternate = alternate && radial_faces[k].forward != radial_faces[(k + 1) % radial_faces.size()].forward;
    if (alternate) return;
    confused.resize(rounded.triangles.size(), 0);
    for (const EdgeUse& use : edge) confused[use.corner / 3] = 1;
  });
  return confused;
}

std::vector<char> in_turned_shells(std::span<const Vec3> points, std::span<const Triangle> triangles, std::span<const Index> piece,
                                   std::span<const char> suspect, std::span<const char> inexact) {
  std::vector<char> near(points.size(), 0);
  bool any = false;
  for (std::size_t i = 0; i < suspect.size(); ++i)
    for (Index v : triangles[i])
      if (suspect[i]) near[v] = 1, any = any || inexact[v];
  if (!any) return {};
  std::vector<EdgeUse> uses;
  for (Index i = 0; i < triangles.size(); ++i) {
    const Triangle& t = triangles[i];
    for (Index k = 0; k < 3; ++k) {
      const Index a = t[k], b = t[k == 2 ? 0 : k + 1];
      if (near[a] && near[b]) uses.push_back({std::min(a, b), std::max(a, b), piece[i], 3 * i + k});
    }
  }
  sort_by_edge(uses, points.size());
  UnionFind shells(triangles.size());
  for_each_edge(uses, [&](std::span<const EdgeUse> edge) {
    if (edge.size() == 2) shells.unite(edge[0].corner / 3, edge[1].corner / 3);
    if (edge.size() < 3) return;
    const std::vector<RadialFace> radial_faces = sorted_at_edge(points, triangles, edge);
    for (std::size_t k = 0; k < radial_faces.size(); ++k) {
      const RadialFace &here = radial_faces[k], &then = radial_faces[(k + 1) % radial_faces.size()];
      if (!here.forward && then.forward) shells.unite(here.corner / 3, then.corner / 3);
    }
  });
  // A shell may have faces of points that all stayed where they were; they hang between those that moved.
  auto within = [&](const Triangle& t) { return near[t[0]] && near[t[1]] && near[t[2]]; };
  struct Shell {
    std::vector<Triangle> triangles;
    bool whole = true, inexact = false;
  };
  std::map<Index, Shell> found;
  for (Index i = 0; i < suspect.size(); ++i)
    if (suspect[i]) found[shells.find(i)];
  for (Index i = 0; i < suspect.size(); ++i)
    if (const auto it = found.find(shells.find(i)); it != found.end()) {
      Shell& shell = it->second;
      shell.triangles.push_back(triangles[i]);
      shell.whole = shell.whole && within(triangles[i]);
      for (Index v : triangles[i]) shell.inexact = shell.inexact || inexact[v];
    }
  std::vector<char> flipped;
  for (const auto& [name, shell] : found) {
    if (!shell.whole || !shell.inexact) continue;
    // Rounding moves a surface by its area times a unit in the last place of what is largest: thicker shells that run
    // the other way round are cavities.
    const Vec3 origin = points[shell.triangles[0][0]];
    double six_volumes = 0, area = 0, largest = 0, size = 0;
    for (const Triangle& t : shell.triangles) {
      const Vec3 a = points[t[0]] - origin, b = points[t[1]] - origin, c = points[t[2]] - origin;
      six_volumes += a.dot(b.cross(c));
      area += (b - a).cross(c - a).norm();
      size = std::max({size, a.norm(), b.norm(), c.norm()});
      for (Index v : t) largest = std::max(largest, points[v].cwiseAbs().maxCoeff());
    }
    const double unit = std::ldexp(largest, -20);  // also of 32-bit coordinates
    const double error = 1e-14 * static_cast<double>(shell.triangles.size()) * size * size * largest;
    if (std::abs(six_volumes) > area * unit + error || volume_sign(points, shell.triangles) > 0) continue;
    flipped.resize(triangles.size(), 0);
    for (Index i = 0; i < suspect.size(); ++i)
      if (shells.find(i) == name) flipped[i] = 1;
  }
  return flipped;
}

Separated separate_wedges(Rounded& rounded) {
  Separated separated;
  std::vector<EdgeUse> uses;
  std::vector<Index> slot(3 * rounded.triangles.size(), no_index), corners;
  for (Index i = 0; i < rounded.triangles.size(); ++i) {
    const Triangle& t = rounded.triangles[i];
    const bool maybe_non_manifold[3] = {rounded.maybe_non_manifold[t[0]] != 0, rounded.maybe_non_manifold[t[1]] != 0, rounded.maybe_non_manifold[t[2]] != 0};
    if (!maybe_non_manifold[0] && !maybe_non_manifold[1] && !maybe_non_manifold[2]) continue;
    for (Index k = 0; k < 3; ++k) {
      const Index l = k == 2 ? 0 : k + 1;
      if (maybe_non_manifold[k] || maybe_non_manifold[l])
        uses.push_back({std::min(t[k], t[l]), std::max(t[k], t[l]), rounded.provenance[i].piece, 3 * i + k});
      if (!maybe_non_manifold[k]) continue;
      slot[3 * i + k] = static_cast<Index>(corners.size());
      corners.push_back(3 * i + k);
    }
  }
  sort_by_edge(uses, rounded.points.size());

  // Which two corners' faces go on into each other; where four or more meet, the two that bound one wedge.
  UnionFind fans(corners.size());
  // At the seam of untouched triangles a fan goes on beyond: each piece has one.
  std::map<std::pair<Index, Index>, Index> at_seam;  // vertex, piece → corner
  rounded.seam.for_each_end([&](Index v, Index piece) { at_seam.emplace(std::pair(v, piece), no_index); });
  for (Index k = 0; k < corners.size() && !at_seam.empty(); ++k) {
    const Index i = corners[k] / 3;
    const auto it = at_seam.find({rounded.triangles[i][corners[k] % 3], rounded.provenance[i].piece});
    if (it == at_seam.end()) continue;
    if (it->second == no_index) it->second = k;
    fans.unite(it->second, k);
  }
  std::vector<std::vector<std::array<Index, 2>>> non_manifold_edges;
  auto marry = [&](Index a, Index b) {
    for (const auto& [c, other] : {std::pair(a, b), std::pair(b, a)})
      if (slot[c] != no_index) fans.unite(slot[c], slot[next_in_triangle(other)]);
  };
  for_each_edge(uses, [&](std::span<const EdgeUse> edge) {
    if (edge.size() == 2) marry(edge[0].corner, edge[1].corner);
    if (edge.size() < 3) return;
    const std::vector<RadialFace> radial_faces = sorted_at_edge(rounded.points, rounded.triangles, edge);
    non_manifold_edges.emplace_back();
    for (std::size_t k = 0; k < radial_faces.size(); ++k) {
      const RadialFace &here = radial_faces[k], &then = radial_faces[(k + 1) % radial_faces.size()];
      // Solid lies between a face that runs backward and the next one, which runs forward.
      if (here.forward || !then.forward) continue;
      marry(here.corner, then.corner);
      for (Index c : {here.corner, then.corner})
        rounded.provenance[c / 3].non_manifold_edges = static_cast<unsigned char>(rounded.provenance[c / 3].non_manifold_edges | 1u << c % 3);
      non_manifold_edges.back().push_back({here.corner, then.corner});
    }
    separated.middles.push_back(0.5 * (rounded.points[edge[0].lo] + rounded.points[edge[0].hi]));
  });

  separated.place.resize(rounded.points.size());
  std::iota(separated.place.begin(), separated.place.end(), Index{0});
  std::vector<Index> vertex_of_fan(corners.size(), no_index);
  std::vector<char> taken(rounded.points.size(), 0);
  for (Index k = 0; k < corners.size(); ++k) {
    Index& corner = rounded.triangles[corners[k] / 3][corners[k] % 3];
    Index& vertex = vertex_of_fan[fans.find(k)];
    if (vertex == no_index) {
      vertex = corner;
      if (taken[vertex]) {
        const Vec3 place = rounded.points[vertex];
        rounded.points.push_back(place);
        rounded.maybe_non_manifold.push_back(1);
        rounded.moved.push_back(rounded.moved[vertex]);
        separated.place.push_back(vertex);
        vertex = static_cast<Index>(rounded.points.size() - 1);
        taken.push_back(1);
      }
      taken[vertex] = 1;
    }
    corner = vertex;
  }
  rounded.seam.for_each_end([&](Index& v, Index piece) {
    if (const Index k = at_seam.at({v, piece}); k != no_index) v = vertex_of_fan[fans.find(k)];
  });
  separated.fixed.assign(rounded.points.size(), 0);
  split_non_manifold(non_manifold_edges, rounded, separated);
  return separated;
}

}  // namespace anvil::boolean
