// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 9: from exact points to doubles, and what that broke.
#include <algorithm>
#include <atomic>

#include "core/boolean/stages.h"
#include "core/mesh/bvh.h"
#include "core/mesh/triangles_cross.h"
#include "core/mesh/weld.h"

namespace anvil::boolean {

Rounded round_points(const Soup& soup, const Arrangement& arrangement, const Selection& selection, bool to_float) {
  Rounded out;
  const std::size_t given = soup.points.size();
  std::vector<Index> id(arrangement.points.size(), no_index);
  const auto untouched = static_cast<std::size_t>(
      std::count(arrangement.touched.begin(), arrangement.touched.end(), 0));
  for (std::size_t f = 0; f < arrangement.faces.size(); ++f) {
    if (selection.keep[f] == Selection::Keep::no) continue;
    Triangle t = arrangement.faces[f];
    for (Index& v : t) {
      if (id[v] == no_index) {
        id[v] = static_cast<Index>(out.points.size());
        Vec3 p = arrangement.points.approximate(v);
        if (to_float) p = p.cast<float>().cast<double>();
        out.points.push_back(p);
        out.moved.push_back(v >= given || to_float || (!soup.moved.empty() && soup.moved[v]));
      }
      v = id[v];
    }
    const bool turned = selection.keep[f] == Selection::Keep::turned;
    if (turned) std::swap(t[1], t[2]);
    // A face on several sources belongs to the first of the earliest part.
    const auto sources = arrangement.sources_of(f);
    const auto own = *std::min_element(sources.begin(), sources.end(),
                                       [](const auto& a, const auto& b) { return a.triangle < b.triangle; });
    out.triangles.push_back(t);
    out.source.push_back(soup.origin[own.triangle]);
    out.whole.push_back(f < untouched && soup.whole[own.triangle]);
    out.turned.push_back(static_cast<char>((turned ? 1 : 0) ^ soup.turned[own.triangle]));
  }

  // Different points that round to one are one; what collapses or comes to lie twice goes.
  if (std::find(out.moved.begin(), out.moved.end(), 1) == out.moved.end()) return out;
  const WeldMap weld = weld_equal(out.points);
  if (weld.first.size() == out.points.size()) return out;
  for (Triangle& t : out.triangles)
    for (Index& v : t) v = weld.first[weld.id[v]];
  std::size_t kept = 0;
  for (std::size_t i = 0; i < out.triangles.size(); ++i) {
    const Triangle& t = out.triangles[i];
    if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) continue;
    out.triangles[kept] = t;
    out.source[kept] = out.source[i];
    out.whole[kept] = out.whole[i];
    out.turned[kept] = out.turned[i];
    ++kept;
  }
  out.resize(kept);
  out.merged = true;
  return out;
}

std::vector<char> find_trouble(const Rounded& rounded, const Control& control) {
  std::vector<char> near;
  std::vector<char> suspect(rounded.triangles.size(), 0);
  Box3 around;
  bool any = false;
  for (std::size_t i = 0; i < rounded.triangles.size(); ++i) {
    const Triangle& t = rounded.triangles[i];
    if (!rounded.moved[t[0]] && !rounded.moved[t[1]] && !rounded.moved[t[2]]) continue;
    suspect[i] = 1;
    any = true;
    for (Index v : t) around.add(rounded.points[v]);
  }
  if (!any) return near;
  std::vector<Index> chosen;
  std::vector<Triangle> triangles;
  bool trouble = rounded.merged;
  for (Index i = 0; i < rounded.triangles.size(); ++i) {
    const Triangle& t = rounded.triangles[i];
    const Vec3 &a = rounded.points[t[0]], &b = rounded.points[t[1]], &c = rounded.points[t[2]];
    const Vec3 lo = a.cwiseMin(b).cwiseMin(c), hi = a.cwiseMax(b).cwiseMax(c);
    if ((lo.array() > around.hi.array()).any() || (hi.array() < around.lo.array()).any()) continue;
    chosen.push_back(i);
    triangles.push_back(t);
    if (suspect[i] && collinear(a, b, c)) {
      trouble = true;
      suspect[i] = 2;
    }
  }
  std::atomic<bool> crossing = false;
  if (!trouble) {
    std::vector<Index> groups;  // pairs of triangles that rounding did not move need no look
    for (Index i : chosen) groups.push_back(suspect[i] ? no_index : 0);
    const Bvh tree(rounded.points, triangles, 0, groups);
    tree.for_each_pair(
        [&](Index i, Index j) {
          if (!suspect[chosen[i]] && !suspect[chosen[j]]) return;
          if (crossing.load(std::memory_order_relaxed)) return;
          if (triangles_cross(rounded.points, triangles[i], triangles[j])) crossing = true;
        },
        control.stop);
  }
  if (!trouble && !crossing) return near;
  near.assign(rounded.triangles.size(), 0);
  for (Index i : chosen) near[i] = 1;
  return near;
}

Soup soup_again(const Rounded& rounded, std::vector<char> near) {
  Soup soup;
  soup.points = rounded.points;
  soup.moved = rounded.moved;
  for (std::size_t i = 0; i < rounded.triangles.size(); ++i) {
    const Triangle& t = rounded.triangles[i];
    if (near[i] && collinear(rounded.points[t[0]], rounded.points[t[1]], rounded.points[t[2]])) continue;
    soup.triangles.push_back(t);
    soup.part.push_back(0);
    soup.origin.push_back(rounded.source[i]);
    soup.whole.push_back(rounded.whole[i]);
    soup.turned.push_back(rounded.turned[i]);
    soup.tested.push_back(near[i]);
  }
  soup.part_begin = {0, static_cast<Index>(soup.triangles.size())};
  soup.crosses_itself = {1};
  return soup;
}

}  // namespace anvil::boolean
