// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/facets.h"

#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/exact/predicates.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/triangles_cross.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

/// Do the triangles a b c and b a d lie in one plane and face the same way?
bool are_flat(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  const int axis = square_to(a, b, c);
  if (axis < 3 ? d[axis] != a[axis] : orient3d(a, b, c, d) != 0) return false;
  const Projection plane = axis < 3 ? seen_along(axis) : projection_of(a, b, c);
  const int turn = orient2d(plane(a), plane(b), plane(c));
  return turn != 0 && orient2d(plane(b), plane(a), plane(d)) == turn;
}

bool are_flat(std::span<const Vec3> points, std::span<const Triangle> triangles, Index corner, Index opposite) {
  const Triangle &t = triangles[corner / 3], &u = triangles[opposite / 3];
  const Index k = corner % 3;
  return are_flat(points[t[k]], points[t[(k + 1) % 3]], points[t[(k + 2) % 3]], points[u[(opposite % 3 + 2) % 3]]);
}

/// The triangles become facets of their own again.
void take_apart(Soup& soup, const std::vector<char>& facets) {
  for (Index t = 0; t < soup.triangles.size(); ++t) {
    if (!facets[soup.facet[t]]) continue;
    for (std::size_t k = 0; k < 3; ++k) soup.inner[3 * std::size_t{t} + k] = 0;
    soup.facet[t] = t;
  }
}

/// It is a facet by itself.
bool is_alone(const Soup& soup, Index t) {
  return soup.facet[t] == t && !soup.inner[3 * std::size_t{t}] && !soup.inner[3 * std::size_t{t} + 1] && !soup.inner[3 * std::size_t{t} + 2];
}

/// @param ring  the whole border of a facet, which does not cross itself
bool is_strictly_convex(const Soup& soup, Index facet, std::span<const Index> ring) {
  const auto& [a, b, c] = soup.triangles[facet];
  auto at = [&](std::size_t k) -> const Vec3& { return soup.points[ring[k % ring.size()]]; };
  const Projection plane = projection_of(soup.points[a], soup.points[b], soup.points[c]);
  const int turn = orient2d(plane(soup.points[a]), plane(soup.points[b]), plane(soup.points[c]));
  for (std::size_t k = 0; k < ring.size(); ++k)
    if (orient2d(plane(at(k)), plane(at(k + 1)), plane(at(k + 2))) != turn) return false;
  return true;
}

/// Marks facets whose border comes to one corner more than once.
bool mark_pinched(const Soup& soup, std::vector<char>& marked) {
  struct Start {
    Index facet, vertex;
    auto operator<=>(const Start&) const = default;
  };
  std::vector<Start> starts;
  for (Index t = 0; t < soup.triangles.size(); ++t) {
    // Three corners can only be in each other's way where more triangles are about them.
    const bool alone = is_alone(soup, t);
    for (Index k = 0; k < 3 && !alone; ++k)
      if (!soup.inner[3 * t + k]) starts.push_back({soup.facet[t], soup.triangles[t][k]});
  }
  sort_by_bucket(starts, soup.triangles.size(), [](const Start& start) { return start.facet; });
  bool any = false;
  for (std::size_t i = 1; i < starts.size(); ++i)
    if (starts[i] == starts[i - 1]) marked[starts[i].facet] = 1, any = true;
  return any;
}

}  // namespace

std::vector<char> inner_lines(const Prepared& part) {
  if (part.one_triangle_each || part.crosses_itself) return {};
  std::vector<char> inner(part.opposite.size(), 0);
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, part.triangles.size(), 1024), [&](const auto& range) {
    for (auto c = static_cast<Index>(3 * range.begin()); c < 3 * range.end(); ++c) {
      const Index opposite = part.opposite[c], face = part.face[c / 3];
      if (opposite == no_index || face == no_index || part.face[opposite / 3] != face) continue;
      // Both ask the same question, in the same words.
      const Index first = std::min(c, opposite), second = std::max(c, opposite);
      inner[c] = are_flat(part.points, part.triangles, first, second);
    }
  });
  return inner;
}

void find_facets(Soup& soup) {
  soup.facet = {};
  if (std::find(soup.inner.begin(), soup.inner.end(), 1) == soup.inner.end()) return;
  UnionFind sets(soup.triangles.size());
  for (Index c = 0; c < soup.inner.size(); ++c)
    if (soup.inner[c]) sets.unite(c / 3, soup.opposite[c] / 3);
  soup.facet.resize(soup.triangles.size());
  for (Index t = 0; t < soup.facet.size(); ++t) soup.facet[t] = sets.find(t);
  std::vector<char> pinched(soup.facet.size(), 0);
  if (mark_pinched(soup, pinched)) take_apart(soup, pinched);
}

void find_facets_again(Soup& soup, const std::vector<TrianglePair>& pairs) {
  if (soup.inner.empty()) return;
  for (Index c = 0; c < soup.inner.size(); ++c) {
    const Index t = c / 3, opposite = soup.opposite[c];
    if (soup.inner[c] || opposite == no_index || opposite < c || soup.removed[t] || !(soup.needs_self_test[t] || soup.needs_self_test[opposite / 3])) continue;
    if (soup.parts[soup.part[t]].crosses_itself || soup.polygon_of(t) != soup.polygon_of(opposite / 3)) continue;
    if (soup.provenance[t].scored || soup.provenance[opposite / 3].scored) continue;
    if (are_flat(soup.points, soup.triangles, c, opposite)) soup.inner[c] = soup.inner[opposite] = 1;
  }
  find_facets(soup);
  if (soup.facet.empty()) return;
  std::vector<char> crosses(soup.facet.size(), 0);
  bool any = false;
  for (const TrianglePair& pair : pairs) {
    const Index facet = soup.facet[pair.s];
    if (facet != soup.facet[pair.t] || crosses[facet]) continue;
    if (triangles_cross(soup.points, soup.triangles[pair.s], soup.triangles[pair.t])) crosses[facet] = 1, any = true;
  }
  if (any) take_apart(soup, crosses);
}

NearlyFlat::NearlyFlat(Soup& soup, double off) : soup_(soup), inner_before_(soup.inner) {
  if (!(off > 0)) return;
  auto is_off = [&](const Triangle& plane, Index v) {
    const Vec3 &a = soup.points[plane[0]], normal = (soup.points[plane[1]] - a).cross(soup.points[plane[2]] - a);
    return !(std::abs(normal.dot(soup.points[v] - a)) <= off * normal.norm());
  };
  std::vector<Index> joined;
  for (Index c = 0; c < soup.opposite.size(); ++c) {
    const Index o = soup.opposite[c], t = c / 3, u = o / 3;
    if (o == no_index || o < c || (!soup.inner.empty() && soup.inner[c]) || soup.removed[t] || soup.removed[u]) continue;
    if (soup.polygon_of(t) != soup.polygon_of(u) || soup.parts[soup.part[t]].crosses_itself) continue;
    if (soup.provenance[t].scored || soup.provenance[u].scored) continue;
    if (is_off(soup.triangles[t], soup.triangles[u][(o % 3 + 2) % 3]) || is_off(soup.triangles[u], soup.triangles[t][(c % 3 + 2) % 3])) continue;
    joined.push_back(c);
  }
  if (joined.empty()) return;
  none_ = false;
  soup.inner.resize(soup.opposite.size(), 0);
  for (Index c : joined) soup.inner[c] = soup.inner[soup.opposite[c]] = 1;
  find_facets(soup);
  // Seen from where the first of its triangles is, all must turn the same way.
  std::vector<char> turned(soup.triangles.size(), 0);
  bool any = false;
  for (Index t = 0; t < soup.facet.size(); ++t) {
    if (soup.facet[t] == t || turned[soup.facet[t]]) continue;
    auto turn_of = [&](const Projection& plane, const Triangle& corners) {
      return orient2d(plane(soup.points[corners[0]]), plane(soup.points[corners[1]]), plane(soup.points[corners[2]]));
    };
    const auto& first = soup.triangles[soup.facet[t]];
    const Projection plane = projection_of(soup.points[first[0]], soup.points[first[1]], soup.points[first[2]]);
    if (turn_of(plane, first) != turn_of(plane, soup.triangles[t])) turned[soup.facet[t]] = 1, any = true;
  }
  if (any) take_apart(soup, turned);
}

void NearlyFlat::part_again() {
  if (none_) return;
  if (inner_before_.empty()) {
    soup_.inner = {};
  } else {
    std::fill(soup_.inner.begin(), soup_.inner.end(), 0);
    auto is_changed = [&](Index t) { return soup_.removed[t] || soup_.needs_self_test[t]; };
    for (Index c = 0; c < inner_before_.size(); ++c)
      soup_.inner[c] = inner_before_[c] && soup_.opposite[c] != no_index && !is_changed(c / 3) && !is_changed(soup_.opposite[c] / 3);
  }
  find_facets(soup_);
}

FacePairs::FacePairs(const Soup& soup, const std::vector<TrianglePair>& pairs) : soup_(soup), pairs_(pairs) {
  if (soup.facet.empty()) return;
  std::vector<char> asked(soup.facet.size(), 0);
  for (const TrianglePair& pair : pairs) asked[soup.facet[pair.s]] = asked[soup.facet[pair.t]] = 1;
  find_convex_facets(asked);
  if (place_.empty()) return;
  auto face_of = [&](Index t) { return place_[soup.facet[t]] == no_index ? t : soup.facet[t]; };
  for (Index k = 0; k < pairs.size(); ++k) {
    const Index s = face_of(pairs[k].s), t = face_of(pairs[k].t);
    of_faces_.push_back({{std::min(s, t), std::max(s, t)}, k});
  }
  counting_sort(of_faces_, soup.triangles.size(), [](const Item& item) { return item.faces.t; });
  counting_sort(of_faces_, soup.triangles.size(), [](const Item& item) { return item.faces.s; });
  for (std::size_t i = 0; i < of_faces_.size(); ++i)
    if (i == 0 || !(of_faces_[i].faces == of_faces_[i - 1].faces)) begin_.push_back(i);
  begin_.push_back(of_faces_.size());
}

/// @param asked  per facet, by its first triangle: only these are looked at
void FacePairs::find_convex_facets(const std::vector<char>& asked) {
  const Soup& soup = soup_;
  struct Edge {
    Index facet, from, to;
    auto operator<=>(const Edge&) const = default;
  };
  std::vector<Edge> border;
  for (Index t = 0; t < soup.triangles.size(); ++t) {
    if (!asked[soup.facet[t]] || is_alone(soup, t)) continue;
    for (std::size_t k = 0; k < 3; ++k)
      if (!soup.inner[3 * std::size_t{t} + k]) border.push_back({soup.facet[t], soup.triangles[t][k], soup.triangles[t][(k + 1) % 3]});
  }
  if (border.empty()) return;
  sort_by_bucket(border, soup.triangles.size(), [](const Edge& e) { return e.facet; });
  place_.assign(soup.triangles.size(), no_index);
  for (std::size_t i = 0; i < border.size();) {
    std::size_t j = i;
    while (j < border.size() && border[j].facet == border[i].facet) ++j;
    const std::span<const Edge> edges(border.data() + i, j - i);
    i = j;
    // Once around from edge to edge; a border of several rings is longer than the one that it begins with.
    std::size_t at = 0, steps = 0;
    do {
      corners_.push_back(edges[at].from);
      const Index next = edges[at].to;
      at = static_cast<std::size_t>(std::lower_bound(edges.begin(), edges.end(), next, [](const Edge& e, Index v) { return e.from < v; }) - edges.begin());
    } while (++steps < edges.size() && at < edges.size() && at != 0);
    const std::span<const Index> ring = std::span(corners_).subspan(ring_.back());
    if (at == 0 && steps == edges.size() && is_strictly_convex(soup, edges[0].facet, ring)) {
      place_[edges[0].facet] = static_cast<Index>(ring_.size() - 1);
      ring_.push_back(static_cast<Index>(corners_.size()));
    } else {
      corners_.resize(ring_.back());
    }
  }
}

}  // namespace anvil::boolean
