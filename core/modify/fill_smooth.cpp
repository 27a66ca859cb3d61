// SPDX-License-Identifier: GPL-3.0-or-later
#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/Polygon_mesh_processing/triangulate_hole.h>
#include <CGAL/Polygon_mesh_processing/fair.h>
#include <CGAL/Polygon_mesh_processing/refine.h>
#include <CGAL/Surface_mesh.h>

#include <array>
#include <limits>
#include <numeric>
#include <set>
#include <stop_token>
#include <unordered_map>

#include "core/control.h"
#include "core/mesh/charts.h"
#include "core/mesh/edges.h"
#include "core/mesh/triangles_cross.h"
#include "core/modify/fill_hole.h"

namespace anvil {
namespace {

namespace PMP = CGAL::Polygon_mesh_processing;
using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
using Surface = CGAL::Surface_mesh<Kernel::Point_3>;

Kernel::Point_3 point(const Vec3& p) { return {p.x(), p.y(), p.z()}; }

/// So long a ring is filled as a whole: what is tried for it grows with its third power.
constexpr std::size_t longest_whole = 120;

/// Triangles of least area between corners of a ring, which is one piece of a hole.
/// @param ring  places in the hole
/// @return false when CGAL finds none
bool fill_piece(const std::vector<Vec3>& hole, std::span<const Index> ring, std::vector<std::vector<Index>>& faces) {
  if (ring.size() == 3 && hole.size() > 3) return faces.push_back({ring[0], ring[1], ring[2]}), true;
  std::vector<Kernel::Point_3> polyline;
  for (Index v : ring) polyline.push_back(point(hole[v]));
  std::vector<CGAL::Triple<int, int, int>> triangles;
  PMP::triangulate_hole_polyline(polyline, std::back_inserter(triangles));
  for (const auto& t : triangles) faces.push_back({ring[static_cast<std::size_t>(t.first)], ring[static_cast<std::size_t>(t.second)], ring[static_cast<std::size_t>(t.third)]});
  return !triangles.empty();
}

/// The shortest line across a ring that leaves at least a third of it on either side.
/// @param is_edge  of two corners: there is an edge already, or was a line before
std::optional<std::array<std::size_t, 2>> shortest_across(const std::vector<Vec3>& hole, std::span<const Index> ring, const auto& is_edge, const Control& control) {
  const std::size_t n = ring.size(), least = n / 3;
  double shortest = std::numeric_limits<double>::infinity();
  std::optional<std::array<std::size_t, 2>> best;
  for (std::size_t i = 0; i + least < n; ++i) {
    if (i % 64 == 0) check_stop(control);
    for (std::size_t j = i + least; j < n && j - i <= n - least; ++j) {
      const double square = (hole[ring[i]] - hole[ring[j]]).squaredNorm();
      if (square < shortest && !is_edge(ring[i], ring[j])) shortest = square, best = {i, j};
    }
  }
  return best;
}

/// A filling of least area, or of a long ring: of pieces that each are, parted along the shortest lines across.
/// Ends: each piece has fewer corners than the ring it is of. O(n²) for lines, O(n) for pieces.
std::optional<HoleFilling> fill_least(const std::vector<Vec3>& positions, std::span<const Index> ring, const auto& is_mesh_edge, const Control& control) {
  std::vector<Vec3> hole;
  for (Index v : ring) hole.push_back(positions[v]);
  HoleFilling filling;
  std::set<std::pair<Index, Index>> lines;
  const auto is_edge = [&](Index a, Index b) { return lines.count(std::minmax(a, b)) > 0 || is_mesh_edge(a, b); };
  std::vector<std::vector<Index>> waiting(1, std::vector<Index>(ring.size()));
  std::iota(waiting[0].begin(), waiting[0].end(), Index{0});
  while (!waiting.empty()) {
    check_stop(control);
    const std::vector<Index> piece = std::move(waiting.back());
    waiting.pop_back();
    if (piece.size() <= longest_whole) {
      if (!fill_piece(hole, piece, filling.faces)) return std::nullopt;
      continue;
    }
    const auto across = shortest_across(hole, piece, is_edge, control);
    if (!across) return std::nullopt;
    const auto [i, j] = *across;
    lines.insert(std::minmax(piece[i], piece[j]));
    waiting.emplace_back(piece.begin() + static_cast<std::ptrdiff_t>(i), piece.begin() + static_cast<std::ptrdiff_t>(j) + 1);
    std::vector<Index>& rest = waiting.emplace_back(piece.begin() + static_cast<std::ptrdiff_t>(j), piece.end());
    rest.insert(rest.end(), piece.begin(), piece.begin() + static_cast<std::ptrdiff_t>(i) + 1);
  }
  return filling;
}

/// Does a filling cross itself or the faces beside the hole?
bool crosses(const std::vector<Vec3>& positions, std::span<const Index> ring, std::span<const Triangle> around, const HoleFilling& filling, const Control& control) {
  std::vector<Vec3> points;
  std::vector<Triangle> triangles;
  std::unordered_map<Index, Index> number;
  for (Index v : ring) number[v] = static_cast<Index>(points.size()), points.push_back(positions[v]);
  points.insert(points.end(), filling.new_points.begin(), filling.new_points.end());
  for (const std::vector<Index>& face : filling.faces)
    for (std::size_t k = 1; k + 1 < face.size(); ++k) triangles.push_back({face[0], face[k], face[k + 1]});
  for (const Triangle& t : around) {
    Triangle& own = triangles.emplace_back();
    for (std::size_t k = 0; k < 3; ++k) {
      const auto [it, is_new] = number.try_emplace(t[k], static_cast<Index>(points.size()));
      if (is_new) points.push_back(positions[t[k]]);
      own[k] = it->second;
    }
  }
  // The first one that is found ends the search.
  std::stop_source found;
  const std::stop_callback also(control.stop, [&] { found.request_stop(); });
  try {
    for_each_possible_crossing(
        points, triangles, find_opposites(triangles, {}, points.size()),
        [&](Index i, Index j) {
          if (triangles_cross(points, triangles[i], triangles[j])) found.request_stop();
        },
        found.get_token());
  } catch (const Stopped&) {
    check_stop(control);
  }
  return found.stop_requested();
}

}  // namespace

std::optional<HoleFilling> fill_smooth(const std::vector<Vec3>& positions, std::span<const Index> ring, std::span<const Triangle> around, const Control& control) {
  std::set<std::pair<Index, Index>> edges;
  for (const Triangle& t : around)
    for (std::size_t k = 0; k < 3; ++k) edges.insert(std::minmax(t[k], t[(k + 1) % 3]));
  const auto least = [&] { return fill_least(positions, ring, [&](Index a, Index b) { return edges.count(std::minmax(ring[a], ring[b])) > 0; }, control); };
  Surface surface;
  std::unordered_map<Index, Surface::Vertex_index> number;
  const auto vertex = [&](Index v) {
    const auto [it, is_new] = number.try_emplace(v);
    if (is_new) it->second = surface.add_vertex(point(positions[v]));
    return it->second;
  };
  for (const Triangle& t : around)
    if (surface.add_face(vertex(t[0]), vertex(t[1]), vertex(t[2])) == Surface::null_face()) return least();
  for (Index v : ring)
    if (number.find(v) == number.end()) return least();
  // The half-edge of the hole that runs along the ring.
  const auto h = surface.halfedge(number[ring[0]], number[ring[1]]);
  if (h == Surface::null_halfedge() || !surface.is_border(h)) return least();
  std::size_t length = 0;
  for (auto at = h; length <= ring.size(); at = surface.next(at)) {
    ++length;
    if (surface.next(at) == h) break;
  }
  if (length != ring.size()) return least();

  std::vector<Surface::Face_index> plain, faces;
  std::vector<Surface::Vertex_index> vertices;
  // The faces and vertices as they are by then; nothing where they are not finite.
  const auto as_it_is = [&]() -> std::optional<HoleFilling> {
    std::unordered_map<Index, Index> place;  // CGAL's vertex, ours
    for (Index k = 0; k < ring.size(); ++k) place[number[ring[k]]] = k;
    HoleFilling filling;
    for (const auto v : vertices) {
      const auto& p = surface.point(v);
      const Vec3 at(p.x(), p.y(), p.z());
      if (!at.allFinite()) return std::nullopt;
      place[v] = static_cast<Index>(ring.size() + filling.new_points.size());
      filling.new_points.push_back(at);
    }
    for (const auto f : faces) {
      std::vector<Index> corners;
      for (const auto v : surface.vertices_around_face(surface.halfedge(f))) {
        const auto it = place.find(v);
        if (it == place.end()) return std::nullopt;
        corners.push_back(it->second);
      }
      filling.faces.push_back(std::move(corners));
    }
    return filling;
  };
  if (ring.size() <= longest_whole) {
    PMP::triangulate_refine_and_fair_hole(surface, h, std::back_inserter(faces), std::back_inserter(vertices));
    const std::optional<HoleFilling> faired = faces.empty() ? std::nullopt : as_it_is();
    return faired ? faired : least();
  }
  const std::optional<HoleFilling> in_pieces = least();
  if (!in_pieces) return std::nullopt;
  for (const std::vector<Index>& face : in_pieces->faces) {
    const auto f = surface.add_face(number[ring[face[0]]], number[ring[face[1]]], number[ring[face[2]]]);
    if (f == Surface::null_face()) return in_pieces;
    plain.push_back(f);
  }
  check_stop(control);
  PMP::refine(surface, plain, std::back_inserter(faces), std::back_inserter(vertices));
  faces.insert(faces.end(), plain.begin(), plain.end());
  check_stop(control);
  // Beyond so many the equations of fairing take seconds, and are not solved: the surface is as even as refinement made it.
  constexpr std::size_t many_points = 60'000;
  if (vertices.size() <= many_points) PMP::fair(surface, vertices);
  const std::optional<HoleFilling> smooth = as_it_is();
  if (smooth && !crosses(positions, ring, around, *smooth, control)) return smooth;
  // Where a long rim is ragged, it runs through itself beside it. What is cut as a plane does not, where the rim is one seen from above.
  const std::optional<HoleFilling> flat = fill_flat(positions, ring, true);
  return flat ? flat : in_pieces;
}

}  // namespace anvil
