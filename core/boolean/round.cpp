// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 9: from exact points to doubles, and what that broke.
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>

#include "core/boolean/rounded.h"
#include "core/boolean/separate.h"
#include "core/boolean/invalid_triangles.h"
#include "core/mesh/edges.h"
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
  out.merged.spread(out.points.size());
  for (std::size_t k = 0; k < near.size(); ++k) {
    const Index to = near[weld.first[weld.id[k]]];
    if (to == near[k]) continue;
    now[near[k]] = to;
    out.merged.set(near[k]);
    out.merged.set(to);
    out.maybe_non_manifold[to] = out.moved[to] = 1;
    out.reach.raise(to, out.reach[near[k]]);
  }
  std::size_t kept = 0;
  for (std::size_t i = 0; i < out.triangles.size(); ++i) {
    Triangle t = out.triangles[i];
    for (Index& v : t)
      if (now[v] != no_index) v = now[v], out.provenance[i].looked_at = false;
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
  std::atomic<bool> any_moved = false;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, id.size(), block), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v) {
      if (id[v] == no_index) continue;
      Vec3 p = arrangement.points.approximate(static_cast<Index>(v));
      bool moved = v >= given || soup.moved[v], inexact = v >= given;
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
    }
  });

  for (Index v = 0; v < id.size(); ++v) {
    if (id[v] == no_index) continue;
    if (v < given) {
      out.reach.raise(id[v], soup.reach[v]);
    } else {
      const auto off = [&](int axis) { return arrangement.points.coordinate(v, axis).error; };
      out.reach.raise(id[v], std::hypot(off(0), off(1), off(2)));
    }
  }

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
    provenance.whole = provenance.looked_at = false;
    provenance.flipped = provenance.flipped == own.same_way;
    provenance.scored = scored_face[f];
    for (const auto& s : sources) add_bits(provenance.scored, s.scored);
    emit_both(at, arrangement.faces[f], provenance, selection.patch_of_face[f]);
  }
  if (any_moved) merge_equal(out);

  out.seam = kept_seam(soup.seam, selection, id, used);
  out.seam.for_each_end([&](Index v, Index) {
    if (out.moved[v] || out.merged[v]) throw ReachesUntouched{};
  });
  return out;
}

namespace {

/// Per triangle: one of its points is such.
std::vector<char> at_points(const Rounded& rounded, auto&& is_such) {
  std::vector<char> marked(rounded.triangles.size(), 0);
  for (std::size_t i = 0; i < marked.size(); ++i)
    for (Index v : rounded.triangles[i])
      if (is_such(v)) marked[i] = 1;
  return marked;
}
std::vector<char> at_moved(const Rounded& rounded) {
  return at_points(rounded, [&](Index v) { return rounded.moved[v] != 0; });
}
/// Two triangles that were both there at the last look, which found nothing about them, and are as they were are known to go together.
std::vector<char> suspects(const Rounded& rounded) {
  std::vector<char> marked = at_moved(rounded);
  for (std::size_t i = 0; i < marked.size(); ++i) {
    const Triangle& t = rounded.triangles[i];
    if (rounded.provenance[i].looked_at && !rounded.inexact[t[0]] && !rounded.inexact[t[1]] && !rounded.inexact[t[2]]) marked[i] = 0;
  }
  return marked;
}
std::vector<Index> pieces_of(const Rounded& rounded) {
  std::vector<Index> piece;
  for (const FaceProvenance& t : rounded.provenance) piece.push_back(t.piece);
  return piece;
}
}  // namespace

bool is_tangled(const Rounded& rounded) { return !rounded.merged.uniform() || !at_confused_edges(rounded).empty(); }

std::vector<char> find_invalid_after_rounding(const Rounded& rounded, const Control& control) {
  std::vector<char> invalid = find_invalid_triangles(rounded.points, rounded.triangles, pieces_of(rounded), suspects(rounded), Across::yes, control,
                                                     at_points(rounded, [&](Index v) { return rounded.merged[v]; }));
  if (invalid.empty()) invalid = at_confused_edges(rounded);
  if (invalid.empty()) invalid = in_turned_shells(rounded.points, rounded.triangles, pieces_of(rounded), at_moved(rounded), rounded.inexact);
  return invalid.empty() ? invalid : with_neighbours(rounded.points, rounded.triangles, invalid, control);
}

Soup soup_again(Rounded rounded, std::vector<char> near, Index pieces) {
  Soup soup;
  soup.points = std::move(rounded.points);
  soup.moved = Flags::of(std::move(rounded.moved));
  soup.maybe_non_manifold = std::move(rounded.maybe_non_manifold);
  soup.reach = std::move(rounded.reach);
  soup.seam = std::move(rounded.seam);
  std::vector<char> active;
  if (pieces == 1) {
    soup.triangles = std::move(rounded.triangles);
    soup.provenance = std::move(rounded.provenance);
    soup.part.assign(soup.triangles.size(), 0);
    soup.parts.push_back({0, static_cast<Index>(soup.triangles.size()), true, false, false});
    active = std::move(near);
  }
  for (Index piece = 0; piece < pieces && pieces > 1; ++piece) {
    const auto first = static_cast<Index>(soup.triangles.size());
    for (std::size_t i = 0; i < rounded.triangles.size(); ++i) {
      if (rounded.provenance[i].piece != piece) continue;
      soup.triangles.push_back(rounded.triangles[i]);
      soup.part.push_back(piece);
      soup.provenance.push_back(rounded.provenance[i]);
      active.push_back(near[i]);
    }
    soup.parts.push_back({first, static_cast<Index>(soup.triangles.size()), true, false, false});
  }
  soup.active = Flags::of(std::move(active));
  soup.opposite = find_opposites(soup.triangles, soup.part, soup.points.size());
  mark_maybe_non_manifold(soup.triangles, soup.opposite, soup.maybe_non_manifold);
  soup.seam.for_each_end([&](Index v, Index) { soup.maybe_non_manifold[v] = 0; });  // the fans go on beyond
  if (pieces > 1)  // walls between pieces lie on the same vertices
    for (std::size_t v = 0; v < soup.maybe_non_manifold.size(); ++v) soup.maybe_non_manifold[v] = 1;
  return soup;
}

}  // namespace anvil::boolean
