// SPDX-License-Identifier: GPL-3.0-or-later
// The seam between near and untouched triangles: looked up, carried on to the result, and watched.
#include <algorithm>
#include <numeric>

#include "core/boolean/cells.h"
#include "core/mesh/broad_phase.h"

namespace anvil::boolean {

SeamLookup::SeamLookup(const UntouchedSeam& seam) : seam_(seam), order_(seam.edges.size()) {
  std::iota(order_.begin(), order_.end(), Index{0});
  std::sort(order_.begin(), order_.end(), [&](Index a, Index b) { return key(a) < key(b); });
}

Index SeamLookup::beyond(Index part, Index a, Index b) const {
  const std::tuple wanted(b, a, part);
  const auto it = std::lower_bound(order_.begin(), order_.end(), wanted, [&](Index e, const auto& k) { return key(e) < k; });
  return it == order_.end() || key(*it) != wanted ? no_index : seam_.edges[*it].region;
}

std::tuple<Index, Index, Index> SeamLookup::key(Index edge) const {
  const UntouchedSeam::Edge& e = seam_.edges[edge];
  return {e.from, e.to, seam_.part_of(e)};
}

UntouchedOnLine::UntouchedOnLine(const UntouchedSeam& seam) : seam_(seam) {
  if (seam.source == nullptr) return;
  of_source_.resize(seam.source->part_of.size());
  for (Index r = 0; r < seam.regions.size(); ++r) of_source_[seam.regions[r].source].push_back(r);
}

UntouchedSeam kept_seam(const UntouchedSeam& seam, const Selection& selection, std::span<const Index> new_point, std::size_t points) {
  UntouchedSeam kept;
  kept.source = seam.source;
  if (seam.empty()) return kept;
  kept.given.resize(points, no_index);
  for (std::size_t v = 0; v < seam.given.size(); ++v)
    if (new_point[v] != no_index) kept.given[new_point[v]] = seam.given[v];
  std::vector<std::array<Index, 2>> copies(seam.regions.size(), {no_index, no_index});
  for (std::size_t r = 0; r < seam.regions.size(); ++r) {
    const UntouchedRegion& region = seam.regions[r];
    const Selection::Sides& sides = selection.sides[selection.patch_of_region[r]];
    auto keep = [&](std::size_t side, Index piece, bool trimmed) {
      if (piece == no_index) return;
      copies[r][side] = static_cast<Index>(kept.regions.size());
      kept.regions.push_back({region.source, piece, region.flipped != (side == 1), region.trimmed || trimmed});
    };
    keep(0, sides.behind, sides.trimmed_behind);
    keep(1, sides.in_front, sides.trimmed_in_front);
  }
  for (const UntouchedSeam::Edge& edge : seam.edges) {
    const auto [behind, in_front] = copies[edge.region];
    if (behind != no_index) kept.edges.push_back({new_point[edge.from], new_point[edge.to], behind});
    if (in_front != no_index) kept.edges.push_back({new_point[edge.to], new_point[edge.from], in_front});
  }
  return kept;
}

bool reaches_untouched(const UntouchedSeam& seam, std::span<const Vec3> points, std::span<const Triangle> triangles,
                       std::span<const char> moved) {
  if (seam.empty()) return false;
  std::vector<Box3> boxes;
  std::vector<Index> groups;
  Box3 around;
  for (const Triangle& t : triangles)
    if (moved[t[0]] || moved[t[1]] || moved[t[2]]) {
      boxes.push_back(box_of(points, t));
      around.add(boxes.back().lo);
      around.add(boxes.back().hi);
      groups.push_back(no_index);
    }
  const std::size_t near = boxes.size();
  std::vector<char> kept(seam.source->part_of.size(), 0);
  for (const UntouchedRegion& region : seam.regions) kept[region.source] = 1;
  for (const Untouched::Part& part : seam.source->parts) {
    const Prepared& p = *part.prepared;
    for (std::size_t t = 0; t < part.region_of.size(); ++t) {
      if (t % Prepared::block == 0 && !overlap(p.blocks[t / Prepared::block], around)) {
        t += Prepared::block - 1;
        continue;
      }
      if (part.region_of[t] == no_index || !kept[part.region_of[t]]) continue;
      const Box3 box = box_of(p.points, p.triangles[t]);
      if (!overlap(box, around)) continue;
      boxes.push_back(box);
      groups.push_back(0);
    }
  }
  if (boxes.size() == near) return false;
  // The untouched ones that are not clearly apart, one by one: it is rare that there are any.
  const std::vector<char> close = broad_phase(boxes, groups, 0);
  for (std::size_t i = near; i < boxes.size(); ++i)
    for (std::size_t j = 0; j < near && close[i]; ++j)
      if (overlap(boxes[i], boxes[j])) return true;
  return false;
}

}  // namespace anvil::boolean
