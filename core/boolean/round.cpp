// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 9: from exact points to doubles, and what that broke.
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>

#include "core/boolean/separate.h"
#include "core/boolean/invalid_triangles.h"
#include "core/mesh/broad_phase.h"
#include "core/mesh/weld.h"

namespace anvil::boolean {
void merge_equal(Rounded& out) {
  // Only a point that has moved can have come to another.
  Box3 box;
  for (std::size_t v = 0; v < out.points.size(); ++v)
    if (out.moved[v]) box.add(out.points[v]);
  std::vector<Index> near;
  std::vector<Vec3> places;
  for (Index v = 0; v < out.points.size(); ++v) {
    const Vec3& p = out.points[v];
    if ((p.array() < box.lo.array()).any() || (p.array() > box.hi.array()).any()) continue;
    near.push_back(v);
    places.push_back(p);
  }
  const WeldMap weld = weld_equal(places);
  if (weld.first.size() == places.size()) return;
  std::vector<Index> now(out.points.size(), no_index);
  out.merged.assign(out.points.size(), 0);
  for (std::size_t k = 0; k < near.size(); ++k) {
    const Index to = near[weld.first[weld.id[k]]];
    if (to == near[k]) continue;
    now[near[k]] = to;
    out.merged[near[k]] = out.merged[to] = out.maybe_non_manifold[to] = out.moved[to] = 1;
  }
  std::size_t kept = 0;
  for (std::size_t i = 0; i < out.triangles.size(); ++i) {
    Triangle t = out.triangles[i];
    for (Index& v : t)
      if (now[v] != no_index) v = now[v];
    if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) continue;
    out.triangles[kept] = t;
    out.provenance[kept++] = out.provenance[i];
  }
  out.triangles.resize(kept);
  out.provenance.resize(kept);
}

Rounded round_points(const Soup& soup, const Arrangement& arrangement, const Selection& selection, bool to_float) {
  Rounded out;
  const std::size_t given = soup.points.size();
  std::vector<Index> id(arrangement.points.size(), no_index);
  std::vector<unsigned char> scored_triangle, scored_face(arrangement.faces.size(), 0);
  if (!selection.scored_triangles.empty()) scored_triangle.assign(soup.triangles.size(), 0);
  auto add_bits = [](unsigned char& to, unsigned char bits) { to = static_cast<unsigned char>(to | bits); };
  for (const auto& [t, bits] : selection.scored_triangles) add_bits(scored_triangle[t], bits);
  for (const auto& [f, bits] : selection.scored_faces) add_bits(scored_face[f], bits);
  // What is kept, in blocks of triangles, then what the touched ones came apart into as one more block.
  constexpr std::size_t block = 16384;
  const std::size_t blocks = (soup.triangles.size() + block - 1) / block;
  auto sides_of = [&](Index patch) -> const Selection::Sides& { return selection.sides[patch]; };
  auto copies = [&](Index patch) {
    return patch == no_index ? 0u : (sides_of(patch).behind != no_index ? 1u : 0u) + (sides_of(patch).in_front != no_index ? 1u : 0u);
  };
  std::vector<std::size_t> begin(blocks + 2, 0);
  tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t n) {
    for (std::size_t t = n * block; t < std::min(soup.triangles.size(), (n + 1) * block); ++t) {
      const unsigned c = copies(selection.patch_of_triangle[t]);
      begin[n + 1] += c;
      for (std::size_t k = 0; k < 3 && c > 0; ++k) std::atomic_ref(id[soup.triangles[t][k]]).store(0, std::memory_order_relaxed);
    }
  });
  for (std::size_t f = 0; f < arrangement.faces.size(); ++f) {
    const unsigned c = copies(selection.patch_of_face[f]);
    begin[blocks + 1] += c;
    for (std::size_t k = 0; k < 3 && c > 0; ++k) id[arrangement.faces[f][k]] = 0;
  }
  for (std::size_t n = 1; n < begin.size(); ++n) begin[n] += begin[n - 1];

  // The points in use, in their order.
  Index used = 0;
  for (Index& i : id)
    if (i != no_index) i = used++;
  out.points.resize(used);
  out.moved.resize(used);
  out.inexact.resize(used);
  out.maybe_non_manifold.resize(used);
  out.given.resize(used, no_index);
  std::atomic<bool> any_moved = false;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, id.size(), block), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v) {
      if (id[v] == no_index) continue;
      Vec3 p = arrangement.points.approximate(static_cast<Index>(v));
      bool moved = v >= given || (!soup.moved.empty() && soup.moved[v]), inexact = v >= given;
      if (to_float) {
        const Vec3 rounded = p.cast<float>().cast<double>();
        inexact = inexact || rounded != p;
        moved = moved || inexact;
        p = rounded;
      }
      if (moved) any_moved.store(true, std::memory_order_relaxed);
      out.points[id[v]] = p;
      out.moved[id[v]] = moved;
      out.inexact[id[v]] = inexact;
      out.maybe_non_manifold[id[v]] = v >= given || soup.maybe_non_manifold[v];
      if (v < soup.given.size()) out.given[id[v]] = soup.given[v];
    }
  });

  out.triangles.resize(begin.back());
  out.provenance.resize(begin.back());
  auto emit = [&](std::size_t& at, const Triangle& corners, FaceProvenance provenance, bool flipped, Index piece, bool trimmed) {
    Triangle t{id[corners[0]], id[corners[1]], id[corners[2]]};
    if (flipped) {
      // The edges swap places with the corners: (0 1) (1 2) (2 0) become (2 0) (1 2) (0 1).
      std::swap(t[1], t[2]);
      const unsigned bits = provenance.scored;
      provenance.scored = static_cast<unsigned char>((bits >> 2 & 1u) | (bits & 2u) | (bits & 1u) << 2);
    }
    provenance.flipped = provenance.flipped != flipped;
    provenance.piece = piece;
    provenance.trimmed = provenance.trimmed || trimmed;
    out.triangles[at] = t;
    out.provenance[at++] = provenance;
  };
  auto emit_both = [&](std::size_t& at, const Triangle& corners, const FaceProvenance& provenance, Index patch) {
    const auto& sides = sides_of(patch);
    if (sides.behind != no_index) emit(at, corners, provenance, false, sides.behind, sides.trimmed_behind);
    if (sides.in_front != no_index) emit(at, corners, provenance, true, sides.in_front, sides.trimmed_in_front);
  };
  tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t n) {
    std::size_t at = begin[n];
    for (std::size_t t = n * block; t < std::min(soup.triangles.size(), (n + 1) * block); ++t) {
      const Index patch = selection.patch_of_triangle[t];
      if (patch == no_index) continue;
      FaceProvenance provenance = soup.provenance[t];
      if (!scored_triangle.empty()) add_bits(provenance.scored, scored_triangle[t]);
      emit_both(at, soup.triangles[t], provenance, patch);
    }
  });
  std::size_t at = begin[blocks];
  for (std::size_t f = 0; f < arrangement.faces.size(); ++f) {
    // A face on several sources belongs to the first of the earliest part.
    const auto sources = arrangement.sources_of(f);
    const auto own = *std::min_element(sources.begin(), sources.end(), [&](const auto& a, const auto& b) {
      return std::pair(soup.provenance[a.triangle].origin, a.triangle) < std::pair(soup.provenance[b.triangle].origin, b.triangle);
    });
    FaceProvenance provenance = soup.provenance[own.triangle];
    provenance.whole = false;
    provenance.flipped = provenance.flipped == own.same_way;
    provenance.scored = scored_face[f];
    for (const auto& s : sources) add_bits(provenance.scored, s.scored);
    emit_both(at, arrangement.faces[f], provenance, selection.patch_of_face[f]);
  }
  if (any_moved) merge_equal(out);

  out.untouched = soup.untouched;
  std::vector<std::array<Index, 2>> kept(soup.untouched_regions.size(), {no_index, no_index});
  for (std::size_t s = 0; s < soup.untouched_regions.size(); ++s) {
    const UntouchedRegion& untouched_region = soup.untouched_regions[s];
    const auto& sides = sides_of(selection.patch_of_untouched_region[s]);
    auto keep = [&](std::size_t side, Index piece, bool trimmed) {
      if (piece == no_index) return;
      kept[s][side] = static_cast<Index>(out.untouched_regions.size());
      out.untouched_regions.push_back({untouched_region.source, piece, untouched_region.flipped != (side == 1), untouched_region.trimmed || trimmed});
    };
    keep(0, sides.behind, sides.trimmed_behind);
    keep(1, sides.in_front, sides.trimmed_in_front);
  }
  for (const BoundaryEdge& edge : soup.boundary) {
    const auto [behind, in_front] = kept[edge.untouched_region];
    if (behind != no_index) out.boundary.push_back({id[edge.from], id[edge.to], behind});
    if (in_front != no_index) out.boundary.push_back({id[edge.to], id[edge.from], in_front});
  }
  for (const BoundaryEdge& edge : out.boundary)
    for (Index v : {edge.from, edge.to})
      if (out.moved[v] || (!out.merged.empty() && out.merged[v])) throw ReachesUntouched{};
  return out;
}

bool reaches_untouched(const Rounded& rounded) {
  if (rounded.untouched == nullptr || rounded.untouched_regions.empty()) return false;
  std::vector<Box3> boxes;
  std::vector<Index> groups;
  Box3 around;
  for (const Triangle& t : rounded.triangles)
    if (rounded.moved[t[0]] || rounded.moved[t[1]] || rounded.moved[t[2]]) {
      boxes.push_back(box_of(rounded.points, t));
      around.add(boxes.back().lo);
      around.add(boxes.back().hi);
      groups.push_back(no_index);
    }
  const std::size_t moved = boxes.size();
  std::vector<char> kept(rounded.untouched->part_of.size(), 0);
  for (const UntouchedRegion& untouched_region : rounded.untouched_regions) kept[untouched_region.source] = 1;
  for (std::size_t k = 0; k < rounded.untouched->parts.size(); ++k) {
    const Prepared& part = *rounded.untouched->parts[k];
    const std::vector<Index>& region_of = rounded.untouched->region_of[k];
    for (std::size_t t = 0; t < region_of.size(); ++t) {
      if (t % Prepared::block == 0 && !overlap(part.blocks[t / Prepared::block], around)) {
        t += Prepared::block - 1;
        continue;
      }
      if (region_of[t] == no_index || !kept[region_of[t]]) continue;
      const Box3 box = box_of(part.points, part.triangles[t]);
      if (!overlap(box, around)) continue;
      boxes.push_back(box);
      groups.push_back(0);
    }
  }
  if (boxes.size() == moved) return false;
  // The far ones that are not clearly apart, one by one: it is rare that there are any.
  const std::vector<char> close = broad_phase(boxes, groups, 0);
  for (std::size_t i = moved; i < boxes.size(); ++i)
    for (std::size_t j = 0; j < moved && close[i]; ++j)
      if (overlap(boxes[i], boxes[j])) return true;
  return false;
}

std::vector<char> find_invalid_after_rounding(const Rounded& rounded, const Control& control) {
  std::vector<char> suspect(rounded.triangles.size(), 0), merged(rounded.triangles.size(), 0);
  for (std::size_t i = 0; i < suspect.size(); ++i)
    for (Index v : rounded.triangles[i]) {
      if (rounded.moved[v]) suspect[i] = 1;
      if (!rounded.merged.empty() && rounded.merged[v]) merged[i] = 1;
    }
  std::vector<Index> piece;
  for (const FaceProvenance& t : rounded.provenance) piece.push_back(t.piece);
  const std::vector<char> invalid =
      find_invalid_triangles(rounded.points, rounded.triangles, piece, suspect, Across::yes, control, merged);
  if (!invalid.empty()) return with_neighbours(rounded.points, rounded.triangles, invalid, control);
  const std::vector<char> confused = at_confused_edges(rounded);
  if (!confused.empty()) return with_neighbours(rounded.points, rounded.triangles, confused, control);
  const std::vector<char> flipped = in_turned_shells(rounded.points, rounded.triangles, piece, suspect, rounded.inexact);
  if (flipped.empty()) return {};
  return with_neighbours(rounded.points, rounded.triangles, flipped, control);
}

Soup soup_again(const Rounded& rounded, std::vector<char> near, Index pieces) {
  Soup soup;
  soup.points = rounded.points;
  soup.moved = rounded.moved;
  soup.maybe_non_manifold = rounded.maybe_non_manifold;
  soup.given = rounded.given;
  soup.untouched = rounded.untouched;
  soup.untouched_regions = rounded.untouched_regions;
  soup.boundary = rounded.boundary;
  soup.part_begin.push_back(0);
  for (Index piece = 0; piece < pieces; ++piece) {
    for (std::size_t i = 0; i < rounded.triangles.size(); ++i) {
      const Triangle& t = rounded.triangles[i];
      if (rounded.provenance[i].piece != piece) continue;
      soup.triangles.push_back(t);
      soup.part.push_back(piece);
      soup.provenance.push_back(rounded.provenance[i]);
      soup.active.push_back(near[i]);
    }
    soup.part_begin.push_back(static_cast<Index>(soup.triangles.size()));
    soup.crosses_itself.push_back(1);
    soup.sheet.push_back(0);
    soup.scores.push_back(0);
  }
  soup.opposite = find_opposites(soup.triangles, soup.part, soup.points.size());
  mark_maybe_non_manifold(soup.triangles, soup.opposite, soup.maybe_non_manifold);
  for (const BoundaryEdge& edge : soup.boundary) soup.maybe_non_manifold[edge.from] = soup.maybe_non_manifold[edge.to] = 0;  // the fans go on beyond
  if (pieces > 1)  // walls between pieces lie on the same vertices
    for (std::size_t v = 0; v < soup.maybe_non_manifold.size(); ++v) soup.maybe_non_manifold[v] = 1;
  return soup;
}

}  // namespace anvil::boolean
