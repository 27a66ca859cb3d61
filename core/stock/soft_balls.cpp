// SPDX-License-Identifier: GPL-3.0-or-later
// Soft balls: where a sum of fields, one around each point, uneven by noise, is above a threshold.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/outline.h"
#include "core/recast/field_lines.h"
#include "core/recast/noise.h"
#include "core/stock/kinds.h"

namespace anvil {
namespace {

using recast::FieldSample;
using recast::noise;

/// Each ball adds (1 - d²/R²)³ at the distance d within its reach R (after Wyvill, McPheeters and Wyvill, "Data structure for soft objects", The Visual Computer 2, 1986, whose polynomial has
/// the same ends); noise multiplies the sum, so that nothing is where no ball reaches.
class SoftBalls {
 public:
  explicit SoftBalls(const FieldReader& f)
      : centres_(parse_path(f.text("centres"))->points), threshold_(f.number("threshold")), uneven_(f.number("uneven")), grain_(f.number("grain")), seed_(f.count("seed")) {
    // Each alone is as thick as asked for.
    reach_ = f.number("diameter") / 2 / std::sqrt(1 - std::cbrt(threshold_));
  }

  Box3 box() const {
    Box3 box;
    for (const Vec3& c : centres_) box.add(c - Vec3::Constant(reach_)), box.add(c + Vec3::Constant(reach_));
    return box;
  }
  FieldSample at(const Vec3& p) const {
    double sum = 0;
    Vec3 gradient = Vec3::Zero();
    for (const Vec3& c : centres_) {
      const Vec3 way = p - c;
      const double left = 1 - way.squaredNorm() / (reach_ * reach_);
      if (left <= 0) continue;
      sum += left * left * left;
      gradient -= 6 * left * left / (reach_ * reach_) * way;
    }
    if (uneven_ > 0 && sum > 0) {
      const recast::NoiseSample rough = noise(p / grain_, seed_);
      gradient = (1 + uneven_ * rough.value) * gradient + sum * uneven_ / grain_ * rough.gradient;
      sum *= 1 + uneven_ * rough.value;
    }
    // About how far away the surface is; not known where the sum does not change.
    const double slope = gradient.norm(), value = threshold_ - sum;
    if (!(slope * reach_ > std::abs(value))) return {value > 0 ? reach_ : -reach_, Vec3::Zero(), no_index};
    return {value / slope, -gradient / slope, no_index};
  }
  bool may_vanish(const Vec3& p, double around) const {
    constexpr double steepest = 1.718;  // of one ball, in units of its reach: at the distance of 1/√5
    double sum = 0, balls = 0;
    for (const Vec3& c : centres_) {
      const double left = 1 - (p - c).squaredNorm() / (reach_ * reach_);
      if (left > 0) sum += left * left * left;
      balls += (p - c).norm() < reach_ + around;
    }
    const double rough = uneven_ > 0 && sum > 0 ? 1 + uneven_ * noise(p / grain_, seed_).value : 1;
    return std::abs(sum * rough - threshold_) <= around * balls * (steepest / reach_ * (1 + uneven_) + uneven_ * recast::noise_steepest / grain_);
  }

 private:
  std::vector<Vec3> centres_;
  double threshold_, uneven_, grain_, reach_;
  Index seed_;
};

Result<Mesh> melt(const FieldReader& f) {
  const SoftBalls balls(f);
  const recast::Field field{[&](const Vec3& p) { return balls.at(p); }, 1, [&](const Vec3& p, double around) { return balls.may_vanish(p, around); }};
  OperationReport report;
  const Control control;
  boolean::StageClock stage(report, control);
  Result<recast::Skin> skin = recast::lay_skin(recast::ground_of(field, balls.box(), control), "", {f.number("detail"), false}, stage, control);
  if (!skin) return skin.issue();
  return std::move(skin->mesh);
}

std::optional<Issue> check(const FieldReader& f) {
  constexpr double most = 400;  // edges along the size: it is made at once, whenever a number changes
  const double size = SoftBalls(f).box().diagonal();
  if (f.number("detail") * most >= size) return std::nullopt;
  return Issue{fmt::format("a detail of {:.3g} mm is too fine for balls of {:.3g} mm together", f.number("detail"), size), "", {}, fmt::format("take {:.2g} mm or more, and recast the part finer", size / most)};
}

}  // namespace

StockKind soft_balls_kind() {
  return {"soft-balls", "Soft balls", "soft_balls", "Balls that run into each other, even or rough: where the sum of their fields is above a threshold.",
          {length_field("diameter", "Diameter", 16, "Of each ball alone."), path_field("centres", "Balls at", "The middles of the balls: \"x,y,z x,y,z\".", "0,0,0 14,3,2 5,12,1"),
           share_field("threshold", "Threshold", 0.3, 0.01, 0.95, "The sum at which the surface lies. The lower, the farther balls that are near each other reach out to each other."),
           share_field("uneven", "Uneven", 0, 0, 1, "How much noise makes the sum stronger here and weaker there; 0: none."), folded(length_field("grain", "Grain", 4, "About how far apart the noise's highs and lows are.")),
           folded(count_field("seed", "Seed", 1, 0, 1e6, "Another number is other noise.")), folded(length_field("detail", "Detail", 1, "About how long the edges of the surface are."))},
          melt, check};
}

}  // namespace anvil
