// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/uncross.h"

#include "core/boolean/invalid_triangles.h"

namespace anvil::recast {
namespace {

/// How far vertices of crossing triangles are moved, round after round.
struct Round {
  float up_to;    ///< vertices at most so sharp
  double share;   ///< of the way there
  bool to_middle; ///< else to the smooth place
};
constexpr float any = 2;
constexpr Round rounds[] = {{0.1F, 0.5, false}, {0.1F, 1, false}, {any, 0.3, true}, {any, 0.5, true}, {any, 1, true}, {any, 1, true}};

}  // namespace

std::vector<char> uncross(Contour& contour, const Control& control, std::span<const char> movable) {
  const std::vector<Index> piece(contour.triangles.size(), 0);
  std::vector<char> suspect(contour.triangles.size(), 1);
  const auto look = [&] { return boolean::find_invalid_triangles(contour.positions, contour.triangles, piece, suspect, boolean::Across::no, control); };
  std::vector<char> invalid = look();
  for (const Round& round : rounds) {
    if (invalid.empty()) break;
    std::vector<char> moves(contour.positions.size(), 0);
    for (std::size_t t = 0; t < invalid.size(); ++t)
      for (Index v : contour.triangles[t])
        if (invalid[t] && contour.sharpness[v] <= round.up_to && (movable.empty() || movable[v])) moves[v] = 1;
    for (std::size_t v = 0; v < moves.size(); ++v)
      if (moves[v]) contour.positions[v] += round.share * ((round.to_middle ? contour.middle[v] : contour.smooth[v]) - contour.positions[v]);
    // What crossed stays suspect: it may cross what has not moved.
    for (std::size_t t = 0; t < suspect.size(); ++t) {
      const Triangle& corners = contour.triangles[t];
      suspect[t] = invalid[t] || moves[corners[0]] || moves[corners[1]] || moves[corners[2]];
    }
    invalid = look();
  }
  return invalid;
}

}  // namespace anvil::recast
