// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/blend_mesh.h"

#include <algorithm>
#include <map>
#include <unordered_map>

#include "core/mesh/planar_region.h"
#include "core/mesh/triangulate.h"
#include "core/shape/blend/corner_patch.h"
#include "core/shape/blend/ring_crossings.h"

namespace anvil {
namespace {

constexpr double planar_within = 1e-9;  // of its size: a polygon so flat stays one
constexpr double warped_within = 0.1;  // the same of a quad
constexpr std::size_t corner_samples = 8;  // faces of a corner whose side is looked at

bool has_twice(std::vector<Index> points) {
  std::sort(points.begin(), points.end());
  return std::adjacent_find(points.begin(), points.end()) != points.end();
}

class Maker {
 public:
  Maker(StripLayout& layout, const FacetTrimmer& trimmer) : layout_(layout), ends_(layout.ends()), task_(ends_.task()), graph_(task_.graph), trimmer_(trimmer) {}

  BlendMesh make() {
    for (Index f = 0; f < graph_.facets.size(); ++f) task_.listen(f), add_facet(f);
    for (Index e = 0; e < graph_.edge_count(); ++e) {
      task_.listen(e);
      for (Index h : {2 * e, 2 * e + 1})
        if (ends_.is_finished(h) && ends_.is_station(ends_.cell(h)) && h < ends_.opposite(h)) add_strip(h);
    }
    for (Index c = 0; c < graph_.cells.size(); ++c) {
      task_.listen(c);
      if (!ends_.is_laid_out(c)) continue;
      const Index beside = graph_.facets[graph_.halves[graph_.cells[c].out[0]].facet].faces[0];
      const auto rings = corner_patch(layout_, c);
      const Side side = side_of_corner(c);
      const std::size_t step = 1 + rings.size() / corner_samples;
      for (std::size_t k = 0; k < rings.size(); ++k) {
        side_ = k % step == 0 ? side : Side::unasked;
        add_polygon(rings[k], beside, {c, c});
      }
      side_ = Side::unasked;
    }
    return finish();
  }

 private:
  using Side = BlendMesh::Side;

  void add_face(std::vector<Index> ring, Index source, Index beside, std::array<Index, 2> cells) {
    ring.erase(std::unique(ring.begin(), ring.end()), ring.end());
    while (ring.size() > 1 && ring.front() == ring.back()) ring.pop_back();
    if (ring.size() < 3) return;
    made_.mesh.add_face(ring);
    made_.source.push_back(source);
    made_.beside.push_back(beside);
    made_.cells.push_back(cells);
    made_.side.push_back(side_);
  }

  std::vector<Vec3> positions(const std::vector<Index>& ring) const {
    std::vector<Vec3> all;
    for (Index p : ring) all.push_back(layout_.at(p));
    return all;
  }

  /// A new face: in one piece if it is flat, or a quad.
  void add_polygon(std::vector<Index> ring, Index beside, std::array<Index, 2> cells) {
    ring.erase(std::unique(ring.begin(), ring.end()), ring.end());
    while (ring.size() > 1 && ring.front() == ring.back()) ring.pop_back();
    if (ring.size() < 4) return add_face(std::move(ring), no_index, beside, cells);
    const std::vector<Vec3> at = positions(ring);
    std::vector<Index> local(ring.size());
    for (Index k = 0; k < ring.size(); ++k) local[k] = k;
    const Vec3 n = newell_normal(at, local).stableNormalized();
    double off = 0, size = 0;
    for (const Vec3& p : at) off = std::max(off, std::abs(n.dot(p - at[0]))), size = std::max(size, (p - at[0]).norm());
    if (off <= (ring.size() == 4 ? warped_within : planar_within) * size && !has_twice(ring)) return add_face(std::move(ring), no_index, beside, cells);
    for (const Triangle& t : triangulate(at, local)) add_face({ring[t[0]], ring[t[1]], ring[t[2]]}, no_index, beside, cells);
  }

  // Facets --------------------------------------------------------------------------------------------------

  void add_facet(Index f) {
    const FeatureGraph::Facet& facet = graph_.facets[f];
    switch (trimmer_.state()[f]) {
      case FacetTrimmer::State::removed: return;
      case FacetTrimmer::State::kept:
        for (Index face : facet.faces) {
          const auto ring = task_.mesh.face(face);
          add_face({ring.begin(), ring.end()}, face, face, {no_index, no_index});
        }
        return;
      case FacetTrimmer::State::trimmed: break;
    }
    const auto& rings = trimmer_.rings(f);
    std::array<Index, 2> cells{no_index, no_index};
    for (const TrimmedRing& ring : rings)
      for (const auto& c : ring.cells)
        if (c[0] != no_index) cells = c;
    // A polygon that touches itself could not be cut into triangles without an edge that four of them have.
    if (std::any_of(rings.begin(), rings.end(), [](const TrimmedRing& ring) { return has_twice(ring.points); })) return divide_anew(f, cells);
    if (facet.faces.size() == 1 && rings.size() == 1) return add_face(rings[0].points, facet.faces[0], facet.faces[0], cells);
    if (!attach_again(f, cells)) divide_anew(f, cells);
  }

  /// The facet's faces as they were, their corners at old vertices moved to the points that stand for these now. Nothing is done where that
  /// does not go without crossings.
  bool attach_again(Index f, const std::array<Index, 2>& cells) {
    const FeatureGraph::Facet& facet = graph_.facets[f];
    std::unordered_map<Index, std::vector<Index>> stands_for;  // per vertex, in the order of the ring
    std::unordered_map<Index, Index> followed_by;              // cells
    for (const TrimmedRing& ring : trimmer_.rings(f)) {
      const std::size_t n = ring.points.size();
      std::size_t start = 0;
      while (start < n && layout_.home_of(ring.points[start]) == layout_.home_of(ring.points[(start + n - 1) % n])) ++start;
      if (start == n) return false;
      for (std::size_t k = 0; k < n; ++k) {
        const Index p = ring.points[(start + k) % n], home = layout_.home_of(p), before = layout_.home_of(ring.points[(start + k + n - 1) % n]);
        if (home == no_index) return false;
        if (home != before && !followed_by.emplace(before, home).second) return false;
        stands_for[graph_.cells[home].vertex].push_back(p);
      }
    }
    std::unordered_map<Index, Index> out_corner;  // per vertex: the corner at which the facet's border leaves it
    for (Index loop : facet.loops)
      for (Index h = loop;;) {
        const auto it = followed_by.find(graph_.cell_of[h]);
        if (it == followed_by.end() || it->second != graph_.cell_of[graph_.halves[h].next]) return false;
        out_corner[graph_.halves[h].from] = graph_.halves[h].corner;
        h = graph_.halves[h].next;
        if (h == loop) break;
      }
    if (followed_by.size() != facet.size) return false;
    const Projection flat = Projection::along(facet.normal);
    std::vector<std::vector<Index>> made;
    for (Index face : facet.faces) {
      std::vector<Index>& ring = made.emplace_back();
      for (Index c = task_.mesh.face_offsets[face]; c < task_.mesh.face_offsets[face + 1]; ++c) {
        const Index v = task_.mesh.corners[c];
        const auto it = stands_for.find(v);
        if (it == stands_for.end()) ring.push_back(v);
        else if (out_corner[v] == c) ring.insert(ring.end(), it->second.begin(), it->second.end());
        else ring.push_back(it->second.front());
      }
      if (!is_simple(ring, flat)) return false;
    }
    for (std::size_t k = 0; k < made.size(); ++k) add_face(std::move(made[k]), facet.faces[k], facet.faces[k], cells);
    return true;
  }

  bool is_simple(const std::vector<Index>& ring, const Projection& flat) const {
    std::vector<RingSegment> segments;
    double area = 0;
    for (std::size_t k = 0; k < ring.size(); ++k) {
      const Point2 a = flat(layout_.at(ring[k])), b = flat(layout_.at(ring[(k + 1) % ring.size()]));
      if (a.x == b.x && a.y == b.y) return false;
      area += a.x * b.y - a.y * b.x;
      segments.push_back({a, b, 0});
    }
    bool simple = area > 0 && !has_twice(ring);
    if (simple) find_crossings(segments, [&](std::size_t, std::size_t) { return simple = false; });
    return simple;
  }

  void divide_anew(Index f, const std::array<Index, 2>& cells) {
    const FeatureGraph::Facet& facet = graph_.facets[f];
    const auto& rings = trimmer_.rings(f);
    const Projection flat = Projection::along(facet.normal);
    const auto area = [&](const TrimmedRing& ring) {
      double sum = 0;
      for (std::size_t k = 0; k < ring.points.size(); ++k) {
        const Point2 a = flat(layout_.at(ring.points[k])), b = flat(layout_.at(ring.points[(k + 1) % ring.points.size()]));
        sum += a.x * b.y - a.y * b.x;
      }
      return sum;
    };
    if (std::all_of(rings.begin(), rings.end(), [&](const TrimmedRing& ring) { return area(ring) > 0 && !has_twice(ring.points); })) {
      for (const TrimmedRing& ring : rings) add_face(ring.points, facet.faces[0], facet.faces[0], cells);
      return;
    }
    std::map<std::array<double, 2>, Index> at;
    std::vector<Loop2> loops;
    for (const TrimmedRing& ring : rings) {
      Loop2& loop = loops.emplace_back();
      for (Index p : ring.points) {
        const Point2 q = flat(layout_.at(p));
        at[{q.x, q.y}] = p;
        loop.emplace_back(q.x, q.y);
      }
    }
    const PlanarRegion region = planar_region(loops, Inside::odd);
    for (const auto& face : region.faces) {
      std::vector<Index> ring;
      for (Index p : face) {
        const auto it = at.find({region.points[p].x(), region.points[p].y()});
        if (it == at.end()) return blame(rings);
        ring.push_back(it->second);
      }
      add_face(std::move(ring), facet.faces[0], facet.faces[0], cells);
    }
  }

  void blame(const std::vector<TrimmedRing>& rings) {
    for (const TrimmedRing& ring : rings)
      for (const auto& pair : ring.cells)
        for (Index c : pair)
          if (c != no_index && ends_.scale(c) > 0) made_.blamed.insert(c);
  }

  // Strips --------------------------------------------------------------------------------------------------

  /// A strip whose ends lie in the two facets beside its edge, and whose trim lines stay in them, lies on the right side by construction.
  Side side_of_strip(Index h) const {
    const Index back = ends_.opposite(h);
    const auto is_beside = [&](Index from, Index to) {
      const Index facet = graph_.halves[from].facet;
      return layout_.side[from].size() == 2 && layout_.lies_in(layout_.profile[from].front(), facet) && layout_.lies_in(layout_.profile[to].back(), facet);
    };
    if (ends_.last_of_run(h) == h && is_beside(h, back) && is_beside(back, h)) return Side::unasked;
    return ends_.section(h).convex ? Side::within : Side::outside;
  }

  /// Where edges of two kinds meet there is no right side; where all edges are finished, CellLayout has looked at it.
  Side side_of_corner(Index c) const {
    Side side = Side::unasked;
    bool all = true;
    for (Index h : graph_.cells[c].out) {
      if (!ends_.is_finished(h)) {
        all = false;
        continue;
      }
      const Side own = ends_.section(h).convex ? Side::within : Side::outside;
      if (side != Side::unasked && own != side) return Side::unasked;
      side = own;
    }
    return all ? Side::unasked : side;
  }

  void add_strip(Index h) {
    const Index back = ends_.opposite(h);
    const auto &begin = layout_.profile[h], &end = layout_.profile[back];
    const std::array<Index, 2> cells{graph_.cell_of[h], graph_.cell_of[back]};
    const Index beside = graph_.facets[graph_.halves[h].facet].faces[0], other = graph_.facets[graph_.halves[back].facet].faces[0];
    const Side place = side_of_strip(h);
    // A chamfer is one face, whose ends may come to a point.
    if (!task_.settings.round) {
      std::vector<Index> ring = begin;
      ring.insert(ring.end(), layout_.side[back].rbegin(), layout_.side[back].rend());
      ring.insert(ring.end(), end.begin(), end.end());
      ring.insert(ring.end(), layout_.side[h].rbegin(), layout_.side[h].rend());
      side_ = place;
      add_polygon(std::move(ring), beside, cells);
    }
    const std::size_t m = task_.settings.round ? begin.size() - 1 : 0;
    for (std::size_t k = 0; k < m; ++k) {
      std::vector<Index> ring{begin[k]};
      if (k + 1 == m) ring.insert(ring.end(), layout_.side[back].rbegin(), layout_.side[back].rend());
      else ring.push_back(begin[k + 1]), ring.push_back(end[m - 1 - k]);
      if (k == 0) ring.insert(ring.end(), layout_.side[h].rbegin(), layout_.side[h].rend());
      else ring.push_back(end[m - k]);
      side_ = k == 0 || k == m / 2 || k + 1 == m ? place : Side::unasked;
      add_polygon(std::move(ring), 2 * k < m ? beside : other, cells);
    }
    side_ = Side::unasked;
    for (Index side : {h, back})
      for (std::size_t k = 0; k + 1 < layout_.side[side].size(); ++k) made_.long_edges.push_back({layout_.side[side][k], layout_.side[side][k + 1]});
  }

  /// Points that are used get positions, in order.
  BlendMesh finish() {
    std::vector<Index> number(layout_.point_count(), no_index);
    for (Index v : made_.mesh.corners) number[v] = 0;
    Index count = 0;
    for (Index p = 0; p < number.size(); ++p)
      if (number[p] == 0) number[p] = count++, made_.mesh.positions.push_back(layout_.at(p));
    for (Index& v : made_.mesh.corners) v = number[v];
    std::vector<std::array<Index, 2>> edges;
    for (const auto& [p, q] : made_.long_edges)
      if (p != q && number[p] != no_index && number[q] != no_index) edges.push_back({std::min(number[p], number[q]), std::max(number[p], number[q])});
    std::sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    made_.long_edges = std::move(edges);
    return std::move(made_);
  }

  StripLayout& layout_;
  const StripEnds& ends_;
  const BlendTask& task_;
  const FeatureGraph& graph_;
  const FacetTrimmer& trimmer_;
  BlendMesh made_;
  Side side_ = Side::unasked;  // of the faces that are added
};

}  // namespace

BlendMesh make_blend_mesh(StripLayout& layout, const FacetTrimmer& trimmer) { return Maker(layout, trimmer).make(); }

}  // namespace anvil
