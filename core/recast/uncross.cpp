// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/uncross.h"

#include <algorithm>

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

/// Vertices of sharp places that were drawn back with others, although they cross nothing where they were, go back there: a few rounds, of vertices that share no triangle.
template <class Look>
void put_back(Contour& contour, const std::vector<Vec3>& before, std::vector<char>& suspect, const Look& look) {
  constexpr float sharp = 0.1F;
  constexpr int most_rounds = 4;
  std::vector<char> waits(contour.positions.size(), 0);
  for (std::size_t v = 0; v < waits.size(); ++v) waits[v] = contour.sharpness[v] > sharp && contour.positions[v] != before[v];
  for (int round = 0; round < most_rounds && std::find(waits.begin(), waits.end(), 1) != waits.end(); ++round) {
    std::vector<char> goes(waits.size(), 0), may_not(waits.size(), 0);
    for (const Triangle& t : contour.triangles) {
      if (!waits[t[0]] && !waits[t[1]] && !waits[t[2]]) continue;
      std::size_t chosen = 3;
      for (std::size_t k = 0; k < 3; ++k)
        if (waits[t[k]] && !may_not[t[k]] && (chosen == 3 || goes[t[k]])) chosen = k;
      for (std::size_t k = 0; k < 3; ++k) {
        if (k == chosen) continue;
        may_not[t[k]] = 1;
        goes[t[k]] = 0;
      }
      if (chosen < 3) goes[t[chosen]] = 1;
    }
    std::vector<Vec3> drawn_back = contour.positions;
    for (std::size_t v = 0; v < goes.size(); ++v)
      if (goes[v]) contour.positions[v] = before[v], waits[v] = 0;
    for (std::size_t t = 0; t < suspect.size(); ++t) suspect[t] = goes[contour.triangles[t][0]] || goes[contour.triangles[t][1]] || goes[contour.triangles[t][2]];
    // Two that go back may cross each other, and one that does may cross what had given way to it.
    for (std::vector<char> invalid = look(); !invalid.empty(); invalid = look()) {
      bool back = false;
      for (std::size_t t = 0; t < invalid.size(); ++t)
        for (Index v : contour.triangles[t])
          if (invalid[t] && goes[v]) contour.positions[v] = drawn_back[v], goes[v] = 0, back = true;
      if (back) continue;
      contour.positions = std::move(drawn_back);
      return;
    }
  }
}

}  // namespace

std::vector<char> uncross(Contour& contour, const Control& control, std::span<const char> movable) {
  const std::vector<Index> piece(contour.triangles.size(), 0);
  std::vector<char> suspect(contour.triangles.size(), 1);
  const auto look = [&] { return boolean::find_invalid_triangles(contour.positions, contour.triangles, piece, suspect, boolean::Across::no, control); };
  std::vector<char> invalid = look();
  if (invalid.empty()) return invalid;
  const std::vector<Vec3> before = contour.positions;
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
  if (invalid.empty()) put_back(contour, before, suspect, look);
  return invalid;
}

}  // namespace anvil::recast
