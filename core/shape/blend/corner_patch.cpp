// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/corner_patch.h"

#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <algorithm>
#include <optional>

namespace anvil {
namespace {

using Rings = std::vector<std::vector<Index>>;

void add_quads(const std::vector<std::vector<Index>>& rows, Rings& rings) {
  for (std::size_t i = 0; i + 1 < rows.size(); ++i)
    for (std::size_t j = 0; j + 1 < rows[i].size(); ++j) rings.push_back({rows[i][j], rows[i][j + 1], rows[i + 1][j + 1], rows[i + 1][j]});
}

/// The line around a cell: outlines of strips from right to left, and sectors between.
std::vector<Index> border(const StripLayout& layout, Index cell) {
  std::vector<Index> loop;
  for (Index h : layout.ends().task().graph.cells[cell].out) {
    if (!layout.ends().is_finished(h)) continue;
    loop.insert(loop.end(), layout.profile[h].rbegin(), layout.profile[h].rend());
    loop.insert(loop.end(), layout.sector[h].rbegin(), layout.sector[h].rend());
  }
  // There and back again is nothing.
  std::vector<Index> open;
  for (Index p : loop) {
    if (!open.empty() && open.back() == p) continue;
    if (open.size() > 1 && open[open.size() - 2] == p) open.pop_back();
    else open.push_back(p);
  }
  std::size_t begin = 0, end = open.size();
  while (end - begin > 2) {
    if (open[begin] == open[end - 1]) --end;
    else if (open[begin + 1] == open[end - 1]) ++begin, --end;
    else if (open[begin] == open[end - 2]) end -= 2;
    else break;
  }
  return {open.begin() + static_cast<std::ptrdiff_t>(begin), open.begin() + static_cast<std::ptrdiff_t>(end)};
}

/// All edges are rounded: as many quads of quads as there are edges, about a middle.
class RoundPatch {
 public:
  RoundPatch(StripLayout& layout, Index cell) : layout_(layout), ends_(layout.ends()), task_(ends_.task()), out_(task_.graph.cells[cell].out), cell_(cell), half_(task_.settings.segments / 2) {}

  Rings make() {
    const std::size_t k = out_.size();
    find_ball();
    for (Index h : out_) {
      const auto& line = layout_.profile[h];
      middles_.push_back(layout_.at(line[half_]));
      normals_.push_back((layout_.at(line[half_ + 1]) - layout_.at(line[half_ - 1])).cross(ends_.way(h)).stableNormalized());
    }
    const Vec3 middle = middle_of_patch();
    const Index centre = layout_.add_point(middle, cell_);
    std::vector<std::vector<Index>> spokes;
    for (std::size_t i = 0; i < k; ++i) spokes.push_back(spoke(i, middle, centre));
    Rings rings;
    for (std::size_t i = 0; i < k; ++i) {
      const std::size_t n = (i + 1) % k;
      const auto &s = layout_.profile[out_[i]], &t = layout_.profile[out_[n]];
      std::vector<std::vector<Index>> rows(half_ + 1, std::vector<Index>(half_ + 1));
      for (std::size_t a = 0; a <= half_; ++a) {
        rows[a][0] = s[a];
        rows[0][a] = t[t.size() - 1 - a];
        rows[half_][a] = spokes[i][a];
        rows[a][half_] = spokes[n][a];
      }
      fill(rows);
      add_quads(rows, rings);
    }
    return rings;
  }

 private:
  const Vec3& at(Index p) const { return layout_.at(p); }
  Vec3 onto(const Vec3& p) const { return ball_ ? Vec3(*ball_ + radius_ * (p - *ball_).normalized()) : p; }

  void find_ball() {
    const bool convex = ends_.section(out_[0]).convex;
    if (out_.size() != 3 || !std::all_of(out_.begin(), out_.end(), [&](Index h) { return ends_.section(h).convex == convex && task_.growth[h] == task_.growth[out_[0]]; })) return;
    radius_ = task_.settings.width * task_.growth[out_[0]] * ends_.scale(cell_);
    Eigen::Matrix3d rows;
    for (int i = 0; i < 3; ++i) rows.row(i) = task_.graph.facets[task_.graph.halves[out_[static_cast<std::size_t>(i)]].facet].normal.transpose();
    if (std::abs(rows.determinant()) > 1e-6) ball_ = task_.vertex_of(cell_) + rows.inverse() * Vec3::Constant(convex ? -radius_ : radius_);
  }

  /// Between the strips' middles and where their tangent planes there meet.
  Vec3 middle_of_patch() const {
    Vec3 mean = Vec3::Zero();
    for (const Vec3& m : middles_) mean += m / static_cast<double>(middles_.size());
    if (ball_) return onto(mean);
    Eigen::Matrix3d squares = Eigen::Matrix3d::Zero();
    Vec3 sums = Vec3::Zero(), meeting = Vec3::Zero();
    for (std::size_t i = 0; i < middles_.size(); ++i) squares += normals_[i] * normals_[i].transpose(), sums += normals_[i].dot(middles_[i] - mean) * normals_[i];
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(squares);
    for (int i = 0; i < 3; ++i)
      if (solver.eigenvalues()[i] > 0.05 * solver.eigenvalues()[2]) meeting += solver.eigenvectors().col(i).dot(sums) / solver.eigenvalues()[i] * solver.eigenvectors().col(i);
    const double reach = 2 * (middles_[0] - mean).norm();
    if (meeting.norm() > reach) meeting *= reach / meeting.norm();
    return mean + 0.45 * meeting;
  }

  /// From the middle of a strip's outline to the middle of the patch, leaving along the strip.
  std::vector<Index> spoke(std::size_t i, const Vec3& middle, Index centre) {
    std::vector<Index> line{layout_.profile[out_[i]][half_]};
    const Vec3 &begin = middles_[i], in = -ends_.way(out_[i]), chord = middle - begin;
    const Vec3 control = begin + chord.dot(in) / 2 * in + 0.25 * (chord - chord.dot(in) * in);
    for (std::size_t j = 1; j < half_; ++j) {
      const double x = static_cast<double>(j) / static_cast<double>(half_);
      line.push_back(layout_.add_point(onto((1 - x) * (1 - x) * begin + 2 * x * (1 - x) * control + x * x * middle), cell_));
    }
    line.push_back(centre);
    return line;
  }

  /// A Coons patch (Coons, "Surfaces for Computer-Aided Design of Space Forms", 1967) between four lines.
  void fill(std::vector<std::vector<Index>>& rows) {
    const std::size_t h = half_;
    const auto p = [&](std::size_t a, std::size_t b) -> const Vec3& { return at(rows[a][b]); };
    for (std::size_t a = 1; a < h; ++a)
      for (std::size_t b = 1; b < h; ++b) {
        const double x = static_cast<double>(a) / static_cast<double>(h), y = static_cast<double>(b) / static_cast<double>(h);
        const Vec3 q = (1 - x) * p(0, b) + x * p(h, b) + (1 - y) * p(a, 0) + y * p(a, h) - ((1 - x) * (1 - y) * p(0, 0) + x * (1 - y) * p(h, 0) + (1 - x) * y * p(0, h) + x * y * p(h, h));
        rows[a][b] = layout_.add_point(onto(q), cell_);
      }
  }

  StripLayout& layout_;
  const StripEnds& ends_;
  const BlendTask& task_;
  const std::vector<Index>& out_;
  const Index cell_;
  const std::size_t half_;  // of the segments
  std::vector<Vec3> middles_, normals_;
  std::optional<Vec3> ball_;
  double radius_ = 0;
};

}  // namespace

Rings corner_patch(StripLayout& layout, Index cell) {
  Rings rings;
  if (const auto it = layout.led_over.find(cell); it != layout.led_over.end()) {
    add_quads(it->second, rings);
    return rings;
  }
  const EdgeBlendSettings& settings = layout.ends().task().settings;
  const auto& out = layout.ends().task().graph.cells[cell].out;
  if (settings.round && settings.segments % 2 == 0 && out.size() >= 3 && std::all_of(out.begin(), out.end(), [&](Index h) { return layout.ends().is_finished(h) && layout.sector[h].size() == 1; }))
    return RoundPatch(layout, cell).make();
  std::vector<Index> loop = border(layout, cell);
  if (loop.size() > 2) rings.push_back(std::move(loop));
  return rings;
}

}  // namespace anvil
