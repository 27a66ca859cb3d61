// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/repair.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/boolean/contradiction.h"
#include "core/boolean/invalid_triangles.h"

namespace anvil::boolean {
namespace {

constexpr const char* diverges = "faces meet in ever more points";

/// How many times two the smallest step contact closes in a round of settling. More each time ends most trouble; where
/// near faces lie many deep, the same each time does.
int contact_bits(int level, int round) {
  switch (level) {
    case 0: return 4 * (round + 1);
    case 1: return 8;
    case 2: return 14;
    default: return 20 + 4 * round;
  }
}

/// The same where rounding was to 32 bits.
constexpr int max_float_contact_bits = 10;
int float_contact_bits(int level, int round) {
  switch (level) {
    case 0: return std::min(round + 2, max_float_contact_bits);
    case 1: return 2;
    case 3: return -2;  // where slivers lie a few steps apart, more makes ever more of them
    default: return std::min(2 * round + 2, max_float_contact_bits);
  }
}

/// Of the triangles marked.
double largest_coordinate(const Rounded& rounded, std::span<const char> marked) {
  double largest = 0;
  for (std::size_t i = 0; i < marked.size(); ++i)
    for (Index v : rounded.triangles[i])
      if (marked[i]) largest = std::max(largest, rounded.points[v].cwiseAbs().maxCoeff());
  return largest;
}

}  // namespace

Pass arrange(Soup& soup, std::vector<TrianglePair> pairs, const CellClassifier& classifier, bool to_float, PointLimits limits,
             StageClock& stage, const Control& control) {
  Arrangement arrangement(soup.points);
  Cuts cuts = stage("intersect", 0.4, [&] { return intersect(soup, pairs, arrangement.points, control); });
  pairs = {};
  if (arrangement.points.size() > limits.met) throw Contradiction(diverges);
  stage("subdivide", 0.5, [&] {
    cross_segments(soup, cuts, arrangement.points, control);
    if (arrangement.points.size() > limits.crossed) throw Contradiction(diverges);
    subdivide(soup, cuts, arrangement, control);
    return 0;
  });
  cuts = {};
  Selection selection = stage("classify", 0.7, [&] { return classify(soup, arrangement, classifier, control); });
  Pass pass;
  pass.rounded = stage("round", 0.8, [&] { return round_points(soup, arrangement, selection, to_float); });
  pass.moved = pass.rounded.reach.largest();
  pass.pieces = selection.pieces;
  pass.bounds = std::move(selection.bounds);
  pass.idle = std::move(selection.idle);
  pass.left_out = selection.left_out;
  pass.dissolved = selection.dissolved;
  pass.dissolved_at = std::move(selection.dissolved_at);
  return pass;
}

int repair_rounding(Pass& pass, const RepairSettings& settings, StageClock& stage, const Control& control, std::vector<char> also) {
  const auto& [extent, thinnest, to_float, level, patience, passes] = settings;
  const Index pieces = std::max<Index>(pass.pieces, 1);
  CellClassifier classifier;
  // A piece that had the place keeps it, the first of several.
  classifier.label_of = [pieces](std::span<const int> winding) {
    for (Index k = 0; k < pieces; ++k)
      if (winding[k] > 0) return fmt::format("{:010}", k);
    return std::string();
  };
  classifier.makes_pieces = pieces > 1;
  // Each round should leave less to do. Where near faces lie many deep, contact can make ever more of them instead.
  // Sheets that lie on each other have many times their triangles in common.
  const std::size_t max_triangles = (to_float ? 16 : 4) * pass.rounded.triangles.size() + 2'000;
  std::size_t max_pairs = PairSearch::many_pairs, last_trouble = 0;
  for (int rounds = 0;; ++rounds) {
    std::vector<char> near = stage("settle", 0.9, [&] { return find_invalid_after_rounding(pass.rounded, control); });
    if (rounds == 0 && !also.empty()) {
      near.resize(also.size(), 0);
      for (std::size_t i = 0; i < near.size(); ++i) near[i] = near[i] || also[i];
    }
    if (near.empty()) {
      if (rounds > 0 && reaches_untouched(pass.rounded.seam, pass.rounded.points, pass.rounded.triangles, pass.rounded.moved)) throw ReachesUntouched{};
      return rounds;
    }
    if (rounds == max_rounds) return rounds + 1;
    // Rounding brings near things to meet or cross; contact of a few units in the last place, more each
    // time, is what ends it.
    const double step = to_float ? std::ldexp(largest_coordinate(pass.rounded, near), -23) : std::ldexp(extent, -52);
    classifier.tolerance = to_float ? thinnest * step : thinnest;
    const auto trouble = static_cast<std::size_t>(std::count(near.begin(), near.end(), 1));
    if (patience != RepairSettings::endless) {
      if (rounds == 0) max_pairs = 50'000 + patience * trouble;
      // With the least patience each round has to leave less of it.
      if (rounds > 0 && RepairSettings::least_patience * trouble >= patience * last_trouble) throw GivenUp(diverges);
    }
    last_trouble = trouble;
    for (std::size_t i = 0; i < near.size(); ++i) pass.rounded.provenance[i].looked_at = !near[i];
    Soup again = soup_again(std::move(pass.rounded), std::move(near), pieces);
    const double tolerance = to_float ? std::ldexp(step, float_contact_bits(level, rounds))
                                      : std::min(std::ldexp(step, contact_bits(level, rounds)), max_repair_contact * extent);
    const double farthest = to_float ? std::ldexp(step, 2 + max_float_contact_bits) : std::max(thinnest, 2 * max_repair_contact * extent);
    std::vector<TrianglePair> pairs;
    try {
      pairs = find_pairs(again, {tolerance, nullptr, max_pairs}, control);
    } catch (const Contradiction& contradiction) {
      if (rounds > 0 || patience == RepairSettings::endless) throw;
      throw GivenUp(contradiction.what());
    }
    if (rounds == 0) max_pairs = to_float ? 16 * pairs.size() + 50'000 : 4 * pairs.size() + 5'000;
    bool changed_by_contact = false;
    for (int k = 0; k < passes; ++k) {
      if (k > 0) pairs = find_pairs(again, {tolerance, nullptr, max_pairs}, control);
      if (!make_contact(again, pairs, tolerance, 0, farthest, control).changed) break;
      changed_by_contact = true;
      for (std::size_t i = 0; i < again.triangles.size(); ++i)
        if (again.needs_self_test[i]) again.provenance[i].looked_at = false;
      if (again.triangles.size() > max_triangles) throw Contradiction(diverges);
    }
    if (changed_by_contact) {
      // Contact may have changed triangles at the boundary of what is looked at: look as far as their neighbours.
      std::vector<char> changed(again.triangles.size());
      for (std::size_t i = 0; i < changed.size(); ++i) changed[i] = again.needs_self_test[i] || again.active[i];
      again.active = Flags::of(with_neighbours(again.points, again.triangles, changed, control));
      pairs = find_pairs(again, {0, nullptr, max_pairs}, control);
    }
    if (!again.seam.empty()) {
      std::vector<char> at_seam(again.points.size(), 0);
      again.seam.for_each_end([&](Index v, Index) { at_seam[v] = 1; });
      for (std::size_t i = 0; i < again.triangles.size(); ++i)
        for (Index v : again.triangles[i])
          if (again.active[i] && at_seam[v]) throw ReachesUntouched{};
    }
    const Index before = pass.pieces;
    const std::size_t max_points = (to_float ? 16 : 4) * again.points.size() + 4'000;
    pass = arrange(again, std::move(pairs), classifier, to_float, {.met = max_points}, stage, control);
    pass.pieces = before;
    for (FaceProvenance& t : pass.rounded.provenance) t.settled = t.settled || !t.looked_at;
  }
}

}  // namespace anvil::boolean
