// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/corner.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <optional>

namespace anvil::recast {
namespace {

double largest_residual(std::span<const Tangent> tangents, const Vec3& x) {
  double largest = 0;
  for (const Tangent& t : tangents) largest = std::max(largest, std::abs(t.normal.dot(x - t.point)));
  return largest;
}

/// The part of the line x + t d within the box.
std::optional<std::pair<double, double>> clipped(const Vec3& x, const Vec3& d, const Box3& box) {
  double from = -1e300, to = 1e300;
  for (int axis = 0; axis < 3; ++axis) {
    if (std::abs(d[axis]) < 1e-12) {
      if (x[axis] < box.lo[axis] || x[axis] > box.hi[axis]) return std::nullopt;
      continue;
    }
    double a = (box.lo[axis] - x[axis]) / d[axis], b = (box.hi[axis] - x[axis]) / d[axis];
    if (a > b) std::swap(a, b);
    from = std::max(from, a);
    to = std::min(to, b);
  }
  if (from > to) return std::nullopt;
  return std::pair{from, to};
}

}  // namespace

Corner corner_of(std::span<const Tangent> tangents, const Box3& box) {
  constexpr double flat = 0.001;      // of the box: a surface that fits so well is flat enough
  constexpr double fair = 0.02;       // likewise: and so well it may be left at
  constexpr double much_better = 0.35;  // of the residual: what a higher rank has to come down to
  constexpr double spread = 1e-4;     // of the largest eigenvalue: squares of sines of half a degree and more
  const double size = box.size().maxCoeff();
  Vec3 middle = Vec3::Zero();
  for (const Tangent& t : tangents) middle += t.point;
  middle /= static_cast<double>(tangents.size());
  Eigen::Matrix3d ata = Eigen::Matrix3d::Zero();
  Vec3 atb = Vec3::Zero();
  for (const Tangent& t : tangents) {
    ata += t.normal * t.normal.transpose();
    atb += t.normal * t.normal.dot(t.point - middle);
  }
  Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver;
  solver.computeDirect(ata);
  const Vec3 values = solver.eigenvalues();  // ascending
  const Eigen::Matrix3d vectors = solver.eigenvectors();
  if (!(values[2] > 1e-12)) return {middle, 0, 0, middle, true, true};
  const auto solution = [&](int rank) {
    Vec3 x = middle;
    for (int k = 3 - rank; k < 3; ++k) x += vectors.col(k).dot(atb) / values[k] * vectors.col(k);
    return x;
  };
  const Vec3 on_one = solution(1);
  double residual = largest_residual(tangents, on_one);
  const bool is_flat = residual <= fair * size;
  Corner best{on_one, 1, 0, on_one, is_flat, is_flat};
  if (residual <= flat * size || values[1] < spread * values[2]) return best;
  // On a line, as near the middle as the box allows.
  if (const Vec3 x = solution(2); true) {
    const Vec3 d = vectors.col(0);
    if (const auto part = clipped(x, d, box)) {
      const double margin = 0.05 * (part->second - part->first);
      const Vec3 on = x + std::clamp(0.0, part->first + margin, part->second - margin) * d;
      const double now = largest_residual(tangents, on);
      if (now < much_better * residual) best = {on, 2, values[1] / values[2], on_one, now <= fair * size, is_flat}, residual = now;
    }
  }
  if (residual <= flat * size || values[0] < spread * values[2]) return best;
  const Vec3 x = solution(3);
  // The tip of a sharp corner may stick through one side of the box and cross none of its edges.
  const double reach = (values[0] > 0.1 * values[2] ? 0.6 : 0.02) * size;
  const Vec3 off = (x - box.centre()).cwiseAbs();
  const double now = largest_residual(tangents, x);
  if (off.maxCoeff() <= 0.5 * size + reach && now < much_better * residual) best = {x, 3, values[0] / values[2], on_one, now <= fair * size, is_flat};
  return best;
}

std::optional<Corner> edge_beside(std::span<const Tangent> tangents, const Vec3& point, const Box3& box, const std::function<Tangent(const Vec3&)>& nearest, double slack) {
  constexpr std::size_t most = 8;
  constexpr double one_plane = 0.9998;  // cosine
  std::vector<Tangent> planes;
  for (const Tangent& t : tangents)
    if (planes.size() < most && std::all_of(planes.begin(), planes.end(), [&](const Tangent& known) { return std::abs(known.normal.dot(t.normal)) < one_plane; })) planes.push_back(t);
  std::optional<Corner> found;
  for (std::size_t i = 0; i < planes.size(); ++i)
    for (std::size_t j = i + 1; j < planes.size(); ++j) {
      // From the point by a n + b m onto both planes, then along their line into the box.
      const Vec3 &n = planes[i].normal, &m = planes[j].normal;
      const double c = n.dot(m);
      if (std::abs(c) >= hardly_sharp_cosine) continue;
      const double to_n = n.dot(planes[i].point - point), to_m = m.dot(planes[j].point - point), det = 1 - c * c;
      const Vec3 x = point + (to_n - c * to_m) / det * n + (to_m - c * to_n) / det * m, along = n.cross(m);
      const auto part = clipped(x, along, box);
      if (!part) continue;
      const double margin = 0.05 * (part->second - part->first);
      const Vec3 on = x + std::clamp(0.0, part->first + margin, part->second - margin) * along;
      if (found && (found->position - point).norm() <= (on - point).norm()) continue;
      if ((nearest(on).point - on).norm() <= slack) found = Corner{on, 2, (1 - std::abs(c)) / (1 + std::abs(c)), point, true, false};
    }
  return found;
}

}  // namespace anvil::recast
