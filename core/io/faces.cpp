// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/io/faces.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <map>

#include "core/exact/predicates.h"
#include "core/mesh/attributes.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/bvh.h"
#include "core/mesh/charts.h"
#include "core/mesh/edges.h"
#include "core/mesh/triangles_cross.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/weld.h"

namespace anvil {
namespace {

using Ring = std::vector<Index>;

/// Fans of a polygon with more corners make more triangles than are worth looking at, unless it is flat to the last bit.
constexpr std::size_t max_corners = 64;

bool is_strictly_convex(const std::vector<Vec3>& positions, const Ring& ring, const Projection& plane) {
  const std::size_t n = ring.size();
  std::vector<Point2> p;
  for (Index v : ring) p.push_back(plane(positions[v]));
  int turns = 0;  // of the direction along x; a ring that goes around once turns twice
  for (std::size_t k = 0; k < n; ++k) {
    const Point2 &a = p[k], &b = p[(k + 1) % n], &c = p[(k + 2) % n];
    if (orient2d(a, b, c) <= 0) return false;
    turns += (b.x > a.x || (b.x == a.x && b.y > a.y)) != (c.x > b.x || (c.x == b.x && c.y > b.y));
  }
  return turns == 2;
}

bool is_strictly_convex(const std::vector<Vec3>& positions, const Ring& ring) {
  return is_strictly_convex(positions, ring, Projection::along(newell_normal(positions, ring)));
}

bool is_flat(const std::vector<Vec3>& positions, const Ring& ring) {
  for (std::size_t k = 3; k < ring.size(); ++k)
    if (orient3d(positions[ring[0]], positions[ring[1]], positions[ring[2]], positions[ring[k]]) != 0) return false;
  return true;
}

/// A face that may be written, and the triangles that it has been judged by.
struct Piece {
  Ring ring;
  std::vector<Triangle> triangles;
  Index face;
  bool flat;  ///< every fan of it covers the same
};

/// Joins the triangles of one face to strictly convex pieces.
void join(const std::vector<Vec3>& positions, std::vector<Triangle> triangles, Index face, std::vector<Piece>& out) {
  std::vector<Piece> pieces;
  for (const Triangle& t : triangles) pieces.push_back({{t.begin(), t.end()}, {t}, face, true});
  std::map<std::pair<Index, Index>, std::size_t> owner;  // of a directed edge
  for (std::size_t k = 0; k < pieces.size(); ++k)
    for (std::size_t c = 0; c < 3; ++c) owner[{pieces[k].ring[c], pieces[k].ring[(c + 1) % 3]}] = k;
  for (const Triangle& t : triangles)
    for (std::size_t c = 0; c < 3; ++c) {
      const Index a = t[c], b = t[(c + 1) % 3];
      const auto here = owner.find({a, b}), there = owner.find({b, a});
      if (here == owner.end() || there == owner.end() || here->second == there->second) continue;
      const std::size_t one = here->second, other = there->second;
      Ring ring = pieces[one].ring, rest = pieces[other].ring;
      if (ring.size() + rest.size() - 2 > max_corners) continue;
      std::rotate(ring.begin(), std::find(ring.begin(), ring.end(), b), ring.end());  // b … a
      std::rotate(rest.begin(), std::find(rest.begin(), rest.end(), a), rest.end());  // a … b
      ring.insert(ring.end(), rest.begin() + 1, rest.end() - 1);
      if (!is_strictly_convex(positions, ring)) continue;
      for (std::size_t k = 0; k < rest.size(); ++k) owner[{rest[k], rest[(k + 1) % rest.size()]}] = one;
      owner.erase({a, b});
      owner.erase({b, a});
      pieces[one].ring = std::move(ring);
      pieces[one].triangles.insert(pieces[one].triangles.end(), pieces[other].triangles.begin(), pieces[other].triangles.end());
      pieces[other].ring.clear();
    }
  for (Piece& piece : pieces)
    if (!piece.ring.empty()) {
      piece.flat = is_flat(positions, piece.ring);
      out.push_back(std::move(piece));
    }
}

/// Numbers for the pieces, one for those of which no two can cross however they are cut: that lie in one chart, and are convex as
/// it is seen. Then all their fans cover what the piece covers there, and no two pieces cover the same.
/// @param at  the vertex that stands for all at its position
template <class At>
std::vector<Index> groups_of(const std::vector<Vec3>& positions, const std::vector<Piece>& pieces, At&& at, const std::stop_token& stop) {
  std::vector<Triangle> triangles;
  std::vector<Index> first;
  for (const Piece& piece : pieces) {
    first.push_back(static_cast<Index>(triangles.size()));
    for (const Triangle& t : piece.triangles) triangles.push_back({at(t[0]), at(t[1]), at(t[2])});
  }
  first.push_back(static_cast<Index>(triangles.size()));
  const Charts charts = find_charts(positions, triangles, find_opposites(triangles, {}, positions.size()), morton_order(positions, triangles), stop);
  std::vector<Index> groups(pieces.size());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, pieces.size(), 1024), [&](const auto& range) {
    for (std::size_t k = range.begin(); k < range.end(); ++k) {
      const Index chart = charts.chart[first[k]];
      bool together = chart != no_index;
      for (Index i = first[k]; i < first[k + 1]; ++i) together = together && charts.chart[i] == chart;
      together = together && is_strictly_convex(positions, pieces[k].ring, charts.seen[chart]);
      groups[k] = together ? chart : static_cast<Index>(charts.triangles.size() + k);
    }
  });
  return groups;
}

/// Do two corners of a ring lie side by side?
bool side_by_side(std::size_t i, std::size_t j, std::size_t n) { return i + 1 == j || (i == 0 && j + 1 == n); }

/// Marks pieces of very many corners that have two corners in common with another piece which are not side by side, and that
/// piece where they are not in it: a cut between the two would run through both. All their diagonals would be too many to list.
/// @param at  the vertex that stands for all at its position
template <class At>
void mark_large(const std::vector<Piece>& pieces, std::size_t vertices, At&& at, std::vector<std::atomic<char>>& unsafe) {
  if (std::none_of(pieces.begin(), pieces.end(), [](const Piece& piece) { return piece.ring.size() > max_corners; })) return;
  struct Corner {
    Index vertex, piece, place;
  };
  std::vector<Corner> corners;
  for (Index k = 0; k < pieces.size(); ++k)
    for (Index c = 0; c < pieces[k].ring.size(); ++c) corners.push_back({at(pieces[k].ring[c]), k, c});
  const std::vector<Index> first = counting_sort(corners, vertices, [](const Corner& corner) { return corner.vertex; });
  struct Common {
    Index piece, there, here;
    auto operator<=>(const Common&) const = default;
  };
  std::vector<Common> common;
  for (Index k = 0; k < pieces.size(); ++k) {
    const std::size_t n = pieces[k].ring.size();
    if (n <= max_corners) continue;
    common.clear();
    for (Index c = 0; c < n; ++c) {
      const Index v = at(pieces[k].ring[c]);
      for (Index i = first[v]; i < first[v + 1]; ++i)
        if (corners[i].piece != k) common.push_back({corners[i].piece, corners[i].place, c});
    }
    std::sort(common.begin(), common.end());
    for (std::size_t i = 0, end = 0; i < common.size(); i = end) {
      while (end < common.size() && common[end].piece == common[i].piece) ++end;
      if (end - i < 2) continue;
      const Index other = common[i].piece;
      const auto [here, over_here] = std::minmax(common[i].here, common[i + 1].here);
      if (end - i > 2 || !side_by_side(here, over_here, n)) unsafe[k] = 1;
      const std::size_t m = pieces[other].ring.size();
      if (m > 3 && (end - i > 2 || !side_by_side(common[i].there, common[i + 1].there, m))) unsafe[other] = 1;
    }
  }
}

/// Which pieces could be cut so that the mesh is no longer sound.
std::vector<char> find_unsafe(const std::vector<Vec3>& positions, const std::vector<Piece>& pieces, const std::stop_token& stop) {
  const WeldMap weld = weld_equal(positions);
  auto at = [&](Index v) { return weld.first[weld.id[v]]; };
  const std::vector<Index> groups = groups_of(positions, pieces, at, stop);
  std::vector<Triangle> candidates;
  std::vector<Index> piece_of, group_of;
  struct Pair {
    Index a, b, piece;
    bool edge;
    auto operator<=>(const Pair&) const = default;
  };
  std::vector<Pair> lines;  // edges and diagonals
  for (Index k = 0; k < pieces.size(); ++k) {
    const Ring& ring = pieces[k].ring;
    const std::size_t n = ring.size();
    std::vector<Triangle> triangles = pieces[k].triangles;
    for (std::size_t i = 0; i < n && n > 3 && !pieces[k].flat; ++i)
      for (std::size_t j = 1; j + 1 < n; ++j) {
        Triangle t{ring[i], ring[(i + j) % n], ring[(i + j + 1) % n]};
        std::rotate(t.begin(), std::min_element(t.begin(), t.end()), t.end());
        triangles.push_back(t);
      }
    std::sort(triangles.begin(), triangles.end());
    triangles.erase(std::unique(triangles.begin(), triangles.end()), triangles.end());
    for (const Triangle& t : triangles) {
      const Triangle here{at(t[0]), at(t[1]), at(t[2])};
      if (here[0] == here[1] || here[1] == here[2] || here[2] == here[0]) continue;
      candidates.push_back(here);
      piece_of.push_back(k);
      group_of.push_back(groups[k]);
    }
    const auto add_line = [&](std::size_t i, std::size_t j) {
      const auto [a, b] = std::minmax({at(ring[i]), at(ring[j])});
      lines.push_back({a, b, k, side_by_side(i, j, n)});
    };
    if (n > max_corners) {
      for (std::size_t i = 0; i + 1 < n; ++i) add_line(i, i + 1);
      add_line(0, n - 1);
      continue;
    }
    for (std::size_t i = 0; i < n; ++i)
      for (std::size_t j = i + 1; j < n; ++j) add_line(i, j);
  }
  std::vector<std::atomic<char>> unsafe(pieces.size());
  mark_large(pieces, positions.size(), at, unsafe);
  Bvh(positions, candidates, 0, group_of)
      .for_each_pair(
          [&](Index i, Index j) {
            const Index p = piece_of[i], q = piece_of[j];
            const bool p_free = pieces[p].ring.size() > 3 && !pieces[p].flat, q_free = pieces[q].ring.size() > 3 && !pieces[q].flat;
            if ((!p_free && !q_free) || (unsafe[p] != 0 && unsafe[q] != 0)) return;
            if (!triangles_cross(positions, candidates[i], candidates[j])) return;
            if (p_free) unsafe[p] = 1;
            if (q_free) unsafe[q] = 1;
          },
          stop);
  sort_by_bucket(lines, positions.size(), [](const Pair& line) { return line.a; });
  for (std::size_t i = 0; i < lines.size();) {
    std::size_t j = i;
    bool diagonal = false;
    for (; j < lines.size() && lines[j].a == lines[i].a && lines[j].b == lines[i].b; ++j) diagonal = diagonal || !lines[j].edge;
    for (std::size_t k = i; k < j && diagonal && j - i > 1; ++k)
      if (!lines[k].edge) unsafe[lines[k].piece] = 1;
    i = j;
  }
  std::vector<char> result(pieces.size());
  for (std::size_t k = 0; k < result.size(); ++k) result[k] = unsafe[k];
  return result;
}

Mesh made_of(const Mesh& mesh, const std::vector<Piece>& pieces) {
  Mesh out;
  out.positions = mesh.positions;
  std::vector<Index> source;
  for (const Piece& piece : pieces) {
    out.add_face(piece.ring);
    source.push_back(piece.face);
  }
  carry_attributes(mesh, source, out);
  return out;
}

}  // namespace

std::optional<FacesWritten> faces_named(std::string_view name) {
  if (name == "polygons") return FacesWritten::polygons;
  if (name == "convex") return FacesWritten::convex;
  if (name == "triangles") return FacesWritten::triangles;
  return std::nullopt;
}

Mesh convex_faces(const Mesh& mesh, const std::stop_token& stop) {
  if (mesh.triangles_only()) return mesh;
  const TriangleList list = triangulate(mesh);
  std::vector<Piece> pieces;
  for (std::size_t i = 0; i < list.triangles.size();) {
    const Index f = list.face[i];
    std::vector<Triangle> triangles;
    for (; i < list.triangles.size() && list.face[i] == f; ++i) triangles.push_back(list.triangles[i]);
    Ring ring(mesh.face(f).begin(), mesh.face(f).end());
    const bool flat = ring.size() == 3 || is_flat(mesh.positions, ring);
    if (ring.size() == 3 || ((flat || ring.size() <= max_corners) && is_strictly_convex(mesh.positions, ring)))
      pieces.push_back({std::move(ring), std::move(triangles), f, flat});
    else
      join(mesh.positions, std::move(triangles), f, pieces);
  }
  while (true) {
    const std::vector<char> unsafe = find_unsafe(mesh.positions, pieces, stop);
    if (std::find(unsafe.begin(), unsafe.end(), 1) == unsafe.end()) return made_of(mesh, pieces);
    std::vector<Piece> next;
    for (std::size_t k = 0; k < pieces.size(); ++k) {
      if (!unsafe[k]) {
        next.push_back(std::move(pieces[k]));
        continue;
      }
      for (const Triangle& t : pieces[k].triangles) next.push_back({{t.begin(), t.end()}, {t}, pieces[k].face, true});
    }
    pieces = std::move(next);
  }
}

Mesh faces_for(const Mesh& mesh, FacesWritten faces, const std::stop_token& stop) {
  if (faces == FacesWritten::polygons) return mesh;
  if (faces == FacesWritten::convex) return convex_faces(mesh, stop);
  return cut_to_triangles(mesh);
}

}  // namespace anvil
