// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/cell_complex.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <tuple>

#include "core/boolean/radial_sort.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

/// One face at an edge u–v, for sorting around it.
struct RadialFace {
  Index face;
  Index apex;     ///< its third vertex
  bool forward;   ///< it runs from u to v
  Index source;   ///< soup triangle whose plane it lies in
  bool same_way;  ///< it faces as that triangle does
};

class RadialSort {
 public:
  RadialSort(const Soup& soup, const PointSet& points, Index u, Index v) : soup_(soup), points_(points), u_(u), v_(v) {}

  /// Side of a point seen from the half-plane of a face: 1 ahead, turning from its apex about u→v.
  int side(const RadialFace& radial_face, Index point) const {
    // The plane (u, v, apex) faces as the source does when the face runs forward and the same way round.
    const int sign = radial_face.forward == radial_face.same_way ? 1 : -1;
    return sign * points_.side(soup_.plane(radial_face.source), point);
  }

  /// Sorts faces by angle about u→v, beginning with the first. Faces are distinct: no two at one angle.
  void sort(std::vector<RadialFace>& faces) const {
    radial_sort(
        faces, [&](const RadialFace& a, const RadialFace& b) { return side(a, b.apex); },
        [](const RadialFace& a, const RadialFace& b) { return a.face == b.face; });
  }

 private:
  const Soup& soup_;
  const PointSet& points_;
  Index u_, v_;
};

/// A face at an edge, by the edge's vertices.
struct EdgeUse {
  Index lo, hi, face;
  unsigned char corner;
  bool operator<(const EdgeUse& o) const {
    const std::uint64_t own = pair_key(lo, hi), other = pair_key(o.lo, o.hi);
    return own != other ? own < other : pair_key(face, corner) < pair_key(o.face, o.corner);
  }
};

/// One part's share of the numbering of untouched near triangles.
struct Flood {
  std::vector<Index> first;   ///< the first triangle of each region, which gives it its name for now
  std::vector<EdgeUse> uses;  ///< of edges where a region ends
  std::vector<std::pair<Index, Index>> beyond;  ///< first triangle of a region, and the region of the seam that it goes on into

  /// Goes through what can be reached from the triangles [begin, end).
  void run(const Soup& soup, const SeamLookup& seam, const std::vector<char>& touched, Index begin, Index end,
           std::vector<Index>& region, const Control& control) {
    std::vector<Index> queue;
    for (Index seed = begin; seed < end; ++seed) {
      if (region[seed] != no_index || touched[seed]) continue;
      check_stop(control);
      first.push_back(seed);
      region[seed] = seed;
      queue.assign(1, seed);
      while (!queue.empty()) {
        const Index t = queue.back();
        queue.pop_back();
        const Triangle& corners = soup.triangles[t];
        for (Index k = 0; k < 3; ++k) {
          const Index a = corners[k], b = corners[k == 2 ? 0 : k + 1], opposite = soup.opposite[3 * t + k];
          if (opposite == no_index) {
            if (const Index there = seam.beyond(soup.part[t], a, b); there != no_index) {
              beyond.emplace_back(seed, there);
              continue;
            }
          }
          if (opposite == no_index || touched[opposite / 3] || (soup.maybe_non_manifold[a] && soup.maybe_non_manifold[b])) {
            uses.push_back({std::min(a, b), std::max(a, b), t, static_cast<unsigned char>(k)});
          } else if (region[opposite / 3] == no_index) {
            region[opposite / 3] = seed;
            queue.push_back(opposite / 3);
          }
        }
      }
    }
  }
};

/// The untouched triangles by the region of surface they lie in: over edges where nothing else can be.
struct Regions {
  std::vector<Index> first;                     ///< triangle of each
  std::vector<std::pair<Index, Index>> beyond;  ///< region, region of the seam

  /// A region never leaves its part, so parts go side by side. Uses of edges where regions end are added to `uses`.
  Regions(const Soup& soup, const std::vector<char>& touched, std::vector<Index>& region, std::vector<EdgeUse>& uses,
          const Control& control) {
    region.assign(soup.triangles.size(), no_index);
    const SeamLookup seam(soup.seam);
    std::vector<Flood> floods(soup.parts.size() + 1);
    tbb::parallel_for(std::size_t{0}, soup.parts.size(), [&](std::size_t k) {
      floods[k].run(soup, seam, touched, soup.parts[k].first, soup.parts[k].end, region, control);
    });
    floods.back().run(soup, seam, touched, soup.first_added(), static_cast<Index>(soup.triangles.size()), region, control);
    std::vector<Index> number(soup.triangles.size());
    for (const Flood& f : floods) {
      for (Index seed : f.first) {
        number[seed] = static_cast<Index>(first.size());
        first.push_back(seed);
      }
      uses.insert(uses.end(), f.uses.begin(), f.uses.end());
      for (const auto& [seed, there] : f.beyond) beyond.emplace_back(number[seed], there);
    }
    for (Index& r : region)
      if (r != no_index) r = number[r];
    // An edge of the seam that something has cut or moved is not met.
    if (beyond.size() != soup.seam.edges.size()) throw ReachesUntouched{};
  }
};

}  // namespace

Cells find_cells(const Soup& soup, const Arrangement& arrangement, const Control& control) {
  const Faces faces(soup, arrangement);
  Cells cells;
  std::vector<EdgeUse> uses;
  const Regions regions(soup, arrangement.touched, cells.patch_of_triangle, uses, control);
  for (Index j = 0; j < arrangement.faces.size(); ++j)
    for (std::size_t k = 0; k < 3; ++k) {
      const Index a = arrangement.faces[j][k], b = arrangement.faces[j][(k + 1) % 3];
      uses.push_back({std::min(a, b), std::max(a, b), faces.triangles() + j, static_cast<unsigned char>(k)});
    }
  sort_by_bucket(uses, arrangement.points.size(), [](const EdgeUse& use) { return use.lo; });
  check_stop(control);

  // Patches: regions and faces of the arrangement, joined over edges with exactly two faces that agree, and the
  // untouched regions that regions go on into.
  const auto region_count = static_cast<Index>(regions.first.size());
  const auto near_count = static_cast<Index>(region_count + arrangement.faces.size());
  auto member = [&](Index f) {
    return f < faces.triangles() ? cells.patch_of_triangle[f] : region_count + f - faces.triangles();
  };
  auto forward = [&](const EdgeUse& use) { return faces.corners(use.face)[use.corner] == use.lo; };
  struct Junction {
    std::size_t begin, end;
  };
  std::vector<Junction> junctions;
  UnionFind sets(near_count + soup.seam.regions.size());
  for (const auto& [region, there] : regions.beyond) sets.unite(region, near_count + there);
  // Between two faces of the same polygons an edge only cuts those into triangles.
  auto is_inside_polygon = [&](Index f, Index g) {
    auto polygons = [&](Index face) {
      std::vector<std::pair<Index, Index>> all;
      faces.sources(face, [&](Index t, bool) { all.emplace_back(soup.part[t], soup.polygon_of(t)); });
      std::sort(all.begin(), all.end());
      return all;
    };
    return polygons(f) == polygons(g);
  };
  const bool any_scores = std::any_of(soup.parts.begin(), soup.parts.end(), [](const Soup::Part& part) { return part.scores; });
  for (std::size_t i = 0; i < uses.size();) {
    std::size_t j = i;
    while (j < uses.size() && uses[j].lo == uses[i].lo && uses[j].hi == uses[i].hi) ++j;
    if (j - i == 2 && forward(uses[i]) != forward(uses[i + 1]))
      sets.unite(member(uses[i].face), member(uses[i + 1].face));
    else
      junctions.push_back({i, j});
    if (any_scores && !(j - i == 2 && is_inside_polygon(uses[i].face, uses[i + 1].face))) {
      bool drawn = false;
      for (std::size_t k = i; k < j; ++k)
        faces.sources(uses[k].face, [&](Index t, bool) { drawn = drawn || soup.parts[soup.part[t]].scores; });
      for (std::size_t k = i; k < j && drawn; ++k) {
        const auto bit = static_cast<unsigned char>(1u << uses[k].corner);
        if (uses[k].face < faces.triangles())
          cells.scored_triangles.emplace_back(uses[k].face, bit);
        else
          cells.scored_faces.emplace_back(uses[k].face - faces.triangles(), bit);
      }
    }
    i = j;
  }
  std::vector<Index> patch_of;
  const Index patches = sets.number(patch_of);
  cells.first.assign(patches, no_index);
  for (Index m = 0; m < near_count; ++m)
    if (cells.first[patch_of[m]] == no_index)
      cells.first[patch_of[m]] = m < region_count ? regions.first[m] : faces.triangles() + m - region_count;
  for (Index& p : cells.patch_of_triangle)
    if (p != no_index) p = patch_of[p];
  cells.patch_of_face.assign(patch_of.begin() + region_count, patch_of.begin() + near_count);
  cells.patch_of_region.assign(patch_of.begin() + near_count, patch_of.end());
  check_stop(control);

  std::vector<std::vector<std::array<Index, 2>>> joins((junctions.size() + 255) / 256);
  tbb::parallel_for(std::size_t{0}, joins.size(), [&](std::size_t block) {
    check_stop(control);
    std::vector<RadialFace> radial_faces;
    for (std::size_t j = block * 256; j < std::min(junctions.size(), (block + 1) * 256); ++j) {
      const Index u = uses[junctions[j].begin].lo, v = uses[junctions[j].begin].hi;
      radial_faces.clear();
      for (std::size_t k = junctions[j].begin; k < junctions[j].end; ++k) {
        const Index f = uses[k].face;
        const auto source = faces.source(f);
        radial_faces.push_back({f, faces.corners(f)[(uses[k].corner + 2u) % 3], forward(uses[k]), source.triangle, source.same_way});
      }
      RadialSort(soup, arrangement.points, u, v).sort(radial_faces);
      auto patch = [&](const RadialFace& l) {
        return l.face < faces.triangles() ? cells.patch_of_triangle[l.face] : cells.patch_of_face[l.face - faces.triangles()];
      };
      for (std::size_t k = 0; k < radial_faces.size(); ++k) {
        const RadialFace &here = radial_faces[k], &then = radial_faces[(k + 1) % radial_faces.size()];
        const Index ahead = 2 * patch(here) + (here.forward ? 0 : 1);
        const Index behind = 2 * patch(then) + (then.forward ? 1 : 0);
        joins[block].push_back({ahead, behind});
      }
    }
  });
  UnionFind sides(2 * std::size_t{patches});
  for (const auto& list : joins)
    for (const auto& [a, b] : list) sides.unite(a, b);
  cells.count = sides.number(cells.cell);
  return cells;
}

}  // namespace anvil::boolean
