// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/round_patch.h"

#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <optional>

#include "core/shape/blend/ringed_disc.h"

namespace anvil {
namespace {

// Faces per segment of the border: with them, and the strips', there are fewer new faces than 4 times edges times segments.
constexpr double ball_faces = 1.44, patch_faces = 1.5;
constexpr double ball_share = 0.5, patch_share = 0.3;  // of the segments on the next ring: a ball keeps its shape in the middle, a patch its tangents
constexpr double first_ring_of_patch = 1.8;  // which has no curvature at its border
constexpr double flat_share = 0.05;      // of the greatest eigenvalue: directions in which normals say less have no say
constexpr double least_spread = 1e-10;   // determinant of the sum of n nᵀ: below it the facets lie in one plane
constexpr double touches_within = 1e-6;  // of the radius
constexpr double max_reach = 2;          // times the size of the border: no farther away do tangent planes meet

/// A piece of the border between two corners.
struct Side {
  std::vector<Vec3> at, normal;  ///< along it, both ends included; normal: of the strip that ends there, zero where none does
  std::vector<Index> points;     ///< the same
  Index segments() const { return static_cast<Index>(at.size() - 1); }
};

class Patch {
 public:
  Patch(StripLayout& layout, Index cell) : layout_(layout), ends_(layout.ends()), task_(ends_.task()), out_(task_.graph.cells[cell].out), cell_(cell) {}

  std::vector<std::vector<Index>> make() {
    find_sides();
    find_ball();
    find_middle();
    RingedDisc disc;
    for (const Side& side : sides_) disc.sides.push_back({side.points, side.at});
    const bool is_ball = ball_ && out_.size() == 3;
    disc.inner_share = is_ball ? ball_share : patch_share;
    disc.faces_per_segment = is_ball ? ball_faces : patch_faces;
    if (!ball_) disc.first_ring = first_ring_of_patch, disc.stiffness = 2;
    disc.place = [&](double along, double depth) { return depth == 1 ? middle_ : at(along, depth); };
    disc.add_point = [&](const Vec3& p) { return layout_.add_point(p, cell_); };
    return disc.faces();
  }

 private:
  void find_sides() {
    for (Index h : out_) {
      if (!ends_.is_finished(h)) continue;
      Side side;  // from the strip's right to its left, against the order of its outline
      const auto& line = layout_.profile[h];
      const CrossSection section = ends_.section(h);
      const std::size_t n = line.size();
      for (std::size_t k = n; k-- > 0;) {
        const Vec3 along = layout_.at(line[k == 0 ? 0 : k - 1]) - layout_.at(line[std::min(k + 1, n - 1)]);
        const Vec3 normal = k == 0 ? section.way.cross(section.left) : k + 1 == n ? section.right.cross(section.way) : Vec3(section.way.cross(along).stableNormalized());
        side.points.push_back(line[k]);
        side.at.push_back(layout_.at(line[k]));
        side.normal.push_back(normal);
      }
      middles_.push_back(n % 2 == 1 ? side.at[n / 2] : Vec3((side.at[n / 2] + side.at[n / 2 - 1]) / 2));
      normals_.push_back(n % 2 == 1 ? side.normal[n / 2] : Vec3((side.normal[n / 2] + side.normal[n / 2 - 1]).stableNormalized()));
      sides_.push_back(std::move(side));
      const auto& sector = layout_.sector[h];
      if (sector.size() < 2) continue;
      Side& between = sides_.emplace_back();
      for (std::size_t k = sector.size(); k-- > 0;) between.points.push_back(sector[k]), between.at.push_back(layout_.at(sector[k])), between.normal.push_back(Vec3::Zero());
    }
  }

  /// The ball that touches all facets, if there is one, where the strips of edges of one kind and radius end: there always is where three meet.
  void find_ball() {
    const bool convex = ends_.section(out_[0]).convex;
    if (sides_.size() != out_.size() || !std::all_of(out_.begin(), out_.end(), [&](Index h) { return ends_.section(h).convex == convex && task_.growth[h] == task_.growth[out_[0]]; })) return;
    radius_ = task_.settings.width * task_.growth[out_[0]] * ends_.scale(cell_);
    Eigen::Matrix3d squares = Eigen::Matrix3d::Zero();
    Vec3 sum = Vec3::Zero();
    const auto normal = [&](Index h) -> const Vec3& { return task_.graph.facets[task_.graph.halves[h].facet].normal; };
    for (Index h : out_) squares += normal(h) * normal(h).transpose(), sum += normal(h);
    if (squares.determinant() < least_spread) return;
    const Vec3 off = squares.inverse() * sum * (convex ? -radius_ : radius_);
    if (std::all_of(out_.begin(), out_.end(), [&](Index h) { return std::abs(std::abs(normal(h).dot(off)) - radius_) < touches_within * radius_; })) ball_ = task_.vertex_of(cell_) + off;
  }

  /// Between the strips' middles and where their tangent planes there meet: where the ball would be that touches these, were it one.
  void find_middle() {
    const double count = static_cast<double>(middles_.size());
    Vec3 mean = Vec3::Zero();
    for (const Vec3& m : middles_) mean += m / count;
    up_ = Vec3::Zero();
    for (const Vec3& n : normals_) up_ += n;
    if (up_.norm() < 0.1 * count) {
      up_ = Vec3::Zero();
      for (const Side& s : sides_)
        for (std::size_t k = 0; k + 1 < s.at.size(); ++k) up_ += (s.at[k] - mean).cross(s.at[k + 1] - mean);
    }
    up_ = up_.stableNormalized();
    if (ball_) {
      middle_ = onto(mean + 1e-3 * radius_ * (ends_.section(out_[0]).convex ? up_ : Vec3(-up_)));
      return;
    }
    Eigen::Matrix3d squares = Eigen::Matrix3d::Zero();
    Vec3 sums = Vec3::Zero(), meeting = Vec3::Zero();
    double size = 0, cosine = 0;
    for (std::size_t i = 0; i < middles_.size(); ++i) {
      squares += normals_[i] * normals_[i].transpose();
      sums += normals_[i].dot(middles_[i] - mean) * normals_[i];
      size = std::max(size, (middles_[i] - mean).norm());
      cosine += std::max(0.0, normals_[i].dot(up_)) / count;
    }
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(squares);
    for (int i = 0; i < 3; ++i)
      if (solver.eigenvalues()[i] > flat_share * solver.eigenvalues()[2]) meeting += solver.eigenvectors().col(i).dot(sums) / solver.eigenvalues()[i] * solver.eigenvectors().col(i);
    if (meeting.norm() > max_reach * size) meeting *= max_reach * size / meeting.norm();
    middle_ = mean + cosine / (1 + cosine) * meeting;
  }

  Vec3 onto(const Vec3& p) const { return *ball_ + radius_ * (p - *ball_).normalized(); }

  /// On the line from a border point to the middle.
  Vec3 on_line(const Vec3& p, const Vec3& normal, double t) const {
    if (ball_) {
      const Vec3 a = (p - *ball_) / radius_, b = (middle_ - *ball_) / radius_;
      const double angle = std::atan2(a.cross(b).norm(), a.dot(b));
      return *ball_ + radius_ * ((std::sin((1 - t) * angle) * a + std::sin(t * angle) * b) / std::sin(angle)).normalized();
    }
    const Vec3 chord = middle_ - p, out = chord - chord.dot(normal) * normal, in = chord - chord.dot(up_) * up_;
    const double c = chord.norm(), turn = std::atan2(out.cross(in).norm(), out.dot(in)), root = std::cos(turn / 4), length = c / (root * root);
    // Shorter where the tangent plane stands steeply to the chord.
    const auto speed = [&](const Vec3& v) -> Vec3 { return v.norm() < 1e-9 * c ? Vec3(Vec3::Zero()) : Vec3(v.normalized() * length * std::min(1.0, 3 * v.norm() / c)); };
    const Vec3 a = speed(out) / 5, b = speed(in) / 5;
    const Vec3 control[6] = {p, p + a, p + 2 * a, middle_ - 2 * b, middle_ - b, middle_};
    constexpr double choose[6] = {1, 5, 10, 10, 5, 1};
    Vec3 at = Vec3::Zero();
    for (int i = 0; i < 6; ++i) at += choose[i] * std::pow(t, i) * std::pow(1 - t, 5 - i) * control[i];
    return at;
  }

  /// Between the lines of neighbouring border points, by a cubic through four of them.
  Vec3 at(double parameter, double t) const {
    const auto side = std::min(static_cast<std::size_t>(parameter), sides_.size() - 1);
    const Side& s = sides_[side];
    const double place = (parameter - static_cast<double>(side)) * s.segments();
    const auto k = std::min(static_cast<std::ptrdiff_t>(place + 1e-9), static_cast<std::ptrdiff_t>(s.segments() - 1));
    const double x = place - static_cast<double>(k);
    const auto line = [&](std::ptrdiff_t i) -> Vec3 { return on_line(s.at[static_cast<std::size_t>(i)], s.normal[static_cast<std::size_t>(i)], t); };
    const Vec3 b = line(k), c = line(k + 1);
    if (std::abs(x) < 1e-6) return b;
    if (std::abs(x - 1) < 1e-6) return c;
    const Vec3 a = k > 0 ? line(k - 1) : Vec3(2 * b - c), d = k + 2 < static_cast<std::ptrdiff_t>(s.at.size()) ? line(k + 2) : Vec3(2 * c - b);
    const Vec3 p = b + x / 2 * (c - a + x * (2 * a - 5 * b + 4 * c - d + x * (3 * (b - c) + d - a)));
    return ball_ ? onto(p) : p;
  }

  StripLayout& layout_;
  const StripEnds& ends_;
  const BlendTask& task_;
  const std::vector<Index>& out_;
  const Index cell_;
  std::vector<Side> sides_;
  std::vector<Vec3> middles_, normals_;  // of strips
  std::optional<Vec3> ball_;
  double radius_ = 0;
  Vec3 middle_ = Vec3::Zero(), up_ = Vec3::Zero();
};

}  // namespace

bool takes_round_patch(const StripLayout& layout, Index cell) {
  const BlendTask& task = layout.ends().task();
  if (!task.settings.round || task.settings.segments < 2) return false;
  const auto& out = task.graph.cells[cell].out;
  return std::count_if(out.begin(), out.end(), [&](Index h) { return layout.ends().is_finished(h); }) >= 3;
}

std::vector<std::vector<Index>> round_patch(StripLayout& layout, Index cell) { return Patch(layout, cell).make(); }

}  // namespace anvil
