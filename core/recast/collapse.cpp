// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/collapse.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <bit>
#include <limits>
#include <numeric>

#include "core/mesh/bucket_sort.h"
#include "core/mesh/edges.h"
#include "core/recast/quadric.h"

namespace anvil::recast {
namespace {

constexpr std::uint8_t held_edge = 1, border_edge = 8;  // shifted by the corner, 0 to 2
constexpr float never = std::numeric_limits<float>::infinity();

/// What may become of a vertex.
enum class Freedom : char {
  free,
  on_line,  ///< two held edges: moves along them
  none
};

class Collapse {
 public:
  Collapse(CollapseTask task, const Control& control) : control_(control), goal_(task.goal), limit_(task.farthest > 0 ? static_cast<float>(task.farthest * task.farthest) : never) {
    points_ = std::move(task.positions);
    triangles_ = std::move(task.triangles);
    became_.resize(points_.size());
    std::iota(became_.begin(), became_.end(), 0);
    fixed_ = task.fixed.empty() ? std::vector<char>(points_.size(), 0) : std::move(task.fixed);
    Box3 box;
    for (const Vec3& p : points_) box.add(p);
    centre_ = box.lo.x() <= box.hi.x() ? box.centre() : Vec3::Zero();
    for (Vec3& p : points_) p -= centre_;
    source_.resize(triangles_.size());
    std::iota(source_.begin(), source_.end(), 0);
    hold_edges(task.held, task.opposite.empty() ? find_opposites(triangles_, {}, points_.size()) : task.opposite);
    add_planes();
  }

  Collapsed run() {
    while (triangles_.size() > goal_) {
      check_stop(control_);
      const std::size_t before = triangles_.size();
      pass();
      if (triangles_.size() == before) break;
      if (control_.progress != nullptr) *control_.progress = std::clamp(static_cast<double>(goal_) / static_cast<double>(triangles_.size()), 0.0, 1.0);
    }
    Collapsed made;
    std::vector<Index> number(points_.size(), no_index);
    for (Triangle& t : triangles_)
      for (Index& v : t) {
        if (number[v] == no_index) number[v] = static_cast<Index>(made.positions.size()), made.positions.push_back(points_[v] + centre_);
        v = number[v];
      }
    for (Index& v : became_) v = number[v];
    made.triangles = std::move(triangles_);
    made.source = std::move(source_);
    made.became = std::move(became_);
    return made;
  }

 private:
  void hold_edges(const std::vector<char>& held, const std::vector<Index>& opposite) {
    flags_.assign(triangles_.size(), 0);
    std::vector<char> doubtful(points_.size(), 0), at_border(points_.size(), 0);
    mark_maybe_non_manifold(triangles_, opposite, doubtful);
    for (std::size_t c = 0; c < opposite.size(); ++c) {
      const std::size_t t = c / 3, k = c % 3;
      if (opposite[c] == no_index) {
        flags_[t] |= static_cast<std::uint8_t>((border_edge | held_edge) << k);
        at_border[triangles_[t][k]] = at_border[triangles_[t][(k + 1) % 3]] = 1;
      } else if (!held.empty() && held[c]) {
        flags_[t] |= static_cast<std::uint8_t>(held_edge << k);
      }
    }
    fix_corners();
    // Where a surface touches itself in a vertex, that stays.
    for (std::size_t v = 0; v < doubtful.size(); ++v)
      if (doubtful[v] && !at_border[v]) fixed_[v] = 1;
  }

  /// Where a held line turns sharply its vertex stays; where it ends or forks it does anyway.
  void fix_corners() {
    constexpr double sharply = -0.64;  // cosine between the ways out along it: a turn of 50°
    struct Ways {
      std::array<Index, 2> to{no_index, no_index};
    };
    std::vector<Ways> ways(points_.size());
    for (Index t = 0; t < triangles_.size(); ++t)
      for (std::size_t k = 0; k < 3; ++k) {
        if (!has(held_edge, t, k)) continue;
        const Index v = triangles_[t][k], w = triangles_[t][(k + 1) % 3];
        for (const auto& [from, to] : {std::pair(v, w), std::pair(w, v)}) {
          auto& [first, second] = ways[from].to;
          if (first == no_index) first = to;
          if (first != to) second = to;
        }
      }
    for (std::size_t v = 0; v < ways.size(); ++v) {
      const auto& [first, second] = ways[v].to;
      if (second != no_index && (points_[first] - points_[v]).stableNormalized().dot((points_[second] - points_[v]).stableNormalized()) > sharply) fixed_[v] = 1;
    }
  }

  bool has(std::uint8_t what, Index t, std::size_t k) const { return (flags_[t] & (what << k)) != 0; }

  /// Each vertex has the planes of its triangles, and walls along its held edges, which are to stay where they are across their faces as well.
  void add_planes() {
    make_fans();
    planes_.resize(points_.size());
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(points_.size()), 2048), [&](const auto& range) {
      for (Index v = range.begin(); v < range.end(); ++v)
        for (Index t : fan(v)) {
          const auto& [a, b, c] = triangles_[t];
          const Vec3 n = (points_[b] - points_[a]).cross(points_[c] - points_[a]);
          const double twice = n.norm();
          if (!(twice > 0)) continue;
          planes_[v].add_plane(n / twice, points_[a], twice);
          for (std::size_t k = 0; k < 3; ++k) {
            const Index from = triangles_[t][k], to = triangles_[t][(k + 1) % 3];
            if (!has(held_edge, t, k) || (from != v && to != v)) continue;
            const Vec3 along = points_[to] - points_[from], across = along.cross(n);
            if (const double length = across.norm(); length > 0) planes_[v].add_plane(across / length, points_[from], along.squaredNorm());
          }
        }
    });
  }

  void find_freedom() {
    // A held edge counts one from each side, a border two from its only one.
    std::vector<std::uint8_t> held(points_.size(), 0);
    const auto add = [&](Index v, std::uint8_t by) { held[v] = static_cast<std::uint8_t>(std::min(255, held[v] + by)); };
    for (Index t = 0; t < triangles_.size(); ++t)
      for (std::size_t k = 0; k < 3; ++k) {
        if (!has(held_edge, t, k)) continue;
        const std::uint8_t by = has(border_edge, t, k) ? 2 : 1;
        add(triangles_[t][k], by);
        add(triangles_[t][(k + 1) % 3], by);
      }
    freedom_.resize(points_.size());
    for (std::size_t v = 0; v < held.size(); ++v) freedom_[v] = fixed_[v] ? Freedom::none : held[v] == 0 ? Freedom::free : held[v] == 4 ? Freedom::on_line : Freedom::none;
  }

  /// Which of the two stays, and where.
  struct Merge {
    Index stays, goes;
    Vec3 at;
    double error;
  };
  /// @return no_index as what stays where they cannot be drawn together
  Merge merge(Index v, Index w, bool along_line) const {
    Freedom a = freedom_[v], b = freedom_[w];
    if (a < b) std::swap(v, w), std::swap(a, b);  // v is the less free
    if (b == Freedom::none || (b == Freedom::on_line && !along_line)) return {no_index, no_index, {}, 0};
    Quadric both = planes_[v];
    both.add(planes_[w]);
    if (a != b) return {v, w, points_[v], both.at(points_[v])};
    const Vec3 middle = 0.5 * (points_[v] + points_[w]);
    Merge best{v, w, both.least_near(middle), 0};
    if ((best.at - middle).squaredNorm() > (points_[v] - points_[w]).squaredNorm() || !best.at.allFinite()) best.at = middle;
    best.error = both.at(best.at);
    for (Index end : {v, w})
      if (const double error = both.at(points_[end]); error < best.error) best.at = points_[end], best.error = error;
    return best;
  }

  /// Cost of the edge at a corner; never, where it cannot be drawn together or the corner across tells it.
  float cost(Index t, std::size_t k) const {
    const Index v = triangles_[t][k], w = triangles_[t][(k + 1) % 3];
    if (v > w && !has(border_edge, t, k)) return never;
    const Merge m = merge(v, w, has(held_edge, t, k));
    if (m.stays == no_index) return never;
    // Of what costs nothing, short edges first.
    const float error = static_cast<float>(std::max(0.0, m.error) + 1e-9 * (points_[v] - points_[w]).squaredNorm());
    return error <= limit_ ? error : never;
  }

  void pass() {
    find_freedom();
    // What an edge costs depends on its two ends alone: only where the last pass has touched one is it another than before.
    const bool known = !costs_.empty();
    costs_.resize(3 * triangles_.size());
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(triangles_.size()), 4096), [&](const auto& range) {
      for (Index t = range.begin(); t < range.end(); ++t)
        for (std::size_t k = 0; k < 3; ++k)
          if (!known || touched_[triangles_[t][k]] || touched_[triangles_[t][(k + 1) % 3]]) costs_[3 * t + k] = cost(t, k);
    });
    const CostCounts counts(costs_);
    if (counts.all() == 0) return;
    // Only the cheaper ones: after the pass others may have become cheap.
    constexpr double share = 0.3, slack = 1.5;
    const std::size_t wanted = (triangles_.size() - goal_ + 1) / 2, rank = std::min({wanted, static_cast<std::size_t>(share * static_cast<double>(counts.all())) + 16, counts.all() - 1});
    const float dearest = std::min(limit_, static_cast<float>(slack * counts.at_rank(rank)));
    // In classes of like cost, each in the order of memory: sorted to the last bit it takes twice as long.
    constexpr std::uint32_t classes = 64, finer = 21;  // bits below: four classes to a power of two
    const std::uint32_t top = std::bit_cast<std::uint32_t>(dearest) >> finer;
    const auto class_of = [&](Index corner) { return classes - 1 - std::min(classes - 1, top - (std::bit_cast<std::uint32_t>(costs_[corner]) >> finer)); };
    std::vector<Index> candidates = cheap_corners(costs_, dearest);
    counting_sort(candidates, classes, class_of);
    make_fans();
    dead_.assign(triangles_.size(), 0);
    touched_.assign(points_.size(), 0);
    now_.resize(points_.size());
    std::iota(now_.begin(), now_.end(), 0);
    seen_.assign(points_.size(), 0);
    // Blocks at once, each what lies within it all round; then what lies between them. The same blocks whatever there is to compute with.
    constexpr std::size_t blocks = 8, small = 20'000;
    const std::size_t to_go = triangles_.size() - goal_, of_block = triangles_.size() > small ? to_go / blocks : 0;
    std::array<std::size_t, blocks> gone{};
    if (of_block > 0) {
      find_blocks(blocks);
      const std::vector<std::uint8_t> of = blocks_of(candidates, blocks);
      tbb::parallel_for(
          std::size_t{0}, blocks,
          [&](std::size_t b) {
            Index look = 0;
            for (std::size_t i = 0; i < candidates.size() && gone[b] + 2 <= of_block; ++i)
              if (of[i] == b) gone[b] += draw_together(candidates[i] / 3, candidates[i] % 3, look);
          },
          tbb::simple_partitioner());
      std::fill(seen_.begin(), seen_.end(), 0);
    }
    std::size_t all_gone = std::accumulate(gone.begin(), gone.end(), std::size_t{0});
    Index look = 0;
    for (Index corner : candidates) {
      if (all_gone >= to_go) break;
      all_gone += draw_together(corner / 3, corner % 3, look);
    }
    compact();
  }

  /// How many costs of about each size there are: by the upper bits of the numbers, which sort as these do.
  class CostCounts {
   public:
    explicit CostCounts(const std::vector<float>& costs) {
      constexpr std::size_t block = 1 << 18;
      std::vector<std::vector<Index>> of_block((costs.size() + block - 1) / block);
      tbb::parallel_for(std::size_t{0}, of_block.size(), [&](std::size_t n) {
        of_block[n].assign(classes, 0);
        for (std::size_t c = n * block; c < std::min(costs.size(), (n + 1) * block); ++c)
          if (costs[c] < never) ++of_block[n][std::bit_cast<std::uint32_t>(costs[c]) >> lower_bits];
      });
      counts_.assign(classes, 0);
      for (const std::vector<Index>& some : of_block)
        for (std::size_t k = 0; k < classes; ++k) counts_[k] += some[k], all_ += some[k];
    }
    std::size_t all() const { return all_; }
    /// A cost that is at least the one of that rank, by less than a hundredth more.
    float at_rank(std::size_t rank) const {
      std::size_t k = 0;
      for (std::size_t below = counts_[0]; below <= rank; below += counts_[++k]) {}
      return std::bit_cast<float>(static_cast<std::uint32_t>(k + 1) << lower_bits);
    }

   private:
    static constexpr std::uint32_t lower_bits = 16;
    static constexpr std::size_t classes = std::size_t{1} << (31 - lower_bits);  // they are not negative
    std::vector<Index> counts_;
    std::size_t all_ = 0;
  };

  /// Corners whose edges cost at most that, in order.
  static std::vector<Index> cheap_corners(const std::vector<float>& costs, float dearest) {
    constexpr std::size_t block = 1 << 16;
    std::vector<std::vector<Index>> of_block((costs.size() + block - 1) / block);
    tbb::parallel_for(std::size_t{0}, of_block.size(), [&](std::size_t n) {
      for (std::size_t c = n * block; c < std::min(costs.size(), (n + 1) * block); ++c)
        if (costs[c] <= dearest && costs[c] < never) of_block[n].push_back(static_cast<Index>(c));
    });
    std::vector<Index> cheap;
    for (const std::vector<Index>& some : of_block) cheap.insert(cheap.end(), some.begin(), some.end());
    return cheap;
  }

  void make_fans() {
    first_.assign(points_.size() + 1, 0);
    for (const Triangle& t : triangles_)
      for (Index v : t) ++first_[v + 1];
    for (std::size_t v = 1; v < first_.size(); ++v) first_[v] += first_[v - 1];
    fans_.resize(3 * triangles_.size());
    std::vector<Index> next(first_.begin(), first_.end() - 1);
    for (Index t = 0; t < triangles_.size(); ++t)
      for (Index v : triangles_[t]) fans_[next[v]++] = t;
  }
  /// Vertices in the order of memory, in equal shares; which of them each belongs to that has all its neighbours there too.
  void find_blocks(std::size_t blocks) {
    block_.resize(points_.size());
    const std::size_t size = points_.size() / blocks + 1;
    tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t b) {
      const auto begin = static_cast<Index>(std::min(b * size, points_.size())), end = static_cast<Index>(std::min((b + 1) * size, points_.size()));
      for (Index v = begin; v < end; ++v) {
        block_[v] = static_cast<std::uint8_t>(b);
        for (Index t : fan(v))
          for (Index w : triangles_[t])
            if (w < begin || w >= end) block_[v] = static_cast<std::uint8_t>(blocks);
      }
    });
  }
  /// Which block both ends of the edge at a corner belong to; `blocks` where there is none.
  std::vector<std::uint8_t> blocks_of(const std::vector<Index>& corners, std::size_t blocks) const {
    std::vector<std::uint8_t> of(corners.size());
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, corners.size(), 16384), [&](const auto& range) {
      for (std::size_t i = range.begin(); i < range.end(); ++i) {
        const Index t = corners[i] / 3, k = corners[i] % 3;
        const std::uint8_t one = block_[triangles_[t][k]], other = block_[triangles_[t][(k + 1) % 3]];
        of[i] = one == other ? one : static_cast<std::uint8_t>(blocks);
      }
    });
    return of;
  }
  std::span<const Index> fan(Index v) const { return {fans_.data() + first_[v], fans_.data() + first_[v + 1]}; }
  Triangle corners(Index t) const { return {now_[triangles_[t][0]], now_[triangles_[t][1]], now_[triangles_[t][2]]}; }
  static std::size_t place(const Triangle& t, Index v) { return t[0] == v ? 0 : t[1] == v ? 1 : 2; }
  static bool uses(const Triangle& t, Index v) { return t[0] == v || t[1] == v || t[2] == v; }

  /// @param look  larger than all in seen_, and counted on
  /// @return how many triangles went
  std::size_t draw_together(Index t, std::size_t k, Index& look) {
    const Index v = triangles_[t][k], w = triangles_[t][(k + 1) % 3];
    if (dead_[t] || touched_[v] || touched_[w]) return 0;
    const bool border = has(border_edge, t, k);
    const Merge m = merge(v, w, has(held_edge, t, k));
    if (m.stays == no_index) return 0;
    // The triangles that go, and their corners across.
    std::array<Index, 2> gone{no_index, no_index}, apex{no_index, no_index};
    std::size_t count = 0;
    look += 2;
    for (Index u : fan(v)) {
      if (dead_[u]) continue;
      const Triangle now = corners(u);
      if (uses(now, w)) {
        if (count == 2) return 0;
        gone[count] = u;
        apex[count++] = now[0] != v && now[0] != w ? now[0] : now[1] != v && now[1] != w ? now[1] : now[2];
      }
      for (Index x : now) seen_[x] = look;
    }
    if (count != (border ? 1U : 2U)) return 0;
    std::size_t common = 0, across = 0;
    for (Index u : fan(w)) {
      if (dead_[u]) continue;
      const Triangle now = corners(u);
      for (Index x : now)
        if (x != v && x != w && seen_[x] == look) ++common, seen_[x] = look + 1;
      if (u != gone[0] && u != gone[1] && count == 2 && uses(now, apex[0]) && uses(now, apex[1])) ++across;
    }
    if (common != count) return 0;
    for (Index u : fan(v))
      if (!dead_[u] && u != gone[0] && u != gone[1] && count == 2) {
        const Triangle now = corners(u);
        across += uses(now, apex[0]) && uses(now, apex[1]);
      }
    if (across > 1) return 0;
    // Of the two other edges of a triangle that goes, at most one is held: they become one.
    for (std::size_t g = 0; g < count; ++g) {
      const Triangle now = corners(gone[g]);
      std::size_t held = 0;
      for (std::size_t e = 0; e < 3; ++e) held += has(held_edge, gone[g], e) && (now[e] == apex[g] || now[(e + 1) % 3] == apex[g]);
      if (held > 1) return 0;
    }
    Turns turns;
    if (!keeps_shape(v, w, gone, m.at, turns) || !keeps_shape(w, v, gone, m.at, turns) || turns.fold()) return 0;
    for (std::size_t g = 0; g < count; ++g) join_edges(v, w, gone[g], apex[g]);
    for (std::size_t g = 0; g < count; ++g) dead_[gone[g]] = 1;
    points_[m.stays] = m.at;
    planes_[m.stays].add(planes_[m.goes]);
    now_[m.goes] = m.stays;
    touched_[v] = touched_[w] = 1;
    return count;
  }

  /// Does no triangle at the vertex turn over or become a sliver when it moves?
  /// Area vectors of triangles that a collapse moves.
  struct Turns {
    static constexpr std::size_t most = 32;
    std::array<Vec3, most> before, after;
    std::size_t count = 0;
    Vec3 outwards = Vec3::Zero();

    void add(const Vec3& was, const Vec3& is) {
      outwards += is;
      if (count < most) before[count] = was, after[count++] = is;
    }
    /// Does one then look back against all of them together, that did not?
    bool fold() const {
      for (std::size_t k = 0; k < count; ++k)
        if (after[k].dot(outwards) < 0 && before[k].dot(outwards) >= 0) return true;
      return false;
    }
  };

  /// @param turns  the triangles that are left are added
  bool keeps_shape(Index v, Index other, const std::array<Index, 2>& gone, const Vec3& to, Turns& turns) const {
    constexpr double least_cosine = 0.2, sliver = 0.02, worse = 0.5;
    for (Index u : fan(v)) {
      if (dead_[u] || u == gone[0] || u == gone[1]) continue;
      const Triangle now = corners(u);
      if (uses(now, other)) return false;
      const std::size_t k = place(now, v);
      const Vec3 &from = points_[v], &a = points_[now[(k + 1) % 3]], &b = points_[now[(k + 2) % 3]];
      const Vec3 before = (a - from).cross(b - from), after = (a - to).cross(b - to);
      const double before_2 = before.squaredNorm(), after_2 = after.squaredNorm();
      if (!(after_2 > 0)) return false;
      turns.add(before, after);
      const double dot = before.dot(after);
      if (before_2 > 0 && (dot <= 0 || dot * dot < least_cosine * least_cosine * before_2 * after_2)) return false;
      const double side = (a - b).squaredNorm(), longest_after = std::max({side, (a - to).squaredNorm(), (b - to).squaredNorm()});
      if (after_2 < sliver * sliver * longest_after * longest_after) {
        const double longest_before = std::max({side, (a - from).squaredNorm(), (b - from).squaredNorm()});
        if (after_2 * longest_before * longest_before < worse * worse * before_2 * longest_after * longest_after) return false;
      }
    }
    return true;
  }

  /// The two edges of a triangle that goes become one, held where one of them was.
  void join_edges(Index v, Index w, Index gone, Index apex) {
    std::uint8_t all = 0;
    const auto flags_between = [&](Index t, Index a, Index b) -> std::uint8_t {
      const Triangle now = corners(t);
      for (std::size_t e = 0; e < 3; ++e)
        if ((now[e] == a && now[(e + 1) % 3] == b) || (now[e] == b && now[(e + 1) % 3] == a)) return static_cast<std::uint8_t>((flags_[t] >> e) & (held_edge | border_edge));
      return 0;
    };
    all = static_cast<std::uint8_t>(flags_between(gone, v, apex) | flags_between(gone, w, apex));
    if (all == 0) return;
    for (Index end : {v, w})
      for (Index u : fan(end)) {
        if (dead_[u] || u == gone) continue;
        const Triangle now = corners(u);
        for (std::size_t e = 0; e < 3; ++e)
          if ((now[e] == end && now[(e + 1) % 3] == apex) || (now[e] == apex && now[(e + 1) % 3] == end)) flags_[u] |= static_cast<std::uint8_t>(all << e);
      }
  }

  void compact() {
    std::size_t kept = 0;
    for (Index t = 0; t < triangles_.size(); ++t) {
      if (dead_[t]) continue;
      triangles_[kept] = corners(t);
      flags_[kept] = flags_[t];
      for (std::size_t k = 0; k < 3; ++k) costs_[3 * kept + k] = costs_[3 * t + k];
      source_[kept++] = source_[t];
    }
    triangles_.resize(kept);
    costs_.resize(3 * kept);
    flags_.resize(kept);
    source_.resize(kept);
    // Vertices that are gone give way, in the order of those that stay.
    std::vector<Index> number(points_.size(), no_index);
    Index count = 0;
    for (Index v = 0; v < points_.size(); ++v) {
      if (now_[v] != v) continue;
      number[v] = count;
      points_[count] = points_[v];
      planes_[count] = planes_[v];
      touched_[count] = touched_[v];
      fixed_[count++] = fixed_[v];
    }
    points_.resize(count);
    planes_.resize(count);
    fixed_.resize(count);
    for (Triangle& t : triangles_)
      for (Index& v : t) v = number[v];
    for (Index& v : became_) v = number[now_[v]];
  }

  const Control& control_;
  std::size_t goal_;
  float limit_;
  Vec3 centre_;
  std::vector<Vec3> points_;
  std::vector<Triangle> triangles_;
  std::vector<std::uint8_t> flags_;  // per triangle
  std::vector<Index> source_, became_;
  std::vector<char> fixed_;
  std::vector<Quadric> planes_;
  std::vector<Freedom> freedom_;
  std::vector<float> costs_;  // per corner, of the edge from it; empty before the first pass
  // Within a pass:
  std::vector<Index> first_, fans_, now_;
  std::vector<char> dead_, touched_;
  std::vector<Index> seen_;
  std::vector<std::uint8_t> block_;
};

}  // namespace

Collapsed collapse(CollapseTask task, const Control& control) { return Collapse(std::move(task), control).run(); }

}  // namespace anvil::recast
