// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/cloud.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <nanoflann.hpp>
#include <numeric>

namespace anvil {

struct PointTree::Data {
  std::span<const Vec3> points;
  // What nanoflann asks for.
  std::size_t kdtree_get_point_count() const { return points.size(); }
  double kdtree_get_pt(std::size_t k, std::size_t axis) const { return points[k][static_cast<Eigen::Index>(axis)]; }
  template <class Box>
  bool kdtree_get_bbox(Box&) const { return false; }

  using Tree = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Data>, Data, 3, Index>;
  std::unique_ptr<Tree> tree;
};

PointTree::PointTree(std::span<const Vec3> points) : data_(std::make_unique<Data>()) {
  data_->points = points;
  data_->tree = std::make_unique<Data::Tree>(3, *data_);
}

PointTree::~PointTree() = default;

void PointTree::nearest(const Vec3& p, std::size_t count, std::vector<Near>& found) const {
  count = std::min(count, data_->points.size());
  thread_local std::vector<Index> numbers;
  thread_local std::vector<double> squares;
  numbers.resize(count);
  squares.resize(count);
  found.resize(data_->tree->knnSearch(p.data(), count, numbers.data(), squares.data()));
  for (std::size_t k = 0; k < found.size(); ++k) found[k] = {numbers[k], squares[k]};
}

void PointTree::within(const Vec3& p, double distance, std::vector<Near>& found) const {
  thread_local std::vector<std::pair<Index, double>> pairs;
  nanoflann::SearchParams how;
  how.sorted = false;
  data_->tree->radiusSearch(p.data(), distance * distance, pairs, how);
  found.clear();
  for (const auto& [point, square] : pairs) found.push_back({point, square});
}

double spacing_of(std::span<const Vec3> points, const PointTree& tree) {
  constexpr std::size_t asked = 1000;
  constexpr double share = 0.9;
  const std::size_t step = std::max<std::size_t>(1, points.size() / asked);
  std::vector<double> ways;
  std::vector<PointTree::Near> near;
  for (std::size_t k = 0; k < points.size(); k += step)
    // Points may be there several times.
    for (std::size_t count = 2; count <= 2 * points.size(); count *= 8) {
      tree.nearest(points[k], count, near);
      const auto other = std::find_if(near.begin(), near.end(), [](const PointTree::Near& n) { return n.square > 0; });
      if (other == near.end()) continue;
      ways.push_back(std::sqrt(other->square));
      break;
    }
  if (ways.empty()) return 0;
  const auto at = ways.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(ways.size() - 1));
  std::nth_element(ways.begin(), at, ways.end());
  return *at;
}

namespace {

/// Of the points in a cell of the grid.
struct Moments {
  double count = 0;
  Vec3 sum = Vec3::Zero();
  Eigen::Matrix3d squares = Eigen::Matrix3d::Zero();
  void operator+=(const Moments& m) { count += m.count, sum += m.sum, squares += m.squares; }
};

}  // namespace

std::vector<Vec3> rough_normals(std::span<const Vec3> points, double spacing, const std::stop_token& stop) {
  constexpr double cell_in_spacings = 1.5;
  std::vector<Vec3> normals(points.size(), Vec3::UnitZ());
  if (points.empty() || !(spacing > 0)) return normals;
  Box3 box;
  for (const Vec3& p : points) box.add(p);
  // A number for each cell that leaves room for its neighbours.
  constexpr std::uint64_t most = (1 << 21) - 2;
  const double cell = std::max(cell_in_spacings * spacing, box.size().maxCoeff() / static_cast<double>(most - 2));
  constexpr std::uint64_t row = std::uint64_t{1} << 21, layer = std::uint64_t{1} << 42;
  const auto number = [&](const Vec3& p) {
    const Vec3 at = (p - box.lo) / cell;
    return (static_cast<std::uint64_t>(at.z()) + 1) * layer + (static_cast<std::uint64_t>(at.y()) + 1) * row + static_cast<std::uint64_t>(at.x()) + 1;
  };
  std::vector<std::pair<std::uint64_t, Index>> order(points.size());
  tbb::parallel_for(Index{0}, static_cast<Index>(points.size()), [&](Index k) { order[k] = {number(points[k]), k}; });
  tbb::parallel_sort(order.begin(), order.end());
  if (stop.stop_requested()) throw Stopped{};
  std::vector<std::uint64_t> cells;
  std::vector<std::size_t> first;
  for (std::size_t k = 0; k < order.size(); ++k)
    if (cells.empty() || cells.back() != order[k].first) cells.push_back(order[k].first), first.push_back(k);
  first.push_back(order.size());
  const Vec3 centre = box.centre();
  std::vector<Moments> moments(cells.size());
  tbb::parallel_for(std::size_t{0}, cells.size(), [&](std::size_t c) {
    for (std::size_t k = first[c]; k < first[c + 1]; ++k) {
      const Vec3 p = points[order[k].second] - centre;
      moments[c] += {1, p, p * p.transpose()};
    }
  });
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, cells.size(), 256), [&](const auto& range) {
    if (stop.stop_requested()) return;
    for (std::size_t c = range.begin(); c < range.end(); ++c) {
      Moments around;
      for (int dz = -1; dz <= 1; ++dz)
        for (int dy = -1; dy <= 1; ++dy) {
          // Three in a row stand side by side.
          const std::uint64_t from = cells[c] + static_cast<std::uint64_t>(dz) * layer + static_cast<std::uint64_t>(dy) * row - 1;
          for (auto it = std::lower_bound(cells.begin(), cells.end(), from); it != cells.end() && *it <= from + 2; ++it) around += moments[static_cast<std::size_t>(it - cells.begin())];
        }
      const Vec3 mean = around.sum / around.count;
      const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> axes(around.squares / around.count - mean * mean.transpose());
      for (std::size_t k = first[c]; k < first[c + 1]; ++k) normals[order[k].second] = axes.eigenvectors().col(0);
    }
  });
  if (stop.stop_requested()) throw Stopped{};
  return normals;
}

}  // namespace anvil
