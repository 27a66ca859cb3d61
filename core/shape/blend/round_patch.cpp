// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/round_patch.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <optional>

#include "core/shape/blend/ribbon_patch.h"
#include "core/shape/blend/ringed_disc.h"

namespace anvil {
namespace {

// Faces per segment of the border: with them, and the strips', there are fewer new faces than 4 times edges times segments.
constexpr double ball_faces = 1.44, patch_faces = 1.5, lone_patch_faces = 2, least_faces = 1.3;
constexpr double ball_share = 0.5, patch_share = 0.3;  // of the segments on the next ring: a ball keeps its shape in the middle, a patch its tangents
constexpr double least_spread = 1e-10;   // determinant of the sum of n nᵀ: below it the facets lie in one plane
constexpr double touches_within = 1e-6;  // of the radius
constexpr double least_arc = 1e-6;       // radians

class Patch {
 public:
  Patch(StripLayout& layout, Index cell) : layout_(layout), ends_(layout.ends()), task_(ends_.task()), out_(task_.graph.cells[cell].out), cell_(cell) {}

  std::vector<std::vector<Index>> make() {
    find_sides();
    find_ball();
    RingedDisc disc;
    for (const PatchSide& side : sides_) disc.sides.push_back({side.points, side.at});
    disc.add_point = [&](const Vec3& p) { return layout_.add_point(p, cell_); };
    disc.inner_share = patch_share;
    disc.faces_per_segment = patch_faces;
    if (ball_) {
      if (sides_.size() == 3) disc.inner_share = ball_share, disc.faces_per_segment = ball_faces;
      find_middle();
      disc.place = [&](double along, double depth) { return depth == 1 ? middle_ : on_ball(along, depth); };
      return disc.faces();
    }
    disc.faces_per_segment = std::clamp(faces_left(), least_faces, patch_faces);
    const RibbonPatch patch(sides_);
    disc.first_depth = RibbonPatch::ribbon_depth;
    disc.divides_corners = true;
    disc.place = [&](double along, double depth) { return patch.at(along, depth); };
    return disc.faces();
  }

 private:
  void find_sides() {
    for (Index h : out_) {
      if (!ends_.is_finished(h)) continue;
      PatchSide side;  // from the strip's right to its left, against the order of its outline
      const auto& line = layout_.profile[h];
      const CrossSection section = ends_.section(h);
      const auto& end = layout_.profile[ends_.opposite(h)];
      const std::size_t n = line.size();
      for (std::size_t k = n; k-- > 0;) {
        const Vec3 along = layout_.at(line[k == 0 ? 0 : k - 1]) - layout_.at(line[std::min(k + 1, n - 1)]);
        const Vec3 normal = k == 0 ? section.way.cross(section.left) : k + 1 == n ? section.right.cross(section.way) : Vec3(section.way.cross(along).stableNormalized());
        side.points.push_back(line[k]);
        side.at.push_back(layout_.at(line[k]));
        side.normal.push_back(normal);
        side.onward.push_back((layout_.at(line[k]) - layout_.at(end[n - 1 - k])).stableNormalized());
      }
      sides_.push_back(std::move(side));
      add_sector(h);
    }
  }

  /// Per segment of the border, that of the curves between strips included: strips that end elsewhere without a patch leave more.
  double faces_left() const {
    double segments = 0, faces = 0;
    for (const PatchSide& side : sides_) segments += side.segments();
    for (Index h : out_)
      if (ends_.is_finished(h)) faces += static_cast<double>(layout_.profile[h].size() - 1) * (takes_round_patch(layout_, ends_.cell(ends_.opposite(h))) ? patch_faces : lone_patch_faces);
    return faces / segments;
  }

  /// Between two strips: within a facet the patch is tangent to it; along edges that stay it ends as it comes.
  void add_sector(Index h) {
    const auto& sector = layout_.sector[h];
    if (sector.size() < 2) return;
    const Index facet = task_.graph.halves[h].facet;
    const bool flat = std::all_of(sector.begin(), sector.end(), [&](Index p) { return layout_.lies_in(p, facet); });
    PatchSide& side = sides_.emplace_back();
    const std::size_t n = sector.size();
    for (std::size_t k = n; k-- > 0;) {
      const Vec3 normal = flat ? task_.graph.facets[facet].normal : Vec3(Vec3::Zero());
      const Vec3 along = layout_.at(sector[k == 0 ? 0 : k - 1]) - layout_.at(sector[std::min(k + 1, n - 1)]);
      side.points.push_back(sector[k]);
      side.at.push_back(layout_.at(sector[k]));
      side.normal.push_back(normal);
      side.onward.push_back(normal.cross(along).stableNormalized());
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

  /// On the ball, before the mean of the strips' outlines.
  void find_middle() {
    Vec3 mean = Vec3::Zero(), out = Vec3::Zero();
    for (const PatchSide& s : sides_) mean += (s.at[s.at.size() / 2] + s.at[(s.at.size() - 1) / 2]) / (2 * static_cast<double>(sides_.size()));
    for (const PatchSide& s : sides_) out += s.normal[s.at.size() / 2] + s.normal[(s.at.size() - 1) / 2];
    middle_ = onto(mean + 1e-3 * radius_ * (ends_.section(out_[0]).convex ? 1.0 : -1.0) * out.stableNormalized());
  }

  Vec3 onto(const Vec3& p) const { return *ball_ + radius_ * (p - *ball_).normalized(); }

  /// On the arc from a border point to the middle.
  Vec3 on_arc(const Vec3& p, double t) const {
    const Vec3 a = (p - *ball_) / radius_, b = (middle_ - *ball_) / radius_;
    const double angle = std::atan2(a.cross(b).norm(), a.dot(b));
    if (angle < least_arc) return onto((1 - t) * p + t * middle_);
    return *ball_ + radius_ * ((std::sin((1 - t) * angle) * a + std::sin(t * angle) * b) / std::sin(angle)).normalized();
  }

  /// Between the arcs of neighbouring border points, by a cubic through four of them.
  Vec3 on_ball(double parameter, double t) const {
    const auto side = std::min(static_cast<std::size_t>(parameter), sides_.size() - 1);
    const PatchSide& s = sides_[side];
    const double place = (parameter - static_cast<double>(side)) * s.segments();
    const auto k = std::min(static_cast<std::ptrdiff_t>(place + 1e-9), static_cast<std::ptrdiff_t>(s.segments() - 1));
    const double x = place - static_cast<double>(k);
    const auto arc = [&](std::ptrdiff_t i) { return on_arc(s.at[static_cast<std::size_t>(i)], t); };
    const Vec3 b = arc(k), c = arc(k + 1);
    if (std::abs(x) < 1e-6) return b;
    if (std::abs(x - 1) < 1e-6) return c;
    const Vec3 a = k > 0 ? arc(k - 1) : Vec3(2 * b - c), d = k + 2 < static_cast<std::ptrdiff_t>(s.at.size()) ? arc(k + 2) : Vec3(2 * c - b);
    const Vec3 p = b + x / 2 * (c - a + x * (2 * a - 5 * b + 4 * c - d + x * (3 * (b - c) + d - a)));
    return onto(p);
  }

  StripLayout& layout_;
  const StripEnds& ends_;
  const BlendTask& task_;
  const std::vector<Index>& out_;
  const Index cell_;
  std::vector<PatchSide> sides_;
  std::optional<Vec3> ball_;
  double radius_ = 0;
  Vec3 middle_ = Vec3::Zero();
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
