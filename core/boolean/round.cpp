// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 9: from exact points to doubles, and what that broke.
#include <algorithm>

#include "core/boolean/trouble.h"
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
    out.merged[to] = out.special[to] = out.moved[to] = 1;
  }
  std::size_t kept = 0;
  for (std::size_t i = 0; i < out.triangles.size(); ++i) {
    Triangle t = out.triangles[i];
    for (Index& v : t)
      if (now[v] != no_index) v = now[v];
    if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) continue;
    out.triangles[kept] = t;
    out.trace[kept++] = out.trace[i];
  }
  out.triangles.resize(kept);
  out.trace.resize(kept);
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
  bool any_moved = false;
  auto emit = [&](const Triangle& corners, Trace trace, bool turned, Index piece, bool trimmed) {
    Triangle t = corners;
    for (Index& v : t) {
      if (id[v] == no_index) {
        id[v] = static_cast<Index>(out.points.size());
        Vec3 p = arrangement.points.approximate(v);
        bool moved = v >= given || (!soup.moved.empty() && soup.moved[v]);
        if (to_float) {
          const Vec3 rounded = p.cast<float>().cast<double>();
          moved = moved || rounded != p;
          p = rounded;
        }
        any_moved = any_moved || moved;
        out.points.push_back(p);
        out.moved.push_back(moved);
        out.special.push_back(v >= given || soup.special[v]);
      }
      v = id[v];
    }
    if (turned) {
      // The edges swap places with the corners: (0 1) (1 2) (2 0) become (2 0) (1 2) (0 1).
      std::swap(t[1], t[2]);
      const unsigned bits = trace.scored;
      trace.scored = static_cast<unsigned char>((bits >> 2 & 1u) | (bits & 2u) | (bits & 1u) << 2);
    }
    trace.turned = trace.turned != turned;
    trace.piece = piece;
    trace.trimmed = trace.trimmed || trimmed;
    out.triangles.push_back(t);
    out.trace.push_back(trace);
  };
  auto emit_both = [&](const Triangle& corners, const Trace& trace, Index patch) {
    const auto& sides = selection.sides[patch];
    if (sides.behind != no_index) emit(corners, trace, false, sides.behind, sides.trimmed_behind);
    if (sides.in_front != no_index) emit(corners, trace, true, sides.in_front, sides.trimmed_in_front);
  };
  out.triangles.reserve(soup.triangles.size());
  out.trace.reserve(soup.triangles.size());
  for (Index t = 0; t < soup.triangles.size(); ++t) {
    const Index patch = selection.patch_of_triangle[t];
    if (patch == no_index) continue;
    Trace trace = soup.trace[t];
    if (!scored_triangle.empty()) add_bits(trace.scored, scored_triangle[t]);
    emit_both(soup.triangles[t], trace, patch);
  }
  for (std::size_t f = 0; f < arrangement.faces.size(); ++f) {
    // A face on several sources belongs to the first of the earliest part.
    const auto sources = arrangement.sources_of(f);
    const auto own = *std::min_element(sources.begin(), sources.end(), [&](const auto& a, const auto& b) {
      return std::pair(soup.trace[a.triangle].origin, a.triangle) < std::pair(soup.trace[b.triangle].origin, b.triangle);
    });
    Trace trace = soup.trace[own.triangle];
    trace.whole = false;
    trace.turned = trace.turned == own.same_way;
    trace.scored = scored_face[f];
    for (const auto& s : sources) add_bits(trace.scored, s.scored);
    emit_both(arrangement.faces[f], trace, selection.patch_of_face[f]);
  }
  if (any_moved) merge_equal(out);
  return out;
}

std::vector<char> find_trouble(const Rounded& rounded, const Control& control) {
  std::vector<char> suspect(rounded.triangles.size(), 0), merged(rounded.triangles.size(), 0);
  for (std::size_t i = 0; i < suspect.size(); ++i)
    for (Index v : rounded.triangles[i]) {
      if (rounded.moved[v]) suspect[i] = 1;
      if (!rounded.merged.empty() && rounded.merged[v]) merged[i] = 1;
    }
  std::vector<Index> piece;
  for (const Trace& t : rounded.trace) piece.push_back(t.piece);
  const std::vector<char> troubled =
      find_troubled(rounded.points, rounded.triangles, piece, suspect, Across::yes, control, merged);
  if (troubled.empty()) return {};
  return with_neighbours(rounded.points, rounded.triangles, troubled, control);
}

Soup soup_again(const Rounded& rounded, std::vector<char> near, Index pieces) {
  Soup soup;
  soup.points = rounded.points;
  soup.moved = rounded.moved;
  soup.special = rounded.special;
  soup.part_begin.push_back(0);
  for (Index piece = 0; piece < pieces; ++piece) {
    for (std::size_t i = 0; i < rounded.triangles.size(); ++i) {
      const Triangle& t = rounded.triangles[i];
      if (rounded.trace[i].piece != piece) continue;
      if (near[i] && collinear(rounded.points[t[0]], rounded.points[t[1]], rounded.points[t[2]])) continue;
      soup.triangles.push_back(t);
      soup.part.push_back(piece);
      soup.trace.push_back(rounded.trace[i]);
      soup.tested.push_back(near[i]);
    }
    soup.part_begin.push_back(static_cast<Index>(soup.triangles.size()));
    soup.crosses_itself.push_back(1);
    soup.sheet.push_back(0);
    soup.scores.push_back(0);
  }
  soup.mate = find_mates(soup.triangles, soup.part, soup.points.size());
  mark_crowded(soup.triangles, soup.mate, soup.special);
  if (pieces > 1)  // walls between pieces lie on the same vertices
    for (std::size_t v = 0; v < soup.special.size(); ++v) soup.special[v] = 1;
  return soup;
}

}  // namespace anvil::boolean
