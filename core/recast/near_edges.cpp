// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/near_edges.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace anvil::recast {
namespace {

/// Which of coarse cells boxes lie in.
class Boxes {
 public:
  Boxes(const Box3& all, double least) : low_(all.lo.array() - least), cell_(std::max(4 * least, (all.size().maxCoeff() + 2 * least) / most)) {
    for (int axis = 0; axis < 3; ++axis) size_[static_cast<std::size_t>(axis)] = 1 + static_cast<std::ptrdiff_t>((all.size()[axis] + 2 * least) / cell_);
    taken_.assign(static_cast<std::size_t>(size_[0] * size_[1] * size_[2]), 0);
  }
  void mark(const Box3& box, double more) {
    for_cells(box.grown(more), [&](std::size_t cell) {
      taken_[cell] = 1;
      return false;
    });
  }
  bool touches(const Box3& box) const { return for_cells(box, [&](std::size_t cell) { return taken_[cell] != 0; }); }

 private:
  static constexpr double most = 120;  ///< cells along an axis
  /// @return whether it stopped, as `fn` asked for
  template <class Fn>
  bool for_cells(const Box3& box, Fn fn) const {
    std::array<std::ptrdiff_t, 3> from{}, to{};
    for (std::size_t k = 0; k < 3; ++k) {
      const auto axis = static_cast<int>(k);
      from[k] = std::max<std::ptrdiff_t>(0, static_cast<std::ptrdiff_t>(std::floor((box.lo[axis] - low_[axis]) / cell_)));
      to[k] = std::min(size_[k] - 1, static_cast<std::ptrdiff_t>(std::floor((box.hi[axis] - low_[axis]) / cell_)));
    }
    for (std::ptrdiff_t z = from[2]; z <= to[2]; ++z)
      for (std::ptrdiff_t y = from[1]; y <= to[1]; ++y)
        for (std::ptrdiff_t x = from[0]; x <= to[0]; ++x)
          if (fn(static_cast<std::size_t>((z * size_[1] + y) * size_[0] + x))) return true;
    return false;
  }
  Vec3 low_;
  double cell_;
  std::array<std::ptrdiff_t, 3> size_{};
  std::vector<char> taken_;
};

Box3 box_of(const Contour& contour, const Triangle& t) {
  Box3 box;
  for (Index v : t) box.add(contour.positions[v]);
  return box;
}

}  // namespace

NearEdges::NearEdges(Contour& all) : all_(all) {
  std::vector<char> at_sharp(all.positions.size(), 0);
  for (std::size_t v = 0; v < at_sharp.size(); ++v) at_sharp[v] = all.sharpness[v] >= hardly_sharp;
  // Rings of triangles about them; the vertices of all but the last have all their triangles there.
  constexpr int rings = 5;
  std::vector<char> marked = at_sharp, inner;
  for (int ring = 0; ring < rings; ++ring) {
    inner = marked;
    for (const Triangle& t : all.triangles)
      if (inner[t[0]] || inner[t[1]] || inner[t[2]]) marked[t[0]] = marked[t[1]] = marked[t[2]] = 1;
  }
  std::vector<Index> about;
  for (Index t = 0; t < all.triangles.size(); ++t)
    if (const Triangle& corners = all.triangles[t]; inner[corners[0]] || inner[corners[1]] || inner[corners[2]]) about.push_back(t);
  if (about.empty()) return;
  Box3 box;
  double longest = 0;
  for (Index t : about)
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 &a = all.positions[all.triangles[t][k]], &b = all.positions[all.triangles[t][(k + 1) % 3]];
      box.add(a);
      longest = std::max(longest, (a - b).norm());
    }
  // No change reaches farther out of the triangles that it is made of than they are long.
  Boxes taken(box, longest);
  for (Index t : about) taken.mark(box_of(all, all.triangles[t]), longest);
  std::vector<char> is_near(all.triangles.size(), 0);
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, is_near.size(), 4096), [&](const auto& range) {
    for (std::size_t t = range.begin(); t < range.end(); ++t) is_near[t] = taken.touches(box_of(all, all.triangles[t]));
  });
  std::vector<Index> number(all.positions.size(), no_index);
  for (Index t = 0; t < all.triangles.size(); ++t) {
    if (!is_near[t]) continue;
    Triangle own;
    for (std::size_t k = 0; k < 3; ++k) {
      const Index v = all.triangles[t][k];
      if (number[v] == no_index) {
        number[v] = static_cast<Index>(vertex_.size());
        vertex_.push_back(v);
        may_change.push_back(inner[v]);
        near.positions.push_back(all.positions[v]);
        near.smooth.push_back(all.smooth[v]);
        near.middle.push_back(all.middle[v]);
        near.sharpness.push_back(all.sharpness[v]);
      }
      own[k] = number[v];
    }
    triangle_.push_back(t);
    near.triangles.push_back(own);
    near.source.push_back(all.source[t]);
  }
}

void NearEdges::put_back() {
  vertex_.resize(near.positions.size(), no_index);
  for (std::size_t i = 0; i < near.triangles.size(); ++i) {
    Triangle t;
    for (std::size_t k = 0; k < 3; ++k) {
      const Index own = near.triangles[i][k];
      if (vertex_[own] == no_index) {
        vertex_[own] = static_cast<Index>(all_.positions.size());
        all_.positions.push_back(near.positions[own]);
        all_.smooth.push_back(near.smooth[own]);
        all_.middle.push_back(near.middle[own]);
        all_.sharpness.push_back(near.sharpness[own]);
      }
      t[k] = vertex_[own];
    }
    if (i < triangle_.size()) {
      all_.triangles[triangle_[i]] = t;
      all_.source[triangle_[i]] = near.source[i];
    } else {
      all_.triangles.push_back(t);
      all_.source.push_back(near.source[i]);
    }
  }
}

}  // namespace anvil::recast
