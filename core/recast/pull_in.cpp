// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/pull_in.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <initializer_list>

#include "core/mesh/edges.h"

namespace anvil::recast {
namespace {

constexpr int max_pull_rounds = 4;

Index add_vertex(Contour& contour, const Vec3& p, const Vec3& drawn_back) {
  contour.positions.push_back(p);
  contour.smooth.push_back(drawn_back);
  contour.middle.push_back(drawn_back);
  contour.sharpness.push_back(0);
  return static_cast<Index>(contour.positions.size() - 1);
}

}  // namespace

std::vector<char> pull_in(Contour& contour, std::span<const Vec3> normals, const std::function<Tangent(const Vec3&)>& nearest, double farthest, const Control& control) {
  std::vector<char> touched(contour.positions.size(), 0);
  std::vector<char> is_new(contour.positions.size(), 1);  // something at the vertex has changed since it was looked at
  bool any = false;
  for (int round = 0; round < max_pull_rounds; ++round) {
    check_stop(control);
    const std::size_t count = contour.triangles.size();
    const auto at = [&](Index v) -> const Vec3& { return contour.positions[v]; };
    // Per triangle, which of it lies farthest off: 0 to 2 its edges, 3 its middle, 4 nothing. Corners are on the surface or nearly so; where the triangle looks the way of what it covers it is
    // near all over.
    std::vector<char> worst(count, 4);
    std::vector<char> looks_away(count, 0);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, count, 1024), [&](const auto& range) {
      if (control.stop.stop_requested()) return;
      for (std::size_t t = range.begin(); t < range.end(); ++t) {
        if (contour.source[t] == no_index || normals[contour.source[t]] == Vec3::Zero()) continue;
        const auto& [a, b, c] = contour.triangles[t];
        if (!is_new[a] && !is_new[b] && !is_new[c]) continue;
        const std::array<Vec3, 4> middles{(at(a) + at(b)) / 2, (at(b) + at(c)) / 2, (at(c) + at(a)) / 2, (at(a) + at(b) + at(c)) / 3};
        constexpr double alike = 0.95;
        const Vec3 n = (at(b) - at(a)).cross(at(c) - at(a));
        if (std::abs(n.dot(normals[contour.source[t]])) > alike * n.norm()) continue;
        looks_away[t] = 1;
        const double off = (nearest(middles[3]).point - middles[3]).norm();
        double most = farthest;
        for (std::size_t k = 0; k < 4; ++k) {
          const double now = k == 3 ? off : (nearest(middles[k]).point - middles[k]).norm();
          if (now > most) most = now, worst[t] = static_cast<char>(k);
        }
        // Where a corner itself is as far off dividing does not help: edges that lead there would be divided without end.
        if (worst[t] != 4)
          for (Index v : contour.triangles[t])
            if ((nearest(at(v)).point - at(v)).norm() > farthest) worst[t] = 4;
      }
    });
    check_stop(control);
    std::fill(is_new.begin(), is_new.end(), 0);
    if (round == 0) {
      std::vector<char> is_far(contour.positions.size(), 0);
      for (std::size_t t = 0; t < count; ++t)
        for (Index v : contour.triangles[t]) is_far[v] |= looks_away[t];
      tbb::parallel_for(std::size_t{0}, is_far.size(), [&](std::size_t v) {
        if (is_far[v]) is_far[v] = (nearest(contour.positions[v]).point - contour.positions[v]).norm() > farthest;
      });
      for (std::size_t t = 0; t < count; ++t)
        for (Index v : contour.triangles[t])
          if (looks_away[t] && is_far[v])
            if (const Vec3 on_it = nearest(at(v)).point; (on_it - at(v)).norm() > farthest) {
              contour.smooth[v] = contour.middle[v] = at(v);
              contour.positions[v] = (on_it + at(v)) / 2;
              touched[v] = is_new[v] = any = true;
            }
    }
    if (std::all_of(worst.begin(), worst.end(), [](char k) { return k == 4; })) break;
    const std::vector<Index> opposite = find_opposites(contour.triangles, {}, contour.positions.size());
    std::vector<char> changed(count, 0);
    for (std::size_t t = 0; t < count; ++t) {
      if (worst[t] == 4 || changed[t]) continue;
      const Triangle ring = contour.triangles[t];
      const Index source = contour.source[t];
      // Beside a corner that there is already it would only make slivers, and so it would where a gap in the surface is passed that no edge gets over: round after round.
      const auto is_of_use = [&](const Vec3& middle, const Vec3& on_it, std::initializer_list<Index> ends, std::initializer_list<Index> corners) {
        constexpr double better = 0.9;
        const double most = better * (on_it - middle).norm();
        return std::none_of(corners.begin(), corners.end(), [&](Index v) { return (at(v) - on_it).norm() < 0.1 * farthest; }) && std::none_of(ends.begin(), ends.end(), [&](Index v) {
                 const Vec3 half = (at(v) + on_it) / 2;
                 return (nearest(half).point - half).norm() > most;
               });
      };
      if (worst[t] == 3) {
        const Vec3 p = (at(ring[0]) + at(ring[1]) + at(ring[2])) / 3, on_it = nearest(p).point;
        if (!is_of_use(p, on_it, {ring[0], ring[1], ring[2]}, {ring[0], ring[1], ring[2]})) continue;
        const Index v = add_vertex(contour, on_it, p);
        contour.triangles[t] = {ring[0], ring[1], v};
        contour.triangles.push_back({ring[1], ring[2], v});
        contour.triangles.push_back({ring[2], ring[0], v});
        contour.source.insert(contour.source.end(), 2, source);
        changed[t] = any = true;
        continue;
      }
      const auto k = static_cast<std::size_t>(worst[t]);
      const Index across = opposite[3 * t + k];
      if (across == no_index || changed[across / 3]) continue;
      const std::size_t other = across / 3, l = across % 3;
      const Triangle far_ring = contour.triangles[other];
      const Index a = ring[k], b = ring[(k + 1) % 3], tip = ring[(k + 2) % 3], far_tip = far_ring[(l + 2) % 3];
      const Vec3 p = (at(a) + at(b)) / 2, on_it = nearest(p).point;
      if (!is_of_use(p, on_it, {a, b}, {a, b, tip, far_tip})) continue;
      const Index v = add_vertex(contour, on_it, p);
      contour.triangles[t] = {a, v, tip};
      contour.triangles.push_back({v, b, tip});
      contour.source.push_back(source);
      contour.triangles[other] = {b, v, far_tip};
      contour.triangles.push_back({v, a, far_tip});
      contour.source.push_back(contour.source[other]);
      changed[t] = changed[other] = any = true;
    }
    changed.resize(contour.triangles.size(), 1);
    is_new.resize(contour.positions.size(), 1);
    for (std::size_t t = 0; t < changed.size(); ++t)
      if (changed[t])
        for (Index v : contour.triangles[t]) is_new[v] = 1;
  }
  if (!any) return {};
  touched.resize(contour.positions.size(), 1);
  return touched;
}

}  // namespace anvil::recast
