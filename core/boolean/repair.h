// SPDX-License-Identifier: GPL-3.0-or-later
// Stages 3 to 9 as one pass, and the passes that mend what rounding broke.
#pragma once

#include "core/boolean/rounded.h"
#include "core/boolean/stage_clock.h"

namespace anvil::boolean {

/// One pass of stages 2 to 9, and what it told beside.
struct Pass {
  Rounded rounded;
  Index pieces = 0;
  std::vector<char> bounds, idle;
  std::size_t left_out = 0, dissolved = 0;
  double moved = 0;  ///< the farthest that a point has been moved to what is in the result, so far
  std::vector<Vec3> dissolved_at;
};

/// How many points an arrangement may get; more are taken as a sign that it does not end, and are a Contradiction.
struct PointLimits {
  std::size_t met = ~std::size_t{0};      ///< where triangles meet
  std::size_t crossed = ~std::size_t{0};  ///< and where what they cut into each other crosses
};
Pass arrange(Soup& soup, std::vector<TrianglePair> pairs, const CellClassifier& classifier, bool to_float, PointLimits limits,
             StageClock& stage, const Control& control);

inline constexpr Note rounding_not_settled{"rounding_not_settled", "rounding could not be settled: look at the places on the rail",
                                           "rounding could not be settled: look at the places on the rail"};
inline constexpr int max_rounds = 12;
inline constexpr int max_repair_level = 3;
inline constexpr double max_repair_contact = 1e-7;  ///< of the extent; the contact that ends rounding's trouble

struct RepairSettings {
  double extent;    ///< the largest coordinate
  double thinnest;  ///< as CellClassifier::tolerance; with to_float in steps of 32 bits where the trouble is
  bool to_float = false;
  int level = 0;    ///< 0 to max_repair_level: how fast the contact that each round makes grows
  /// So many pairs for each triangle that is near: where there are more at first, or a round leaves more triangles in trouble than patience allows, it is given up,
  /// as GivenUp.
  std::size_t patience = endless;
  static constexpr std::size_t endless = 0, least_patience = 20;
  int passes = 1;   ///< of contact in each round, as long as they change something: each is offered the points of the last one
};
/// Sends the neighbourhood of what rounding broke through the engine again until it is sound.
/// @param also  triangles that are looked at in the first round whatever rounding did; may be empty
/// @return the number of rounds; max_rounds + 1 when it did not come to rest. Throws Contradiction where it makes ever more
///         faces, ReachesUntouched.
int repair_rounding(Pass& pass, const RepairSettings& settings, StageClock& stage, const Control& control, std::vector<char> also = {});

}  // namespace anvil::boolean
