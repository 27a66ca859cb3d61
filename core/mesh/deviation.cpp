// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/deviation.h"

#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/control.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/bvh.h"
#include "core/mesh/nearest.h"

namespace anvil {
namespace {

constexpr double finest = 1.0 / 100;  ///< of the diagonal: triangles larger than that are sampled inside

/// Corners by position, in order: equal for triangles that are the same.
using Corners = std::array<std::array<double, 3>, 3>;
Corners corners_of(const Mesh& mesh, const Triangle& t) {
  Corners corners;
  for (std::size_t k = 0; k < 3; ++k) corners[k] = {mesh.positions[t[k]].x() + 0.0, mesh.positions[t[k]].y() + 0.0, mesh.positions[t[k]].z() + 0.0};
  std::sort(corners.begin(), corners.end());
  return corners;
}

struct Surface {
  explicit Surface(const Mesh& m) : mesh(m) {}
  const Mesh& mesh;
  std::vector<Triangle> triangles = {};
  Box3 box = {};
  std::vector<char> common = {};  ///< per triangle: the other surface has it as well
};

std::size_t hash_of(const Corners& corners) {
  std::size_t h = 0;
  for (const auto& corner : corners)
    for (double x : corner) h = (h ^ std::bit_cast<std::uint64_t>(x)) * 0x9E3779B97F4A7C15u + (h >> 29);
  return h;
}

void find_common(Surface& one, Surface& other) {
  struct Item {
    std::size_t hash;
    Index triangle;
    bool operator<(const Item& o) const { return hash != o.hash ? hash < o.hash : triangle < o.triangle; }
  };
  constexpr int bits = 18;
  const auto items_of = [](const Surface& s) {
    std::vector<Item> items(s.triangles.size());
    tbb::parallel_for(std::size_t{0}, items.size(), [&](std::size_t i) { items[i] = {hash_of(corners_of(s.mesh, s.triangles[i])), static_cast<Index>(i)}; });
    bucket_sort(items, std::size_t{1} << bits, [](const Item& item) { return item.hash >> (64 - bits); });
    return items;
  };
  std::vector<Item> a, b;
  tbb::parallel_invoke([&] { a = items_of(one); }, [&] { b = items_of(other); });
  one.common.assign(a.size(), 0);
  other.common.assign(b.size(), 0);
  for (std::size_t i = 0, j = 0; i < a.size() && j < b.size();) {
    if (a[i].hash != b[j].hash) {
      ++(a[i].hash < b[j].hash ? i : j);
      continue;
    }
    std::size_t j_end = j;
    const std::size_t hash = a[i].hash;
    while (j_end < b.size() && b[j_end].hash == hash) ++j_end;
    for (; i < a.size() && a[i].hash == hash; ++i)
      for (std::size_t k = j; k < j_end; ++k)
        if (corners_of(one.mesh, one.triangles[a[i].triangle]) == corners_of(other.mesh, other.triangles[b[k].triangle]))
          one.common[a[i].triangle] = other.common[b[k].triangle] = 1;
    j = j_end;
  }
}

/// Distances from points that are asked for one after the other, mostly near each other.
class Asker {
 public:
  Asker(const Surface& surface, const Bvh& tree) : surface_(surface), tree_(tree) {}
  double operator()(const Vec3& p) {
    const double bound = guess(p);
    if (bound == 0) return 0;
    const Bvh::Nearest nearest = tree_.nearest(surface_.mesh.positions, surface_.triangles, p, bound);
    if (nearest.triangle != no_index) last_ = nearest.triangle;
    return std::sqrt(std::min(bound, nearest.square));
  }
  static constexpr std::size_t together = 8;
  /// Of up to `together` points at once.
  void operator()(std::span<const Vec3> points, std::span<double> distances) {
    std::array<Bvh::Nearest, together> known;
    for (std::size_t i = 0; i < points.size(); ++i) {
      const double bound = guess(points[i]);
      known[i] = {last_, bound};
    }
    if (!tree_.nearest(surface_.mesh.positions, surface_.triangles, points, std::span(known.data(), points.size()), leaves_)) {
      for (std::size_t i = 0; i < points.size(); ++i) distances[i] = (*this)(points[i]);
      return;
    }
    for (std::size_t i = 0; i < points.size(); ++i) distances[i] = std::sqrt(known[i].square);
    last_ = known[points.size() - 1].triangle;
  }

 private:
  /// A distance squared that the nearest is not farther than.
  double guess(const Vec3& p) {
    double bound = std::numeric_limits<double>::infinity();
    if (last_ == no_index) return bound;
    // The next ones in the order of the mesh as well: who asks goes along in the order of another, often much the same.
    const Index begin = last_, end = static_cast<Index>(std::min<std::size_t>(surface_.triangles.size(), begin + tried));
    for (Index t = begin; t < end && bound > 0; ++t) {
      const auto& [a, b, c] = surface_.triangles[t];
      const auto& at = surface_.mesh.positions;
      const double square = (nearest_on_triangle(p, at[a], at[b], at[c]) - p).squaredNorm();
      if (square < bound) bound = square, last_ = t;
    }
    return bound;
  }

  static constexpr Index tried = 3;
  const Surface& surface_;
  const Bvh& tree_;
  Index last_ = no_index;
  std::vector<std::size_t> leaves_;
};

struct Sum {
  double max = 0, weighted = 0;
  Vec3 place = Vec3::Zero();
  Index triangle = no_index;
  void meet(double distance, const Vec3& p, Index t) {
    // The first of several, whatever the threads do.
    if (distance < max || (distance == max && t >= triangle)) return;
    max = distance, place = p, triangle = t;
  }
};

OneWay one_way(const Surface& from, const Surface& to, const Bvh& tree, double spacing, bool middles, const std::stop_token& stop) {
  const auto& positions = from.mesh.positions;
  OneWay way;
  way.at_vertex.assign(positions.size(), 0);
  // Vertices, each asked for with the first of its triangles that is not common.
  std::vector<Index> asked;
  {
    std::vector<char> is_asked(positions.size(), 0);
    for (Index i = 0; i < from.triangles.size(); ++i)
      for (Index v : from.triangles[i])
        if (!from.common[i] && !is_asked[v]) is_asked[v] = 1, asked.push_back(v);
  }
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, asked.size(), 2048), [&](const auto& range) {
    if (stop.stop_requested()) throw Stopped{};
    Asker ask(to, tree);
    std::array<Vec3, Asker::together> points;
    std::array<double, Asker::together> distances;
    ask(positions[asked[range.begin()]]);  // so that there is something to guess from
    for (std::size_t k = range.begin(); k < range.end(); k += Asker::together) {
      const std::size_t count = std::min(Asker::together, range.end() - k);
      for (std::size_t i = 0; i < count; ++i) points[i] = positions[asked[k + i]];
      ask(std::span(points.data(), count), std::span(distances.data(), count));
      for (std::size_t i = 0; i < count; ++i) way.at_vertex[asked[k + i]] = static_cast<float>(distances[i]);
    }
  });
  way.in_triangle.assign(from.triangles.size(), 0);
  std::vector<double> area_of_block((from.triangles.size() + 1023) / 1024, 0);
  std::vector<Sum> sums(area_of_block.size());
  tbb::parallel_for(std::size_t{0}, sums.size(), [&](std::size_t block) {
    if (stop.stop_requested()) throw Stopped{};
    Asker ask(to, tree);
    Sum& sum = sums[block];
    for (auto i = static_cast<Index>(1024 * block); i < std::min<std::size_t>(from.triangles.size(), 1024 * (block + 1)); ++i) {
      const auto& [a, b, c] = from.triangles[i];
      const Vec3 &p = positions[a], u = positions[b] - p, v = positions[c] - p;
      const double area = u.cross(v).norm() / 2;
      area_of_block[block] += area;
      if (from.common[i]) continue;
      for (Index w : {a, b, c}) sum.meet(way.at_vertex[w], positions[w], i);
      float& most = way.in_triangle[i];
      most = std::max({way.at_vertex[a], way.at_vertex[b], way.at_vertex[c]});
      const double sides[] = {(v - u).norm(), v.norm(), u.norm()};  // over from p, over from its next, over from the last
      const double longest = *std::max_element(sides, sides + 3);
      if (longest <= spacing) {
        if (middles)
          for (const Vec3& at : {Vec3(p + (u + v) / 3), Vec3(p + u / 2), Vec3(p + v / 2), Vec3(p + (u + v) / 2)}) {
            const double distance = ask(at);
            sum.meet(distance, at, i);
            most = std::max(most, static_cast<float>(distance));
          }
        sum.weighted += area * (way.at_vertex[a] + way.at_vertex[b] + way.at_vertex[c]) / 3;
        continue;
      }
      // Rows of equal height along the shortest side, each cut into as many equal pieces as its length asks for: a needle is
      // one row of points, however many times longer than wide.
      const auto opposite = static_cast<std::size_t>(std::min_element(sides, sides + 3) - sides);
      const std::array<Vec3, 3> corner{p, positions[b], positions[c]};
      const Vec3& apex = corner[opposite];
      const Vec3 left = corner[(opposite + 1) % 3] - apex, across = corner[(opposite + 2) % 3] - corner[(opposite + 1) % 3];
      const auto pieces = [&](double length) { return static_cast<int>(std::clamp(std::ceil(length / spacing), 1.0, 1000.0)); };
      const int rows = pieces(longest);
      double mean = 0;
      for (int row = 0; row < rows; ++row) {
        const double down = 2 * (3.0 * row * (row + 1) + 1) / (3 * (2.0 * row + 1) * rows);  // its centroid
        const int count = pieces(down * sides[opposite]);
        double total = 0;
        for (int k = 0; k < count; ++k) {
          const Vec3 at = apex + down * (left + (k + 0.5) / count * across);
          const double distance = ask(at);
          sum.meet(distance, at, i);
          most = std::max(most, static_cast<float>(distance));
          total += distance;
        }
        mean += total / count * (2 * row + 1) / (static_cast<double>(rows) * rows);
      }
      sum.weighted += area * mean;
    }
  });
  double area = 0;
  Sum all;
  for (std::size_t block = 0; block < sums.size(); ++block) {
    area += area_of_block[block];
    all.weighted += sums[block].weighted;
    all.meet(sums[block].max, sums[block].place, sums[block].triangle);
  }
  way.max = all.max;
  way.place = all.place;
  way.mean = area > 0 ? all.weighted / area : 0;
  return way;
}

}  // namespace

Deviation deviation_between(const Mesh& old_mesh, const Mesh& new_mesh, const std::stop_token& stop, bool middles) {
  Deviation deviation;
  Surface old_surface(old_mesh), new_surface(new_mesh);
  deviation.from_old.at_vertex.assign(old_mesh.positions.size(), 0);
  deviation.from_new.at_vertex.assign(new_mesh.positions.size(), 0);
  const auto read = [](Surface& s) { s.triangles = triangulate(s.mesh).triangles, s.box = bounds(s.mesh); };
  tbb::parallel_invoke([&] { read(old_surface); }, [&] { read(new_surface); });
  if (old_surface.triangles.empty() || new_surface.triangles.empty()) return deviation;
  find_common(old_surface, new_surface);
  Box3 box = old_surface.box;
  box.add(new_surface.box);
  const double spacing = finest * box.diagonal();
  std::optional<Bvh> old_tree, new_tree;
  tbb::parallel_invoke([&] { old_tree.emplace(old_mesh.positions, old_surface.triangles); }, [&] { new_tree.emplace(new_mesh.positions, new_surface.triangles); });
  tbb::parallel_invoke([&] { deviation.from_old = one_way(old_surface, new_surface, *new_tree, spacing, middles, stop); },
                       [&] { deviation.from_new = one_way(new_surface, old_surface, *old_tree, spacing, middles, stop); });
  return deviation;
}

}  // namespace anvil
