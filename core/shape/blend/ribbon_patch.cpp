// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/ribbon_patch.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

namespace anvil {
namespace {

constexpr double ribbon_length = 2.4, flat_length = 1.7;  // times the segments of its side; where the side lies in a facet
constexpr double max_ribbon = 0.45;    // of the radius of a circle as long as the border
constexpr double room_used = 0.35;      // of the radius of a ball between two sides
constexpr double corner_share = 0.6;   // of how far in the ribbons beside it come
constexpr double segments_away = 2.5;  // of the finer side: how far away that is looked at
constexpr double least_at_corner = 0.3;  // of the length that ribbons have where there is room
constexpr double least_onward = 0.5;   // of a slope: goes on in the direction of the strip
constexpr std::size_t least_samples = 64, max_samples = 256;
constexpr std::size_t least_looked_at = 16;  // places along a side

}  // namespace

RibbonPatch::RibbonPatch(std::span<const PatchSide> sides) : sides_(sides) {
  lay_ribbons();
  fill_within();
}

/// The radius of the largest ball that touches the border at a place, lies in a direction from it, and has no point of other sides within.
/// @param side  that the place lies on; at its beginning the side before it counts as the same one
double RibbonPatch::room(std::size_t side, const Vec3& at, const Vec3& way, bool at_begin) const {
  double radius = std::numeric_limits<double>::infinity();
  for (std::size_t i = 0; i < sides_.size(); ++i) {
    if (i == side || (at_begin && i == (side + sides_.size() - 1) % sides_.size())) continue;
    const std::vector<Vec3>& line = sides_[i].at;
    const std::size_t steps = (least_looked_at + line.size() - 2) / (line.size() - 1);
    for (std::size_t k = 0; k + 1 < line.size(); ++k)
      for (std::size_t step = 0; step <= steps; ++step) {
        const double x = static_cast<double>(step) / static_cast<double>(steps);
        const Vec3 v = (1 - x) * line[k] + x * line[k + 1] - at;
        if (const double ahead = v.dot(way); ahead > 0) radius = std::min(radius, v.squaredNorm() / (2 * ahead));
      }
  }
  return radius;
}

/// How far the ribbon goes where a side begins: between both sides, and off the facet as far as the first faces of both strips ask for in the mean.
/// @param least, size  the shorter and the longer one of what ribbons of both sides have where there is room
Vec3 RibbonPatch::at_corner(std::size_t side, double least, double size) {
  const PatchSide &s = sides_[side], &before = sides_[(side + sides_.size() - 1) % sides_.size()];
  const Vec3 &p = s.at.front(), &prev = before.at[before.at.size() - 2], &next = s.at[1];
  const Vec3 n = s.normal.front().isZero() ? before.normal.back() : s.normal.front();
  const Vec3 way = n.cross((next - p).stableNormalized() + (p - prev).stableNormalized()).stableNormalized();
  // As far in as the ribbons beside it, some segments away, and a little less.
  const std::size_t last = before.at.size() - 1, other = (side + sides_.size() - 1) % sides_.size();
  const double away = segments_away * std::min((next - p).norm(), (prev - p).norm());
  const auto inwards = [&](const std::vector<Vec3>& at, const std::vector<Vec3>& ribbons, bool forward) {
    double gone = 0;
    for (std::size_t k = 1; k < at.size(); ++k) {
      const std::size_t from = forward ? k - 1 : last - (k - 1), to = forward ? k : last - k;
      const double step = (at[to] - at[from]).norm(), x = std::min(1.0, (away - gone) / step);
      const Vec3 first = k == 1 ? Vec3(Vec3::Zero()) : ribbons[from];
      if (x < 1 || k + 1 == at.size()) return ((1 - x) * (at[from] + first) + x * (at[to] + ribbons[to]) - p).dot(way);
      gone += step;
    }
    return 0.0;
  };
  const double beside = std::min(inwards(s.at, ribbons_[side], true), inwards(before.at, ribbons_[other], false));
  const bool turns_in = (next - p).dot(way) < 0 || (prev - p).dot(way) < 0;
  const Vec3 flat = (turns_in ? std::min(corner_share * size, room_used * room(side, p, way, true)) : std::max(corner_share * beside, least_at_corner * least)) * way;
  // What the first two faces on either side ask for.
  double off = 0;
  int count = 0;
  const auto ask = [&](const Vec3& from, const Vec3& to, const Vec3& onward) {
    const Vec3 m = onward.cross(to - from);
    if (const double slope = m.dot(n); std::abs(slope) > 0.5 * m.norm()) off += m.dot(from - p - flat) / slope, ++count;
  };
  for (std::size_t i = 0; i < 2 && i + 1 < s.at.size(); ++i) ask(s.at[i], s.at[i + 1], s.onward.front());
  for (std::size_t i = before.at.size() - 1; i-- > 0 && i + 3 > before.at.size();) ask(before.at[i], before.at[i + 1], before.onward.back());
  return count > 0 ? Vec3(flat + off / count * n) : flat;
}

void RibbonPatch::lay_ribbons() {
  double perimeter = 0;
  std::vector<double> length;
  for (const PatchSide& s : sides_) {
    double sum = 0;
    for (std::size_t k = 0; k + 1 < s.at.size(); ++k) sum += (s.at[k + 1] - s.at[k]).norm();
    length.push_back(sum), perimeter += sum;
  }
  Vec3 middle = Vec3::Zero();
  for (const PatchSide& s : sides_) middle += (s.at.front() + s.at[s.at.size() / 2]) / (2 * static_cast<double>(sides_.size()));
  const double most = max_ribbon * perimeter / (2 * std::numbers::pi);
  std::vector<double> size;
  for (std::size_t i = 0; i < sides_.size(); ++i) {
    const PatchSide& s = sides_[i];
    const bool flat = std::all_of(s.normal.begin(), s.normal.end(), [&](const Vec3& n) { return n == s.normal[0]; });
    size.push_back(std::min(most, (flat ? flat_length : ribbon_length) * length[i] / s.segments()));
    auto& ribbons = ribbons_.emplace_back();
    for (std::size_t k = 0; k < s.at.size(); ++k) {
      const Vec3 way = s.onward[k].isZero() ? Vec3((middle - s.at[k]).stableNormalized()) : s.onward[k];
      ribbons.push_back(std::min(size[i], room_used * room(i, s.at[k], way, false)) * way);
    }
  }
  for (std::size_t i = 0; i < sides_.size(); ++i) {
    const std::size_t before = (i + sides_.size() - 1) % sides_.size();
    ribbons_[i].front() = ribbons_[before].back() = at_corner(i, std::min(size[i], size[before]), std::max(size[i], size[before]));
  }
}

void RibbonPatch::fill_within() {
  std::vector<Vec3> line;
  for (std::size_t i = 0; i < sides_.size(); ++i)
    for (Index k = 0; k < sides_[i].segments(); ++k) {
      along_.push_back(static_cast<double>(i) + static_cast<double>(k) / sides_[i].segments());
      line.push_back(ribbon(along_.back(), 1));
    }
  along_.push_back(static_cast<double>(sides_.size())), line.push_back(line.front());
  reach_.push_back(0);
  for (std::size_t k = 1; k < line.size(); ++k) reach_.push_back(reach_.back() + (line[k] - line[k - 1]).norm());
  const std::size_t samples = std::clamp(line.size(), least_samples, max_samples);
  std::vector<Vec3> at, normal, onward;
  for (std::size_t k = 0, j = 0; k < samples; ++k) {
    const double length = reach_.back() * static_cast<double>(k) / static_cast<double>(samples);
    while (j + 2 < reach_.size() && reach_[j + 1] <= length) ++j;
    const double step = reach_[j + 1] - reach_[j], x = step > 0 ? (length - reach_[j]) / step : 0, along = along_[j] + x * (along_[j + 1] - along_[j]);
    at.push_back((1 - x) * line[j] + x * line[j + 1]);
    const PatchSide& s = sides_[std::min(static_cast<std::size_t>(along), sides_.size() - 1)];
    const double place = (along - std::floor(along)) * s.segments();
    const auto p = std::min(static_cast<std::size_t>(place), s.at.size() - 2);
    const double y = place - static_cast<double>(p);
    normal.push_back(((1 - y) * s.normal[p] + y * s.normal[p + 1]).stableNormalized());
    onward.push_back(((1 - y) * s.onward[p] + y * s.onward[p + 1]).stableNormalized());
  }
  BiharmonicDisc& disc = within_.emplace_back(at);
  std::vector<Vec3> slopes = disc.natural_slopes();
  for (std::size_t k = 0; k < samples; ++k) {
    const Vec3 in = -slopes[k], &n = normal[k], &on = onward[k];
    if (on.isZero()) continue;
    Vec3 along = in - in.dot(n) * n;
    const double ahead = along.dot(on), least = least_onward * in.norm();
    if (ahead < least) along += (least - ahead) * on;
    const double turn = std::atan2(along.cross(in).norm(), along.dot(in)), root = std::cos(turn / 2);
    slopes[k] = -in.norm() / std::max(0.5, root * root) * along.stableNormalized();
  }
  disc.set_slopes(slopes);
}

/// On the ribbon, or between two of them, at a share of its length.
Vec3 RibbonPatch::ribbon(double along, double share) const {
  const auto i = std::min(static_cast<std::size_t>(along), sides_.size() - 1);
  const PatchSide& s = sides_[i];
  const double place = (along - static_cast<double>(i)) * s.segments();
  const std::size_t k = std::min(static_cast<std::size_t>(place + 1e-9), s.at.size() - 2);
  const double x = std::clamp(place - static_cast<double>(k), 0.0, 1.0);
  Vec3 p = (1 - x) * (s.at[k] + share * ribbons_[i][k]) + x * (s.at[k + 1] + share * ribbons_[i][k + 1]);
  if (k > 0 && k + 2 < s.at.size()) {
    // Between the planes of this face of the strip and of its neighbours.
    const Vec3 bow = (s.at[k] + s.at[k + 1] - s.at[k - 1] - s.at[k + 2]) / 2;
    p += x * (1 - x) * share * (bow - bow.dot(s.onward[k]) * s.onward[k]);
  }
  return p;
}

Vec3 RibbonPatch::at(double along, double depth) const {
  if (depth <= ribbon_depth) return ribbon(along, depth / ribbon_depth);
  const auto j = static_cast<std::size_t>(std::upper_bound(along_.begin(), along_.end() - 1, along) - along_.begin());
  const double x = (along - along_[j - 1]) / (along_[j] - along_[j - 1]), length = reach_[j - 1] + x * (reach_[j] - reach_[j - 1]);
  return within_[0].at((1 - depth) / (1 - ribbon_depth), reach_.back() > 0 ? length / reach_.back() : 0);
}

}  // namespace anvil
