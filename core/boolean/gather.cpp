// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 1, second half: what is near other parts into one list of triangles.
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/boolean/facets.h"

namespace anvil::boolean {
namespace {

/// The near triangles of one part and their points, and where they stand in the soup.
class NearPart {
 public:
  NearPart(const Untouched::Part& part, Index first_triangle, Index first_point)
      : all_(part.all_near), prepared_(*part.prepared), first_triangle_(first_triangle), first_point_(first_point), triangles_(part.near) {
    if (all_) return;
    const Prepared& p = prepared_;
    const std::vector<Index>& near = part.near;
    // Few among many are looked up, many have a table.
    if (near.size() * 16 < p.triangles.size()) {
      for (Index t : near) points_.insert(points_.end(), p.triangles[t].begin(), p.triangles[t].end());
      std::sort(points_.begin(), points_.end());
      points_.erase(std::unique(points_.begin(), points_.end()), points_.end());
      return;
    }
    triangle_number_.assign(p.triangles.size(), no_index);
    point_number_.assign(p.points.size(), no_index);
    for (Index k = 0; k < near.size(); ++k) {
      triangle_number_[near[k]] = first_triangle + k;
      for (Index v : p.triangles[near[k]]) point_number_[v] = 0;
    }
    for (Index v = 0; v < point_number_.size(); ++v) {
      if (point_number_[v] == no_index) continue;
      point_number_[v] = first_point + static_cast<Index>(points_.size());
      points_.push_back(v);
    }
  }

  Index first_triangle() const { return first_triangle_; }
  Index first_point() const { return first_point_; }
  Index triangle_count() const { return static_cast<Index>(all_ ? prepared_.triangles.size() : triangles_.size()); }
  Index point_count() const { return static_cast<Index>(all_ ? prepared_.points.size() : points_.size()); }
  Index triangle(Index k) const { return all_ ? k : triangles_[k]; }
  Index point(Index k) const { return all_ ? k : points_[k]; }
  /// Numbers in the soup; no_index for what is far.
  Index number_of_triangle(Index t) const {
    return all_ ? first_triangle_ + t : triangle_number_.empty() ? number(triangles_, t, first_triangle_) : triangle_number_[t];
  }
  Index number_of_point(Index v) const {
    return all_ ? first_point_ + v : point_number_.empty() ? number(points_, v, first_point_) : point_number_[v];
  }

 private:
  static Index number(std::span<const Index> list, Index wanted, Index first) {
    const auto it = std::lower_bound(list.begin(), list.end(), wanted);
    return it == list.end() || *it != wanted ? no_index : first + static_cast<Index>(it - list.begin());
  }

  bool all_;  ///< then there are no lists and no tables
  const Prepared& prepared_;
  Index first_triangle_, first_point_;
  std::span<const Index> triangles_;  ///< in order
  std::vector<Index> points_;         ///< in order
  std::vector<Index> triangle_number_, point_number_;
};

}  // namespace

Gathered gather(const Untouched& untouched, const std::vector<char>& scores) {
  Gathered gathered;
  Soup& soup = gathered.soup;
  soup.seam.source = &untouched;
  std::vector<NearPart> parts;
  Index points = 0, triangles = 0;
  for (std::size_t k = 0; k < untouched.parts.size(); ++k) {
    const Untouched::Part& part = untouched.parts[k];
    parts.emplace_back(part, triangles, points);
    points += parts[k].point_count();
    const Index first = triangles;
    triangles += parts[k].triangle_count();
    soup.parts.push_back({first, triangles, part.prepared->crosses_itself, part.prepared->sheet, scores[k] != 0});
    for (Index t : part.meeting) gathered.meeting.push_back(parts[k].number_of_triangle(t));
  }
  soup.triangles.resize(triangles);
  soup.provenance.resize(triangles);
  soup.part.resize(triangles);
  soup.opposite.resize(3 * std::size_t{triangles});
  const bool any_inner = std::any_of(untouched.parts.begin(), untouched.parts.end(), [](const auto& part) { return !part.prepared->inner.empty(); });
  if (any_inner) soup.inner.resize(3 * std::size_t{triangles});
  soup.points.resize(points);
  soup.maybe_non_manifold.resize(points);
  for (Index s = 0; s < untouched.part_of.size(); ++s) soup.seam.regions.push_back({s, untouched.part_of[s]});
  if (!soup.seam.empty()) soup.seam.given.resize(points);
  for (Index k = 0; k < parts.size(); ++k) {
    const Untouched::Part& part = untouched.parts[k];
    const NearPart& near = parts[k];
    const Prepared& p = *part.prepared;
    tbb::parallel_for(tbb::blocked_range<Index>(0, near.point_count(), 16384), [&](const auto& range) {
      for (Index j = range.begin(); j < range.end(); ++j) {
        const Index v = near.point(j), to = near.first_point() + j;
        soup.points[to] = p.points[v];
        soup.maybe_non_manifold[to] = p.maybe_non_manifold[v];
        if (!soup.seam.empty()) soup.seam.given[to] = part.first_point + v;
      }
    });
    tbb::parallel_for(tbb::blocked_range<Index>(0, near.triangle_count(), 16384), [&](const auto& range) {
      for (Index j = range.begin(); j < range.end(); ++j) {
        const Index i = near.triangle(j), to = near.first_triangle() + j;
        for (std::size_t c = 0; c < 3; ++c) {
          soup.triangles[to][c] = near.number_of_point(p.triangles[i][c]);
          const Index opposite = p.opposite[3 * i + c], beyond = opposite == no_index ? no_index : near.number_of_triangle(opposite / 3);
          soup.opposite[3 * to + c] = beyond == no_index ? no_index : 3 * beyond + opposite % 3;
          if (any_inner) soup.inner[3 * to + c] = beyond != no_index && !p.inner.empty() && p.inner[3 * i + c];
        }
        soup.provenance[to].origin = part.first_triangle + i;
        soup.part[to] = k;
      }
    });
    for (Index j = 0; j < near.triangle_count() && !part.all_near; ++j)
      for (Index c = 0; c < 3; ++c) {
        const Index opposite = p.opposite[3 * near.triangle(j) + c];
        if (opposite == no_index || soup.opposite[3 * (near.first_triangle() + j) + c] != no_index) continue;
        const Triangle& beyond = p.triangles[opposite / 3];
        soup.seam.edges.push_back({near.number_of_point(beyond[opposite % 3]), near.number_of_point(beyond[(opposite % 3 + 1) % 3]),
                                   part.region_of[opposite / 3]});
      }
  }
  find_facets(soup);
  return gathered;
}

}  // namespace anvil::boolean
