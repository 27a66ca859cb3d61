// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/polygons.h"

#include <algorithm>
#include <numeric>

#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

/// Longer rings make triangulation slow and are hard to work with; large faces come as several polygons.
constexpr Index max_corners = 200;

class Joiner {
 public:
  Joiner(std::span<const Triangle> triangles, std::span<const unsigned char> kept)
      : triangles_(triangles), polygon_(triangles.size()), corners_(triangles.size(), 3) {
    const auto n = static_cast<Index>(3 * triangles.size());
    twin_.assign(n, no_index);
    alive_.assign(n, 1);
    next_.resize(n);
    previous_.resize(n);
    by_edge_.resize(n);
    by_start_.resize(n);
    std::iota(by_edge_.begin(), by_edge_.end(), Index{0});
    std::iota(by_start_.begin(), by_start_.end(), Index{0});
    for (Index h = 0; h < n; ++h) {
      next_[h] = h % 3 == 2 ? h - 2 : h + 1;
      previous_[h] = h % 3 == 0 ? h + 2 : h - 1;
    }
    std::sort(by_start_.begin(), by_start_.end(), [&](Index a, Index b) { return std::pair(start(a), a) < std::pair(start(b), b); });
    auto ends = [&](Index h) { return std::pair(std::min(start(h), end(h)), std::max(start(h), end(h))); };
    std::sort(by_edge_.begin(), by_edge_.end(), [&](Index a, Index b) { return std::pair(ends(a), a) < std::pair(ends(b), b); });
    for (std::size_t i = 0; i + 1 < by_edge_.size(); ++i) {
      const Index a = by_edge_[i], b = by_edge_[i + 1];
      if (ends(a) != ends(b) || start(a) == start(b) || twin_[a] != no_index) continue;
      if ((kept[a / 3] >> a % 3 & 1) != 0 || (kept[b / 3] >> b % 3 & 1) != 0) continue;
      twin_[a] = b;
      twin_[b] = a;
    }
  }

  std::vector<Joined> run(const std::vector<Vec3>& points, std::span<const Index> origin) {
    struct Inner {
      bool within;
      double length;
      Index half_edge;
    };
    std::vector<Inner> inner;
    for (Index h = 0; h < twin_.size(); ++h)
      if (twin_[h] != no_index && h < twin_[h]) inner.push_back({origin[h / 3] == origin[twin_[h] / 3], (points[start(h)] - points[end(h)]).squaredNorm(), h});
    std::sort(inner.begin(), inner.end(), [](const Inner& a, const Inner& b) {
      return a.within != b.within ? !a.within : a.length != b.length ? a.length > b.length : a.half_edge < b.half_edge;
    });
    // An edge refused at first may be taken out once its neighbours are gone; a third look finds next to nothing.
    for (int look = 0; look < 2; ++look)
      std::erase_if(inner, [&](const Inner& e) { return !alive_[e.half_edge] || take_out(e.half_edge); });
    std::vector<Joined> out;
    std::vector<Index> number(triangles_.size(), no_index);
    for (Index h = 0; h < alive_.size(); ++h) {
      if (!alive_[h] || number[polygon_.find(h / 3)] != no_index) continue;
      number[polygon_.find(h / 3)] = static_cast<Index>(out.size());
      out.emplace_back();
      Index at = h;
      do {
        out.back().ring.push_back(start(at));
        at = next_[at];
      } while (at != h);
    }
    for (Index t = 0; t < triangles_.size(); ++t) out[number[polygon_.find(t)]].triangles.push_back(t);
    return out;
  }

 private:
  Index start(Index h) const { return triangles_[h / 3][h % 3]; }
  Index end(Index h) const { return triangles_[h / 3][(h % 3 + 1) % 3]; }

  /// Does the polygon have a corner at the vertex?
  bool has(Index polygon, Index vertex) {
    auto it = std::lower_bound(by_start_.begin(), by_start_.end(), vertex, [&](Index h, Index v) { return start(h) < v; });
    for (; it != by_start_.end() && start(*it) == vertex; ++it)
      if (alive_[*it] && polygon_.find(*it / 3) == polygon) return true;
    return false;
  }

  /// Joins the polygons on both sides of an edge over the whole chain of edges that they share there, if the
  /// chain is all they share: then the result is a simple ring again.
  bool take_out(Index h) {
    const Index p = polygon_.find(h / 3), q = polygon_.find(twin_[h] / 3);
    if (p == q) return false;
    auto joins = [&](Index a, Index b) { return twin_[a] != no_index && twin_[a] == b && alive_[a]; };
    Index first = h, last = h, length = 1;
    const Index longest = std::min(corners_[p], corners_[q]) - 1;
    while (length < longest && joins(previous_[first], next_[twin_[first]])) first = previous_[first], ++length;
    while (length < longest && joins(next_[last], previous_[twin_[last]])) last = next_[last], ++length;
    if (corners_[p] + corners_[q] - 2 * length > max_corners) return false;
    const bool q_smaller = corners_[q] < corners_[p];
    const Index from = q_smaller ? twin_[h] : h, other = q_smaller ? p : q;
    Index shared = 0, at = from;
    do {
      if (has(other, start(at)) && ++shared > length + 1) return false;
      at = next_[at];
    } while (at != from);
    if (shared != length + 1) return false;
    const Index before = previous_[first], after = next_[last], twin_before = previous_[twin_[last]], twin_after = next_[twin_[first]];
    for (Index k = first;; k = next_[k]) {
      alive_[k] = alive_[twin_[k]] = 0;
      if (k == last) break;
    }
    link(before, twin_after);
    link(twin_before, after);
    const Index corners = corners_[p] + corners_[q] - 2 * length;
    polygon_.unite(p, q);
    corners_[polygon_.find(p)] = corners;
    return true;
  }
  void link(Index a, Index b) {
    next_[a] = b;
    previous_[b] = a;
  }

  std::span<const Triangle> triangles_;
  UnionFind polygon_;
  std::vector<Index> corners_;  ///< of each polygon
  std::vector<Index> twin_, next_, previous_, by_edge_, by_start_;
  std::vector<char> alive_;
};

}  // namespace

std::vector<Joined> join_triangles(const std::vector<Vec3>& points, std::span<const Triangle> triangles,
                                   std::span<const unsigned char> kept, std::span<const Index> origin) {
  if (triangles.size() == 1) return {{{triangles[0][0], triangles[0][1], triangles[0][2]}, {0}}};
  return Joiner(triangles, kept).run(points, origin);
}

}  // namespace anvil::boolean
