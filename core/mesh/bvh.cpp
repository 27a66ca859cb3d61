// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/bvh.h"

#include "core/mesh/nearest.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>
#include <cstring>
#include <bit>
#include <cmath>
#include <utility>

namespace anvil {
namespace {

constexpr float infinity = std::numeric_limits<float>::infinity();

/// Spreads the low 10 bits so that two zero bits stand between each.
std::uint32_t spread(std::uint32_t x) {
  x = (x | (x << 16)) & 0x030000FFu;
  x = (x | (x << 8)) & 0x0300F00Fu;
  x = (x | (x << 4)) & 0x030C30C3u;
  return (x | (x << 2)) & 0x09249249u;
}

struct Keyed {
  std::uint32_t key;
  Index index;
};

/// Least-significant-digit radix sort on the 30 key bits; stable.
void radix_sort(std::vector<Keyed>& items) {
  constexpr std::size_t digits = 1024, least_chunk = 32768;
  const std::size_t chunks = std::clamp<std::size_t>(items.size() / least_chunk, 1, 16), size = (items.size() + chunks - 1) / chunks;
  std::vector<Keyed> other(items.size());
  std::vector<std::array<Index, digits>> start(chunks);
  for (int shift = 0; shift < 30; shift += 10) {
    auto digit = [shift](const Keyed& k) { return (k.key >> shift) & (digits - 1); };
    auto in_chunks = [&](auto&& visit) {
      tbb::parallel_for(std::size_t{0}, chunks, [&](std::size_t c) {
        for (std::size_t i = c * size; i < std::min(items.size(), (c + 1) * size); ++i) visit(start[c][digit(items[i])], items[i]);
      });
    };
    for (auto& counts : start) counts.fill(0);
    in_chunks([](Index& count, const Keyed&) { ++count; });
    Index sum = 0;
    for (std::size_t d = 0; d < digits; ++d)
      for (auto& counts : start) sum += std::exchange(counts[d], sum);
    in_chunks([&](Index& place, const Keyed& k) { other[place++] = k; });
    items.swap(other);
  }
}

/// At least one step of single precision below or above.
float round_down(double x) {
  const auto f = static_cast<float>(x);
  return f - (std::abs(f) * 0x1p-23f + std::numeric_limits<float>::min());
}
float round_up(double x) {
  const auto f = static_cast<float>(x);
  return f + (std::abs(f) * 0x1p-23f + std::numeric_limits<float>::min());
}

}  // namespace

void Bvh::Box::add(const Box& o) {
  for (int k = 0; k < 3; ++k) {
    lo[k] = std::min(lo[k], o.lo[k]);
    hi[k] = std::max(hi[k], o.hi[k]);
  }
}

namespace {

/// Twice the middle of a triangle's box.
Vec3 doubled_middle(std::span<const Vec3> positions, const Triangle& t) {
  const Vec3 &a = positions[t[0]], &b = positions[t[1]], &c = positions[t[2]];
  return a.cwiseMin(b).cwiseMin(c) + a.cwiseMax(b).cwiseMax(c);
}

/// The place on a Morton curve of 2^10 steps a side through a cube.
std::uint32_t morton_key(const Vec3& doubled_middle, const Vec3& lo, double span) {
  std::uint32_t key = 0;
  for (int k = 0; k < 3; ++k) {
    const double cell = (0.5 * doubled_middle[k] - lo[k]) / span * 1023.0;
    key |= spread(cell > 0 ? static_cast<std::uint32_t>(std::min(cell, 1023.0)) : 0) << k;
  }
  return key;
}

/// Where far more share a place of the curve than a leaf holds, as beside a stray far off, they are put in order among themselves, by a
/// curve through their own middles. Ends: those at its two ends come to different places.
void order_within_places(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<Keyed> items) {
  constexpr std::size_t many = 64;
  for (std::size_t begin = 0, end = 0; begin < items.size(); begin = end) {
    while (end < items.size() && items[end].key == items[begin].key) ++end;
    if (end - begin <= many) continue;
    const std::span<Keyed> together = items.subspan(begin, end - begin);
    Box3 middles;
    for (const Keyed& item : together) middles.add(0.5 * doubled_middle(positions, triangles[item.index]));
    const double span = middles.size().maxCoeff();
    if (!(span > 0)) continue;
    for (Keyed& item : together) item.key = morton_key(doubled_middle(positions, triangles[item.index]), middles.lo, span);
    std::stable_sort(together.begin(), together.end(), [](const Keyed& x, const Keyed& y) { return x.key < y.key; });
    if (together.front().key == together.back().key) continue;  // numbers without a difference that counts
    order_within_places(positions, triangles, together);
  }
}

}  // namespace

std::vector<Index> morton_order(std::span<const Vec3> positions, std::span<const Triangle> triangles) {
  Box3 all;
  for (const Vec3& p : positions) all.add(p);
  const double span = std::max(all.size().maxCoeff(), 1e-300);
  std::vector<Keyed> keyed(triangles.size());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, keyed.size(), 8192), [&](const auto& range) {
    for (std::size_t i = range.begin(); i < range.end(); ++i) keyed[i] = {morton_key(doubled_middle(positions, triangles[i]), all.lo, span), static_cast<Index>(i)};
  });
  radix_sort(keyed);
  order_within_places(positions, triangles, keyed);
  std::vector<Index> order(keyed.size());
  for (std::size_t i = 0; i < keyed.size(); ++i) order[i] = keyed[i].index;
  return order;
}

Bvh::Bvh(std::span<const Vec3> positions, std::span<const Triangle> triangles, double margin, std::span<const Index> groups)
    : Bvh(positions, triangles, morton_order(positions, triangles), margin, groups) {}

Bvh::Bvh(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::vector<Index> order, double margin,
         std::span<const Index> groups)
    : order_(std::move(order)) {
  Box3 all;
  for (const Vec3& p : positions) all.add(p);
  centre_ = all.centre();
  const std::size_t count = order_.size();
  const std::size_t leaf_count = (count + leaf_size - 1) / leaf_size;
  leaf_boxes_.resize(leaf_count);
  leaves_ = std::bit_ceil(std::max<std::size_t>(1, leaf_count));
  nodes_.assign(2 * leaves_, Box{{infinity, infinity, infinity}, {-infinity, -infinity, -infinity}});
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, leaf_count, 2048), [&](const auto& range) {
    for (std::size_t leaf = range.begin(); leaf < range.end(); ++leaf) {
      for (std::size_t j = 0; j < leaf_size; ++j) {
        const std::size_t i = leaf * leaf_size + j;
        Box box{{infinity, infinity, infinity}, {-infinity, -infinity, -infinity}};
        if (i < count) {
          const Triangle& t = triangles[order_[i]];
          const Vec3 &a = positions[t[0]], &b = positions[t[1]], &c = positions[t[2]];
          for (int k = 0; k < 3; ++k) {
            box.lo[k] = round_down(std::min({a[k], b[k], c[k]}) - margin - centre_[k]);
            box.hi[k] = round_up(std::max({a[k], b[k], c[k]}) + margin - centre_[k]);
          }
          nodes_[leaves_ + leaf].add(box);
        }
        for (std::size_t k = 0; k < 3; ++k) {
          leaf_boxes_[leaf].lo[k][j] = box.lo[k];
          leaf_boxes_[leaf].hi[k][j] = box.hi[k];
        }
      }
    }
  });
  for (std::size_t n = leaves_; n-- > 1;) {
    nodes_[n] = nodes_[2 * n];
    nodes_[n].add(nodes_[2 * n + 1]);
  }
  if (groups.empty()) return;
  constexpr Index none = no_index - 1;  // of a node without triangles
  group_of_.assign(2 * leaves_, none);
  auto join = [](Index& group, Index other) {
    if (group == none)
      group = other;
    else if (other != none && other != group)
      group = no_index;
  };
  groups_.resize(count);
  for (std::size_t i = 0; i < count; ++i) {
    groups_[i] = groups[order_[i]];
    join(group_of_[leaves_ + i / leaf_size], groups_[i]);
  }
  for (std::size_t n = leaves_; n-- > 1;) {
    join(group_of_[n], group_of_[2 * n]);
    join(group_of_[n], group_of_[2 * n + 1]);
  }
}

struct Bvh::PairWalk {
  static constexpr std::size_t worth_a_task = 64;
  const Bvh& tree;
  const std::function<void(Index, Index)>& visit;
  const std::stop_token& stop;

  void leaf_pair(std::size_t a, std::size_t b) const {
    const std::size_t count = tree.order_.size();
    const std::size_t a0 = (a - tree.leaves_) * leaf_size, a1 = std::min(count, a0 + leaf_size);
    const std::size_t b0 = (b - tree.leaves_) * leaf_size;
    if (b0 >= count) return;
    const Leaf& leaf = tree.leaf_boxes_[b - tree.leaves_];
    for (std::size_t i = a0; i < a1; ++i) {
      const auto hit = leaf.overlaps(tree.box(i));
      for (std::size_t j = a == b ? i + 1 - b0 : 0; j < leaf_size; ++j)
        if (hit[j] && !one_group_of(i, b0 + j)) visit(tree.order_[i], tree.order_[b0 + j]);
    }
  }

  bool one_group_of(std::size_t i, std::size_t j) const {
    return !tree.groups_.empty() && tree.groups_[i] == tree.groups_[j] && tree.groups_[i] != no_index;
  }
  bool one_group(std::size_t a, std::size_t b) const {
    return !tree.group_of_.empty() && tree.group_of_[a] == tree.group_of_[b] && tree.group_of_[a] != no_index;
  }

  void cross(std::size_t a, std::size_t b) const {
    constexpr std::size_t seldom = 63;  // of the nodes some
    if ((a & seldom) == 0 && stop.stop_requested()) throw Stopped{};
    if (one_group(a, b)) return;
    if (!tree.nodes_[a].overlaps(tree.nodes_[b])) return;
    if (a >= tree.leaves_) return leaf_pair(a, b);
    cross(2 * a, 2 * b);
    cross(2 * a, 2 * b + 1);
    cross(2 * a + 1, 2 * b);
    cross(2 * a + 1, 2 * b + 1);
  }

  /// @param size  triangles below, about
  void self(std::size_t a, std::size_t size) const {
    if (stop.stop_requested()) throw Stopped{};
    if (one_group(a, a)) return;
    if (a >= tree.leaves_) return leaf_pair(a, a);
    if (size > worth_a_task)
      tbb::parallel_invoke([&] { self(2 * a, size / 2); }, [&] { self(2 * a + 1, size / 2); }, [&] { cross(2 * a, 2 * a + 1); });
    else {
      self(2 * a, size / 2);
      self(2 * a + 1, size / 2);
      cross(2 * a, 2 * a + 1);
    }
  }
};

void Bvh::for_each_pair(const std::function<void(Index, Index)>& visit, const std::stop_token& stop) const {
  PairWalk{*this, visit, stop}.self(1, leaves_ * leaf_size);
}

/// Takes the nearest triangle of a leaf where it is nearer than what is known.
/// @param at   the point in single precision, relative to the centre
/// @param off  what rounding may have made of it
void Bvh::look_in_leaf(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::size_t place, const Vec3& p,
                       const std::array<float, 3>& at, float off, Nearest& nearest) const {
  // All four boxes at once; compilers leave it one by one, with a branch for each maximum.
  using Four = float __attribute__((vector_size(leaf_size * sizeof(float))));
  const Leaf& leaf = leaf_boxes_[place];
  Four square_of{};
  for (std::size_t k = 0; k < 3; ++k) {
    Four lo, hi;
    std::memcpy(&lo, leaf.lo[k], sizeof lo);
    std::memcpy(&hi, leaf.hi[k], sizeof hi);
    const Four below = lo - at[k], above = at[k] - hi, most = (below > above ? below : above) - off;
    const Four outside = most > 0 ? most : Four{};
    square_of += outside * outside;
  }
  const auto near = square_of * sure < static_cast<float>(nearest.square) / sure;
  if ((near[0] | near[1] | near[2] | near[3]) == 0) return;
  const std::size_t begin = place * leaf_size;
  for (std::size_t i = begin; i < std::min(order_.size(), begin + leaf_size); ++i) {
    if (near[i - begin] == 0 || !(square_of[i - begin] * sure < nearest.square)) continue;
    const auto& [a, b, c] = triangles[order_[i]];
    const double square = (nearest_on_triangle(p, positions[a], positions[b], positions[c]) - p).squaredNorm();
    if (square < nearest.square) nearest = {order_[i], square};
  }
}

bool Bvh::nearest(std::span<const Vec3> positions, std::span<const Triangle> triangles, std::span<const Vec3> points, std::span<Nearest> known,
                  std::vector<std::size_t>& leaves) const {
  std::array<float, 3> lo, hi;
  float reach = 0;
  double farthest = 0;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const Vec3 from = points[i] - centre_;
    reach = std::max(reach, static_cast<float>(from.cwiseAbs().maxCoeff()));
    farthest = std::max(farthest, known[i].square);
    for (std::size_t k = 0; k < 3; ++k) {
      const auto x = static_cast<float>(from[static_cast<Eigen::Index>(k)]);
      lo[k] = i == 0 ? x : std::min(lo[k], x);
      hi[k] = i == 0 ? x : std::max(hi[k], x);
    }
  }
  const float off = reach * 0x1p-22f;
  constexpr std::size_t most_leaves = 40;
  // One walk down for all: the leaves that can hold the nearest triangle of any.
  leaves.clear();
  std::array<std::size_t, 64> stack;
  std::size_t waiting = 0;
  stack[waiting++] = 1;
  while (waiting > 0) {
    const std::size_t node = stack[--waiting];
    float square = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const float outside = std::max(std::max(nodes_[node].lo[k] - hi[k], lo[k] - nodes_[node].hi[k]) - off, 0.0f);
      square += outside * outside;
    }
    if (!(square * sure < farthest)) continue;
    if (node >= leaves_) {
      if (leaves.size() == most_leaves) return false;
      leaves.push_back(node - leaves_);
      continue;
    }
    stack[waiting++] = 2 * node + 1;
    stack[waiting++] = 2 * node;
  }
  for (std::size_t i = 0; i < points.size(); ++i) {
    const Vec3 from = points[i] - centre_;
    const std::array<float, 3> at{static_cast<float>(from.x()), static_cast<float>(from.y()), static_cast<float>(from.z())};
    for (const std::size_t leaf : leaves) look_in_leaf(positions, triangles, leaf, points[i], at, off, known[i]);
  }
  return true;
}

Bvh::Nearest Bvh::nearest(std::span<const Vec3> positions, std::span<const Triangle> triangles, const Vec3& p, double bound) const {
  // In single precision, and never too large: what rounding may make of the point and of the sum is taken off.
  const Vec3 from = p - centre_;
  const std::array<float, 3> at{static_cast<float>(from.x()), static_cast<float>(from.y()), static_cast<float>(from.z())};
  const float off = static_cast<float>(from.cwiseAbs().maxCoeff()) * 0x1p-22f;
  const auto square_to = [&](const Box& box) {
    float sum = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const float outside = std::max(std::max(box.lo[k] - at[k], at[k] - box.hi[k]) - off, 0.0f);
      sum += outside * outside;
    }
    return sum * sure;
  };
  Nearest nearest{no_index, bound};
  struct Waiting {
    std::size_t node;
    float square;
  };
  std::array<Waiting, 64> stack;  // one for each level, and the tree is perfect
  std::size_t waiting = 0;
  stack[waiting++] = {1, square_to(nodes_[1])};
  while (waiting > 0) {
    const Waiting top = stack[--waiting];
    if (!(top.square < nearest.square)) continue;
    if (top.node < leaves_) {
      Waiting one{2 * top.node, square_to(nodes_[2 * top.node])}, other{2 * top.node + 1, square_to(nodes_[2 * top.node + 1])};
      if (one.square < other.square) std::swap(one, other);
      if (one.square < nearest.square) stack[waiting++] = one;
      if (other.square < nearest.square) stack[waiting++] = other;
      continue;
    }
    look_in_leaf(positions, triangles, top.node - leaves_, p, at, off, nearest);
  }
  return nearest;
}

std::optional<Bvh::Hit> Bvh::nearest_hit(std::span<const Vec3> positions, std::span<const Triangle> triangles,
                                         const Vec3& origin, const Vec3& direction, double farthest) const {
  const Vec3 from = origin - centre_;
  const Vec3 inverse = direction.cwiseInverse();
  double nearest = farthest;
  std::optional<Hit> hit;
  auto enters = [&](const Box& box) {
    if (box.lo[0] > box.hi[0]) return false;  // of a leaf that is not there: turned around it would be endless
    double t0 = 0, t1 = nearest;
    for (int k = 0; k < 3; ++k) {
      if (direction[k] == 0) {
        if (from[k] < box.lo[k] || from[k] > box.hi[k]) return false;
        continue;
      }
      const double a = (box.lo[k] - from[k]) * inverse[k], b = (box.hi[k] - from[k]) * inverse[k];
      t0 = std::max(t0, std::min(a, b));
      t1 = std::min(t1, std::max(a, b));
    }
    return t0 <= t1 * (1 + 1e-12);
  };
  std::vector<std::size_t> stack{1};
  while (!stack.empty()) {
    const std::size_t node = stack.back();
    stack.pop_back();
    if (!enters(nodes_[node])) continue;
    if (node < leaves_) {
      stack.push_back(2 * node);
      stack.push_back(2 * node + 1);
      continue;
    }
    const std::size_t begin = (node - leaves_) * leaf_size;
    for (std::size_t i = begin; i < std::min(order_.size(), begin + leaf_size); ++i) {
      const Triangle& t = triangles[order_[i]];
      const Vec3 e1 = positions[t[1]] - positions[t[0]], e2 = positions[t[2]] - positions[t[0]];
      const Vec3 p = direction.cross(e2);
      const double det = e1.dot(p);
      if (det == 0) continue;
      const Vec3 s = origin - positions[t[0]];
      const double u = s.dot(p) / det;
      const Vec3 q = s.cross(e1);
      const double v = direction.dot(q) / det;
      const double distance = e2.dot(q) / det;
      if (u < 0 || v < 0 || u + v > 1 || distance < 0 || distance >= nearest) continue;
      nearest = distance;
      hit = Hit{order_[i], distance};
    }
  }
  return hit;
}

}  // namespace anvil
